import { brief, ticks } from '@/parts/drawings/scale'
import { describe, expect, it, test } from 'vitest'
import { placing } from '@/features/scatter/paint'
import {
  byExtremity,
  grouped,
  histogram,
  inside,
  inView,
  labelled,
  lost,
  pointsOf,
  reach,
  scaled,
  viewRead,
  viewTold,
  wholeView,
  zoomed,
  type Scatter,
} from '@/features/scatter/plane'

const LINEAR = { x: 'linear', y: 'linear' } as const

describe('scales', () => {
  it('of ranks go from 0 to 100, equal values in the middle of theirs', () => {
    expect(scaled([5, -1, 9, 1e12, 9], 'rank')).toEqual([25, 0, 62.5, 100, 62.5])
    expect(scaled([7, 7, null], 'rank')).toEqual([50, 50, undefined])
    expect(scaled([3], 'rank')).toEqual([0])
  })
  it('of ratios have no place for zero and below', () => {
    expect(scaled([100, 0, -5, null], 'log')).toEqual([2, undefined, undefined, undefined])
  })
  it('rank only what has both values', () => {
    const frame = { x: [1, 2, 3, 4], y: [1, null, 3, 0], size: [1, 1, 1, null] }
    const found = pointsOf(frame, { x: 'rank', y: 'log' })
    expect(found.map((p) => [p.place, p.u])).toEqual([[0, 0], [2, 50]]) // prettier-ignore
    const of = { codes: ['A', 'B', 'C', 'D'] }
    expect(lost(of.codes, frame, { x: 'rank', y: 'log' })).toEqual({
      unknown: ['B'],
      notLog: ['D'],
    })
  })
})

describe('a view', () => {
  const usual = Array.from({ length: 99 }, (_, n) => n / 98)
  it('holds all, or leaves a giant outside', () => {
    expect(reach([...usual, 1e6], false)[1]).toBeGreaterThan(1e6)
    expect(reach([...usual, 1e6], true)[1]).toBeLessThan(1.4)
    expect(reach(usual, true)[0]).toBeLessThanOrEqual(0)
  })
  test.each([[[4, 4]], [[0]], [[-3, -3, -3]]])('has room about equal values %s', (values) => {
    const [low, high] = reach(values, true)
    expect(low).toBeLessThan(values[0]!)
    expect(high).toBeGreaterThan(values[0]!)
  })
  it('is told and read, and nothing else is', () => {
    const view = { x0: -1.5, x1: 2, y0: 0, y1: 1e6 }
    expect(viewRead(viewTold(view))).toEqual(view)
    for (const text of ['1,2,3', '1,1,0,1', '2,1,0,1', 'a,1,0,1', undefined]) {
      expect(viewRead(text)).toBeUndefined()
    }
  })
  it('stays about the place that is looked at closer', () => {
    const near = zoomed({ x0: 0, x1: 10, y0: 0, y1: 4 }, 0.5, 10, 2)
    expect(near).toEqual({ x0: 5, x1: 10, y0: 1, y1: 3 })
  })
  it('is placed on the canvas and found there again', () => {
    const place = placing({ x0: -2, x1: 6, y0: 10, y1: 20 }, { width: 800, height: 500 })
    for (const [u, v] of [
      [-2, 10],
      [6, 20],
      [1, 13],
    ] as const) {
      // prettier-ignore
      expect(place.u(place.x(u))).toBeCloseTo(u, 9)
      expect(place.v(place.y(v))).toBeCloseTo(v, 9)
    }
    expect(place.y(20)).toBeLessThan(place.y(10))
  })
})

describe('what is written', () => {
  test.each([
    [-1, 1, 'linear', 5, ['−1.0', '−0.5', '0.0', '0.5', '1.0']],
    [0, 3, 'log', 4, ['1', '10', '100', '1,000']],
    [Math.log10(0.8), Math.log10(1.25), 'log', 5, ['0.8', '0.9', '1.0', '1.1', '1.2']],
    [-5, 104, 'rank', 5, ['0', '50', '100']],
    [3, 3, 'linear', 5, []],
  ] as const)('from %d to %d, %s', (low, high, scale, count, texts) =>
    expect(ticks(low, high, scale, count).map((tick) => tick.text)).toEqual(texts),
  )
  it('is short', () => {
    expect([brief(4.2e9), brief(-1.5e6), brief(0.012345), brief(0)]).toEqual([
      '4.20 bn', '−1.50 m', '0.0123', '0',
    ]) // prettier-ignore
  })
  it('does not overlap, nor leave the plane', () => {
    const room = { left: 0, right: 100, top: 0, bottom: 100 }
    const crowd = Array.from({ length: 30 }, (_, n) => ({
      place: n, text: 'ABCDEF', x: 40 + (n % 6) * 11, y: 50 + Math.floor(n / 6) * 9, r: 4,
    })) // prettier-ignore
    const found = labelled(crowd, room, (text) => 6 * text.length)
    expect(found.length).toBeGreaterThan(3)
    expect(found[0]!.place).toBe(0)
    for (const [n, a] of found.entries()) {
      expect(a.left).toBeGreaterThanOrEqual(0)
      expect(a.left + 36).toBeLessThanOrEqual(100)
      for (const b of found.slice(n + 1)) {
        expect(Math.abs(a.left - b.left) >= 36 || Math.abs(a.middle - b.middle) >= 13).toBe(true)
      }
    }
  })
})

describe('points', () => {
  const frame = { x: [0, 1, 2, 3, 40], y: [5, 1, 2, 3, -4], size: [1, 1, 1, 1, 1] }
  const points = pointsOf(frame, LINEAR)
  it('come with the most extreme first', () => {
    expect(byExtremity(points).map((p) => p.place)[0]).toBe(4)
    expect(byExtremity(points).at(-1)!.place).toBe(2)
  })
  it('are counted along the edges as far as they are in sight', () => {
    const view = wholeView(points, false)
    const all = histogram(points.map((p) => p.u), view.x0, view.x1, 7) // prettier-ignore
    expect(all.reduce((a, b) => a + b)).toBe(5)
    const near = { ...view, x1: 2 }
    const seen = points.filter((p) => inView(near, p)).map((p) => p.u)
    expect(histogram(seen, 0, 2, 2)).toEqual([1, 2])
  })
  it('are caught by a noose, also a bent one', () => {
    const bent = [[0, 0], [10, 0], [10, 10], [5, 3], [0, 10]] as const // prettier-ignore
    expect(inside(bent, 2, 3)).toBe(true)
    expect(inside(bent, 5, 6)).toBe(false)
    expect(inside(bent, 12, 3)).toBe(false)
  })
  it('have the colour of their sector, or of their side', () => {
    const of = { codes: ['A', 'B', 'C'], sectors: ['salt', '', 'kelp'], sides: ['', '', 'short'] }
    const own = of as unknown as Scatter
    expect(grouped(own, 'sector', [], [])).toMatchObject({
      names: ['kelp', 'salt'],
      of: [1, -1, 0],
    })
    const sides = grouped(own, 'side', [2, 0, 5], [])
    expect(sides).toMatchObject({ names: ['above', 'short'], of: [0, -1, 1] })
    expect(grouped(own, 'none', [], []).names).toEqual([])
    const tints = Array.from({ length: 10 }, (_, n) => n + 1)
    expect(grouped(own, 'measure', [], [null, ...tints])).toEqual({
      names: ['to 2.00', 'to 4.00', 'to 6.00', 'to 8.00', 'over 8.00'],
      of: [-1, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4],
      ordered: true,
    })
    expect(grouped(own, 'measure', [], [7, 7, 7])).toMatchObject({ names: ['7.00'], of: [0, 0, 0] })
    expect(grouped(own, 'measure', [], [0, 0, 0, 0, 3]).of).toEqual([0, 0, 0, 0, 1])
  })
})
