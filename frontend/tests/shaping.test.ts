import { QueryObserver } from '@tanstack/vue-query'
import { describe, expect, it, vi } from 'vitest'
import { dressOf } from '@/parts/chart/dress'
import { arranged, inState, layersOf, LAYER, PLAIN, statesOf } from '@/parts/chart/layout'
import { meant, snapped } from '@/parts/chart/measure'
import { asLines, condition, empty } from '@/parts/shaping/draft'
import { toldOf, wordAt } from '@/parts/editor/help'
import { onStep, rewritten, written, type Grip, type Scale } from '@/features/sieves/thresholds'
import type { Chart, Vocabulary } from '@/shared/api'
import { Answers } from '@/shared/client'
import { sides } from '@/shared/format'
import { useLatest } from '@/shared/latest'

const grip = (rest: Partial<Grip>): Grip => ({
  start: 0,
  end: 0,
  prefix: '',
  suffix: '',
  sign: 1,
  least: null,
  step: 0.2,
  ...rest,
})
const scale = (own: Grip): Scale => ({ threshold: 1, grip: own }) as Scale

describe('a threshold', () => {
  it('moves on its steps, and never beyond what may be written', () => {
    expect(onStep(grip({}), 0.7000001)).toBe(0.8)
    expect(onStep(grip({ step: 2_000_000 }), 4.4e6)).toBe(4_000_000)
    expect(onStep(grip({ least: 0 }), -3)).toBe(0)
    expect(onStep(grip({ least: 0, sign: -1 }), 3)).toBe(-0)
    expect(onStep(grip({ least: 0, sign: -1 }), -3)).toBe(-3)
  })
  it('is written without a power of ten', () => {
    expect([written(0.1 + 0.2), written(1e-7), written(4e6)]).toEqual([
      '0.3',
      '0.0000001',
      '4000000',
    ])
  })
  it('is written from the end of a text to its beginning, so that places stay', () => {
    const text = 'a > 5 and b < sma by 3%'
    const scales = [
      scale(grip({ start: 4, end: 5 })),
      scale(grip({ start: 21, end: 23, suffix: '%', sign: -1 })),
    ]
    const values = new Map([
      [0, 12],
      [1, -7],
    ])
    expect(rewritten(text, scales, values)).toBe('a > 12 and b < sma by 7%')
  })
})

describe('a layout', () => {
  it('keeps how a formula is drawn when others come or go', () => {
    const now = [{ ...LAYER, formula: 'ema(close, 11)', dash: true }]
    expect(layersOf(['volume', 'ema(close, 11)'], now).map((own) => own.dash)).toEqual([
      false,
      true,
    ])
  })
  it('asks for each condition once, and for none of what is hidden', () => {
    const states = [{ when: 'up_bar', ink: 'rise' as const }]
    const hidden = {
      ...LAYER,
      formula: 'b',
      hidden: true,
      states: [{ when: 'x', ink: '' as const }],
    }
    const layout = {
      ...PLAIN,
      layers: [{ ...LAYER, formula: 'a', states }, hidden],
      painted: states,
    }
    expect(statesOf(layout)).toEqual(['up_bar'])
  })
  it('draws a stretch of a state with the way into it', () => {
    expect(inState([1, 2, 3, 4], [-1, -1, 0, -1], 0)).toEqual([null, 2, 3, null])
  })
})

describe('a measurement', () => {
  const chart = {
    open: [9, 11.5],
    high: [10.5, 12.5],
    low: [8.5, 11.4],
    close: [10, 12],
    lines: [{ text: 'sma(close, 9)', label: 'SMA(9)', pane: 'price', values: [null, 11] }],
  } as unknown as Chart
  const height = (price: number) => price * 10
  it('takes what is nearest of its bar', () => {
    expect(snapped(chart, { at: 1, price: 11.1 }, height).of?.label).toBe('SMA(9)')
    expect(snapped(chart, { at: 1, price: 11.9 }, height)).toMatchObject({ price: 12 })
    expect(snapped(chart, { at: 0, price: 90 }, height)).toMatchObject({ price: 10.5 })
    expect(snapped(chart, { at: 0, price: 90 }, height, true)).toMatchObject({ price: 10 })
    expect(snapped(chart, { at: 0, price: 1 }, height).of).toEqual({ text: 'low', label: 'Low' })
  })
  it('is of what its ends are of, and of nothing where one is free', () => {
    const line = { text: 'sma(close, 9)', label: 'SMA(9)' }
    const close = { text: 'close', label: 'Close' }
    const [a, b] = [
      { at: 1, price: 1 },
      { at: 4, price: 2 },
    ]
    expect(meant({ ...b, of: close }, { ...b, of: line })).toEqual(line)
    expect(meant({ ...b, of: line }, { ...b, of: close })).toEqual(line)
    expect(meant({ ...a, of: line }, { ...b, of: line })).toEqual({ ...line, before: line.text })
    const way = { text: 'close', label: 'SMA(9) to Close', before: line.text }
    expect(meant({ ...a, of: line }, { ...b, of: close })).toEqual(way)
    expect(meant(a, { ...b, of: line })).toBeUndefined()
  })
})

describe('help', () => {
  const vocabulary = {
    functions: [{ name: 'sma', signature: 'sma(x, n)' }],
    phrases: [{ pattern: 'in last … bars' }, { pattern: 'for … bars' }],
    relations: [{ pattern: '>=' }],
  } as unknown as Vocabulary
  it('finds the word or the sign at a place', () => {
    expect(wordAt('close >= sma(x)', 10)).toEqual({ word: 'sma', from: 9, to: 12 })
    expect(wordAt('close >= sma(x)', 7).word).toBe('>=')
    expect(wordAt('a  b', 2).word).toBe('')
  })
  it('tells of functions, words and signs', () => {
    const names = (word: string) => toldOf(word, vocabulary).map((own) => own.name)
    expect(names('SMA')).toEqual(['sma'])
    expect(names('bars')).toEqual(['in last … bars', 'for … bars'])
    expect(names('>=')).toEqual(['>='])
    expect(names('nothing')).toEqual([])
    expect(names('for … bars')).toEqual(['for … bars'])
  })
})

it('a sieve as lines says what is off and what adds to the score', () => {
  const conditions = [
    { ...condition('up_bar'), role: 'boost' as const, weight: 2, off: true },
    { ...condition('close > 1'), side: 'short' as const },
  ]
  const lines = asLines({ ...empty(), conditions }).split('\n')
  expect(lines.slice(3, 5)).toEqual(['boost 2, off: up_bar', 'must, short only: close > 1'])
})

describe('what is drawn beside', () => {
  const layer = (formula: string, rest = {}) => ({ ...LAYER, formula, ...rest })
  it('asks for what is shown, each condition once', () => {
    const states = [{ when: ' up_bar ', ink: 'rise' as const }]
    const layout = {
      ...PLAIN,
      drawing: 'smoothed',
      layers: [layer('a', { states }), layer('b', { hidden: true })],
      painted: [{ when: 'up_bar', ink: 'fall' as const }],
      strip: ['volume', ' '],
    }
    expect(dressOf(layout)).toEqual({
      lines: ['a'],
      smoothed: true,
      states: ['up_bar'],
      strip: ['volume'],
      strip_bars: 34,
    })
  })
  it('leaves the lines of a sieve where they are', () => {
    const line = (text: string, asked: number) => ({ text, asked, pane: 'price', levels: [3] })
    const chart = { lines: [line('own', -1), line('a', 0)] } as unknown as Chart
    const layout = { ...PLAIN, layers: [layer('a', { place: 'own', levels: [5] })] }
    expect(arranged(chart, layout).lines).toMatchObject([
      { pane: 'price', levels: [3] },
      { pane: 'a', levels: [5] },
    ])
  })
})

it('sides are told with their marks', () => {
  expect([sides(['long']), sides(['long', 'short'])]).toEqual(['▲ long', '▲ long or ▼ short'])
})

describe('answers of the server', () => {
  it('are asked for anew also while the first of them is on its way', async () => {
    const client = new Answers()
    const waiting: ((value: string) => void)[] = []
    const queryFn = () => new Promise<string>((resolve) => waiting.push(resolve))
    const seen = new QueryObserver<string>(client, { queryKey: ['bars'], queryFn })
    const leave = seen.subscribe(() => undefined)
    const other = new QueryObserver<string>(client, { queryKey: ['facts'], queryFn })
    const leaveOther = other.subscribe(() => undefined)
    expect(waiting).toHaveLength(2)
    const anew = client.invalidateQueries({ queryKey: ['bars'] })
    await vi.waitFor(() => expect(waiting).toHaveLength(3))
    waiting[0]!('of before')
    waiting[1]!('facts')
    waiting[2]!('of now')
    await anew
    expect(seen.getCurrentResult().data).toBe('of now')
    await vi.waitFor(() => expect(other.getCurrentResult().data).toBe('facts'))
    leave()
    leaveOther()
  })
})

it('a late answer to an earlier question is not taken for the present one', async () => {
  const answers = new Map<string, (reply: string) => void>()
  const latest = useLatest<string, string>(0, (asked) => {
    return new Promise((resolve) => answers.set(asked, resolve))
  })
  const both = [latest.ask('first'), latest.ask('second')]
  answers.get('second')!('of the second')
  answers.get('first')!('of the first')
  await Promise.all(both)
  expect([latest.reply.value, latest.about.value]).toEqual(['of the second', 'second'])
})

it('what an answer changes waits while a button is pressed, and not while a handle is dragged', async () => {
  const latest = useLatest<string, string>(0, (asked) => Promise.resolve(asked))
  const press = (type: string, on: Element) =>
    on.dispatchEvent(new MouseEvent(type, { bubbles: true, button: 0 }))
  const [button, handle] = ['button', 'div'].map((name) =>
    document.body.appendChild(document.createElement(name)),
  )
  press('pointerdown', handle!)
  await latest.ask('dragged')
  expect(latest.reply.value).toBe('dragged')
  press('pointerup', handle!)
  press('pointerdown', button!)
  const asked = latest.ask('pressed')
  await new Promise((resolve) => setTimeout(resolve, 20))
  expect(latest.reply.value).toBe('dragged')
  press('pointerup', button!)
  expect(latest.reply.value).toBe('dragged')
  await asked
  expect(latest.reply.value).toBe('pressed')
})
