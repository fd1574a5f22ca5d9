import { describe, expect, it, test } from 'vitest'
import {
  digitsOf,
  EVERYTHING,
  ordered,
  passing,
  scaleOf,
  told,
  type Board,
  type Cells,
} from '@/features/background/board'

const zone = (v: number | null) =>
  v === null ? 'unknown' : v > 2 ? 'far above' : v > 0 ? 'above' : 'below'
const cells = (values: (number | null)[], more: Partial<Cells> = {}): Cells => ({
  truth: false,
  unit: 'none',
  values,
  before: values.map((v) => (v === null ? null : v - 1)),
  zones: values.map(zone),
  turned: values.map(() => -1),
  problems: [],
  parts: [],
  held: [],
  held_before: [],
  ...more,
})
const board: Board = {
  codes: ['A', 'B', 'C', 'D'],
  names: ['', '', '', ''],
  stopped: [],
  agreement: [1, -1, 2, 0],
  columns: [
    cells([3, -1, 1, null], { before: [1, 4, 0, null], turned: [0, 3, 4, -1] }),
    cells([1, 1, null, -1]),
  ],
}

describe('a board', () => {
  test.each([
    ['all', EVERYTHING, [0, 1, 2, 3]],
    ['turned within three', { ...EVERYTHING, kind: 'turned' }, [0, 1]],
    ['far', { ...EVERYTHING, kind: 'far' }, [0]],
    ['agreeing', { ...EVERYTHING, with: 1 }, [0]],
    ['turned and agreeing', { kind: 'turned', column: 0, within: 9, with: 1 }, [0]],
  ] as const)('shows rows: %s', (_, filter, rows) => {
    expect(passing(board, filter)).toEqual(rows)
  })
  test.each([
    ['a column, unknown last', { by: 0, change: false, down: true }, [0, 2, 1, 3]],
    ['upwards, unknown last too', { by: 0, change: false, down: false }, [1, 2, 0, 3]],
    ['its change', { by: 0, change: true, down: true }, [0, 2, 1, 3]],
    ['agreement', { by: 'agreement', change: false, down: true }, [2, 0, 3, 1]],
    ['code', { by: 'code', change: false, down: true }, [3, 2, 1, 0]],
  ] as const)('puts rows in order by %s', (_, order, rows) => {
    expect(ordered(board, [0, 1, 2, 3], order)).toEqual(rows)
  })
  it('lets one giant flatten nothing', () => {
    const values = Array.from({ length: 100 }, (_, n) => n)
    const place = scaleOf(cells([...values, 1e9], { before: [...values, 1e9] }))
    expect(place(50)).toBeGreaterThan(0.45)
    expect(place(1e9)).toBe(1)
    expect(place(null)).toBeUndefined()
    expect(scaleOf(cells([5, 5], { before: [5, 5] }))(5)).toBe(0.5)
  })
  it('says a cell in words', () => {
    const limits = {
      below: 0,
      above: 0,
      far_below: null,
      far_above: null,
      digits: null,
      width: null,
    }
    const column = { formula: 'x', label: '', bars: '1d', back: 6, ...limits }
    const figure = (v: number) => v.toFixed(digitsOf(board.columns[0]!))
    const words = '-1, below, 6 bars ago 4, turned 3 bars ago'
    expect(told(board.columns[0]!, 1, column, figure)).toBe(words)
    expect(told(board.columns[0]!, 3, column, figure)).toBe('not known')
    expect(digitsOf(cells([0.5, 120.25]))).toBe(1)
    const parts = { parts: ['close > 5', '− close < 4'], held: ['10', '1?'], held_before: ['11', '10'] } // prettier-ignore
    const counts = cells([1, 1], { before: [0, 0], ...parts })
    expect(told(counts, 0, column, figure).split('\n').slice(1)).toEqual([
      'close > 5: yes',
      '− close < 4: no, yes 6 bars ago',
    ])
    expect(told(counts, 1, column, figure)).toContain('− close < 4: not known, no 6 bars ago')
  })
})
