import { VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import Lines from '@/parts/drawings/Lines.vue'
import Ranks from '@/parts/drawings/Ranks.vue'
import TextList from '@/features/overview/TextList.vue'
import MeasurePart from '@/features/scatter/MeasurePart.vue'
import { lookOf, radii } from '@/features/scatter/paint'
import type { Scatter } from '@/features/scatter/plane'
import { usePlaying } from '@/features/scatter/playing'
import { ApiError } from '@/shared/api'
import { within } from './setting'

const FRAMES = 300
/** A session of so many frames, answered when the test says so. */
function session(instruments: number) {
  const waiting: { first: number; settle: () => void; refuse: (code?: string) => void }[] = []
  const signals: AbortSignal[] = []
  const ask = vi.fn((first: number, count: number, signal: AbortSignal) => {
    signals.push(signal)
    return new Promise<Scatter>((resolve, reject) => {
      const values = Array.from({ length: Math.min(count, FRAMES - first) }, () => [])
      const piece = {
        first,
        moments: Array.from({ length: FRAMES }, (_, n) => 60 * n),
        x: { values },
      }
      waiting.push({
        first,
        settle: () => resolve(piece as unknown as Scatter),
        refuse: (code = 'invalid_field') => reject(new ApiError(code, 'no', null, [])),
      })
    })
  })
  const play = within(() => usePlaying(ask, () => instruments))
  async function settle() {
    for (const one of waiting.splice(0)) one.settle()
    await flushPromises()
  }
  return { play, ask, settle, waiting, signals }
}

describe('a session that is played', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())

  it('runs at its pace, waits for what is not read yet, and ends with the session', async () => {
    const { play, settle, ask } = session(240)
    void play.begin()
    expect(play.running.value).toBe(false)
    await settle()
    expect(play.running.value).toBe(true)
    vi.advanceTimersByTime(1000)
    expect(play.at.value).toBe(5)
    play.pace.value = 20
    await flushPromises()
    vi.advanceTimersByTime(20_000)
    // The second piece has not come: the last frame of the first one stays.
    expect(play.at.value).toBe(119)
    expect(play.seen.value?.place).toBe(119)
    await settle()
    vi.advanceTimersByTime(100)
    expect(play.at.value).toBeGreaterThan(119)
    for (let n = 0; n < 4; n += 1) {
      await settle()
      vi.advanceTimersByTime(10_000)
    }
    expect(play.at.value).toBe(FRAMES - 1)
    expect(play.running.value).toBe(false)
    expect(new Set(ask.mock.calls.map(([first]) => first))).toEqual(new Set([0, 120, 240]))
    play.leave()
  })

  it('asks for each piece once, however often it is stepped to', async () => {
    const { play, settle, ask } = session(240)
    void play.begin()
    await settle()
    for (let n = 0; n < 20; n += 1) play.go(130)
    await flushPromises()
    const second = ask.mock.calls.filter(([first]) => first === 120)
    expect(second).toHaveLength(1)
    play.go(-5)
    expect(play.at.value).toBe(0)
    play.go(10_000)
    expect(play.at.value).toBe(FRAMES - 1)
    play.leave()
  })

  it('begun anew or left gives up what is asked; what still comes changes nothing', async () => {
    const { play, waiting, signals } = session(240)
    void play.begin()
    const [first] = waiting
    void play.begin()
    expect(signals[0]!.aborted).toBe(true)
    first!.settle()
    await flushPromises()
    expect(play.moments.value).toEqual([])
    play.stop()
    expect(signals.every((signal) => signal.aborted)).toBe(true)
    for (const one of waiting) one.settle()
    await flushPromises()
    expect([play.playing.value, play.moments.value.length]).toEqual([false, 0])
    play.leave()
  })

  it('goes on by itself after what was away, and with shorter pieces where one is too much', async () => {
    const { play, waiting, settle, ask } = session(240)
    void play.begin()
    waiting.splice(0)[0]!.refuse('unreachable')
    await vi.advanceTimersByTimeAsync(1500)
    await settle()
    expect([play.error.value, play.running.value]).toEqual([undefined, true])
    play.go(200)
    await flushPromises()
    expect([play.seen.value?.place, play.waiting.value]).toEqual([0, true])
    waiting.splice(0)[0]!.refuse('too_much')
    await flushPromises()
    for (let n = 0; n < 6 && play.waiting.value; n += 1) {
      await vi.advanceTimersByTimeAsync(500)
      await settle()
    }
    expect(ask.mock.calls.at(-1)![1]).toBeLessThan(120)
    expect([play.error.value, play.waiting.value]).toEqual([undefined, false])
    play.leave()
  })

  it('stops at a piece that can not be read, says so, and can be begun again', async () => {
    const { play, waiting, settle } = session(240)
    void play.begin()
    waiting.splice(0)[0]!.refuse()
    await flushPromises()
    expect(play.error.value?.code).toBe('invalid_field')
    expect(play.running.value).toBe(false)
    void play.begin()
    await settle()
    expect(play.error.value).toBeUndefined()
    expect(play.running.value).toBe(true)
    play.leave()
  })

  it('reads smaller pieces of larger universes', async () => {
    const { play, ask } = session(5_000)
    void play.begin()
    expect(ask.mock.calls[0]![1]).toBe(6)
    play.leave()
    const none = session(0)
    void none.play.begin()
    expect(none.ask.mock.calls[0]![1]).toBe(120)
    none.play.leave()
  })
})

describe('points', () => {
  const point = (place: number, size: number | null) => ({
    place,
    x: 0,
    y: 0,
    u: place,
    v: 0,
    size,
  })
  const view = { x0: -1, x1: 10, y0: -1, y1: 1 }
  it('are as large as their area tells, by the largest in sight', () => {
    const points = [point(0, 100), point(1, 25), point(2, -4), point(3, null), point(99, 1e9)]
    const radius = radii(points, view, { width: 800, height: 600 })
    expect(radius(points[1]!)).toBeCloseTo(radius(points[0]!) / 2, 6)
    expect(radius(points[2]!)).toBeLessThanOrEqual(2.5)
    expect(radius(points[3]!)).toBeLessThanOrEqual(4.5)
    const many = Array.from({ length: 5000 }, (_, n) => point(n % 10, 5))
    expect(radii(many, view, { width: 800, height: 600 })(many[0]!)).toBeLessThan(6)
    expect(radii([], view, { width: 800, height: 600 })(points[0]!)).toBeGreaterThan(0)
  })
  it('of groups with one colour differ in shape, and sides never in colour alone', () => {
    const names = Array.from({ length: 14 }, (_, n) => `sector ${n}`)
    const looks = names.map((_, n) => JSON.stringify(lookOf(names, n)))
    expect(new Set(looks).size).toBe(14)
    const sides = ['above', 'below', 'long', 'short']
    const [above, below] = [lookOf(sides, 0), lookOf(sides, 1)]
    expect([above.shape, below.shape]).toEqual(['up', 'down'])
    expect(above.colour).not.toBe(below.colour)
    expect(lookOf(sides, 2)).toEqual(above)
  })
})

describe('pictures of ranks and lines', () => {
  const figure = (value: number) => value.toFixed(1)
  const columns = [
    { label: 'a week', told: 'a week back', note: 'all together 0.0' },
    { label: 'a day', told: 'a day back' },
  ]
  const rows = [
    { name: 'AAA', values: [3, null] },
    { name: 'BBB', values: [1, 2] },
    { name: 'CCC', values: [-4, 9] },
  ]
  it('list each column from its largest, join what is known in both, and can be chosen', async () => {
    const wrapper = mount(Ranks, { props: { columns, rows, chosen: 'BBB', figure } })
    const lists = wrapper.findAll('section').map((own) => own.findAll('li').map((li) => li.text()))
    expect(lists).toEqual([['AAA3.0', 'BBB1.0', 'CCC-4.0'], ['CCC9.0', 'BBB2.0']]) // prettier-ignore
    expect(wrapper.findAll('path')).toHaveLength(2)
    expect(wrapper.find('section').attributes('aria-label')).toBe('a week back')
    await wrapper.find('.node').trigger('click')
    await wrapper.findAll('.head')[1]!.trigger('click')
    expect(wrapper.emitted()).toMatchObject({ choose: [['AAA']], reach: [[1]] })
    await wrapper.setProps({ rows: [], columns: [] })
    expect(wrapper.findAll('li')).toHaveLength(0)
  })
  it('break where nothing is known, and write ends apart', () => {
    const moments = [0, 86_400, 172_800, 259_200]
    const lines = [
      { name: 'up', values: [1, null, 3, 4] },
      { name: 'beside', values: [4, 4, 4, 4.001] },
      { name: 'nothing', values: [null, null, null, null] },
    ]
    const wrapper = mount(Lines, { props: { label: 'both', moments, lines, unit: ' %' } })
    const path = wrapper.findAll('path')[0]!.attributes('d')!
    expect(path.match(/M/g)).toHaveLength(2)
    expect(wrapper.findAll('path')[2]!.attributes('d')).toBe('')
    const ends = wrapper.findAll('.end')
    expect(ends.map((end) => end.text())).toEqual(['beside 4.00 %', 'up 4.00 %'])
    const [a, b] = ends.map((end) => Number(end.attributes('y')))
    expect(Math.abs(a! - b!)).toBeGreaterThanOrEqual(13.9)
    const empty = mount(Lines, { props: { label: 'none', moments: [], lines: [] } })
    expect(empty.html()).not.toContain('NaN')
    const flat = mount(Lines, {
      props: { label: 'flat', moments: [0], lines: [{ name: 'x', values: [0] }] },
    })
    expect(flat.html()).not.toContain('NaN')
  })
})

describe('parts of sentences', () => {
  const write = async (field: ReturnType<typeof mount>['element'], text: string) => {
    const own = field as HTMLInputElement
    own.value = text
    own.dispatchEvent(new Event('input'))
    own.dispatchEvent(new Event('change'))
    await flushPromises()
  }
  it('texts of a list are changed, added, and taken away when empty', async () => {
    const wrapper = mount(TextList, { props: { texts: ['1h', '1d'], what: 'Bars' } })
    const fields = wrapper.findAll('input').map((field) => field.element)
    await write(fields[0]!, '4h')
    await write(fields[1]!, '')
    await write(fields[2]!, '1w')
    await write(fields[2]!, '')
    const told = wrapper.emitted('change')!.map(([texts]) => texts)
    expect(told).toEqual([['4h', '1d'], ['1h'], ['1h', '1d', '1w']]) // prettier-ignore
  })
  it('a measure of nothing has no bars', async () => {
    const measure = { formula: 'rsi(9)', bars: '1d', label: 'strength' }
    const offered = [{ value: '1d', told: 'days' }]
    const wrapper = mount(MeasurePart, {
      props: { measure, label: 'across', scale: 'linear' as const, offered },
      global: { plugins: [VueQueryPlugin] },
    })
    await write(wrapper.find('[aria-label="Bars across"]').element, '')
    await wrapper.find('select').setValue('rank')
    expect(wrapper.emitted('measure')).toBeUndefined()
    expect(wrapper.emitted('scale')).toEqual([['rank']])
    await wrapper.setProps({ measure: { ...measure, formula: '' } })
    expect(wrapper.find('[aria-label="Bars across"]').exists()).toBe(false)
  })
})
