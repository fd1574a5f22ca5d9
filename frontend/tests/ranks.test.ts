import { describe, expect, it } from 'vitest'
import { orders, risen } from '@/parts/drawings/ranks'

describe('ranks', () => {
  const rows = [
    { name: 'A', values: [3, -1, null] },
    { name: 'B', values: [1, 5, 2] },
    { name: 'C', values: [1, null, 9] },
  ]
  const ranked = orders(rows, 3)
  it('put the largest first, equal ones as they came, and what is not known nowhere', () =>
    expect(ranked).toEqual([[0, 1, 2], [1, 0], [2, 1]])) // prettier-ignore
  it('tell how far a row rose from the first to the last', () => {
    expect([0, 1, 2].map((row) => risen(row, ranked))).toEqual([-1, 0, 2])
    expect(risen(0, orders([{ name: 'A', values: [null, 1] }], 2))).toBeUndefined()
  })
})
