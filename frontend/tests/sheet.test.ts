import { describe, expect, it, test } from 'vitest'
import { edge, spread, type Place } from '@/parts/chart/edge'
import { BOX, besideStretch } from '@/parts/chart/measuring'
import { layPanes, unfolded } from '@/parts/chart/panes'
import { ticksOf } from '@/parts/chart/timeAxis'
import { barTime, figure, fixed, price, signed } from '@/shared/format'
import { together } from '@/parts/suggest/target'

describe('labels at the edge of a pane', () => {
  const pane = { name: 'rsi', top: 100, height: 100 }
  /** A value of 0 stands at the foot of the pane, 100 at its top. */
  const place: Place = { y: (_, value) => 200 - value, x: (bar) => 10 * bar }

  it('the dearest is shown, and no other within its height', () => {
    const own = edge(1, pane, [50, 60, 70, 120], place)
    expect([50, 60, 70, 120].filter(own.isShown)).toEqual([50, 70])
    expect([40, 34, 50, 59, 90, 100].filter(own.isFree)).toEqual([34, 90, 100])
  })
  it('what is labelled otherwise takes its room, and is not labelled again', () => {
    const own = edge(1, pane, [50], place, [55])
    expect(own.isShown(50)).toBe(false)
    expect(own.isShown(55)).toBe(false)
    expect(own.isFree(60)).toBe(false)
    expect(own.isFree(75)).toBe(true)
  })
  it('labels at bars keep apart', () => {
    expect([...spread([1, 2, 3, 9], 14, place)]).toEqual([1, 3, 9])
    expect([...spread([1, 2], 14)]).toEqual([1, 2])
  })
})

describe('panes', () => {
  const names = ['price', 'volume', 'rsi', 'adx']
  it('fold so that the price can be read, the volume first, those that are kept never', () => {
    expect(unfolded(names, 900, 0, [])).toEqual(names)
    expect(unfolded(names, 290, 0, [])).toEqual(['price', 'rsi'])
    expect(unfolded(names, 290, 0, ['adx'])).toEqual(['price', 'adx'])
    expect(unfolded(names, 100, 0, ['volume'])).toEqual(['price', 'volume'])
  })
  test.each([160, 220, 300, 480, 900])(
    'of %d pixels fit, and leave the price the most',
    (height) => {
      const panes = layPanes(unfolded(names, height, 0, ['rsi']), height)
      const last = panes.at(-1)!
      expect(last.top + last.height).toBeLessThanOrEqual(height)
      expect(panes.slice(1).every((pane) => pane.height <= panes[0]!.height)).toBe(true)
    },
  )
})

test('the words of a measure stand on no bar that is measured, where there is any room', () => {
  const sheet = { width: 900, height: 420 }
  for (const left of [0, 150, 400, 700])
    for (const right of [left + 5, left + 150, 895])
      for (const top of [5, 150, 300]) {
        const stretch = { left, right, top, bottom: top + 40 }
        const box = besideStretch(stretch, sheet)
        const apart =
          box.left >= right ||
          box.left + BOX.width <= left ||
          box.top >= stretch.bottom ||
          box.top + BOX.height <= top
        const fits = box.left >= 0 && box.top >= 0 && box.left + BOX.width <= sheet.width
        expect([apart, fits], JSON.stringify(stretch)).toEqual([true, true])
      }
})

describe('numbers', () => {
  it('have one minus sign, thousands apart, and no sign where they round to nothing', () => {
    expect([fixed(-1234.5, 1), fixed(-0.001, 2), fixed(0, 2)]).toEqual(['−1,234.5', '0.00', '0.00'])
    expect([signed(-0.04, 1), signed(0.04, 1), signed(2, 0)]).toEqual(['0.0', '0.0', '+2'])
    expect([figure(-1234), figure(9999), figure(-0.5)]).toEqual(['−1,234', '9,999', '−0.50'])
    expect(price(-12345.678, 0.01)).toBe('−12,345.68')
  })
})

describe('times of bars', () => {
  const minutes = Array.from({ length: 300 }, (_, n) => Date.UTC(2026, 2, 2, 9, 7) / 1000 + n * 60)
  test.each([4, 7, 12, 20])('are labelled on round minutes: room for %d', (room) => {
    const told = [...ticksOf(minutes, 0, 120, room).values()].map((tick) => tick.text)
    expect(told.length).toBeGreaterThan(1)
    expect(told.filter((text) => Number(text.slice(3)) % 5)).toEqual([])
  })
  it('tell seconds where there are any', () => {
    const times = [0, 10, 20].map((more) => Date.UTC(2026, 2, 2, 9, 7, more) / 1000)
    expect([...ticksOf(times, 0, 2, 9).values()].map((t) => t.text)).toContain('09:07:10')
    expect(barTime(times[1]!)).toBe('2 Mar, 09:07:10 UTC')
    expect(barTime(times[0]!)).toBe('2 Mar, 09:07 UTC')
  })
})

test('measures of different bars keep their own on the bars of the fastest', () => {
  const [hour, week] = [{ formula: 'rsi', bars: '1h' }, { formula: 'roc', bars: '1w' }] // prettier-ignore
  const both = { bars: '1h', lines: ['rsi', '(roc) on 1w'] }
  expect(together([hour, week])).toEqual(both)
  expect(together([week, hour])).toEqual({ ...both, lines: ['(roc) on 1w', 'rsi'] })
  expect(together([week, week])).toEqual({ bars: '1w', lines: ['roc'] })
})
