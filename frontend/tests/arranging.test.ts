import { describe, expect, it, test } from 'vitest'
import { filterRead, filterTold, orderRead, orderTold } from '@/features/background/board'
import { packed, shaped, unpacked } from '@/shared/arranging'

const LIKE = { universe: '', columns: [{ formula: 'close', back: 5, far: null }], forming: false }

describe('an arrangement in an address', () => {
  it('comes back as it was, whatever signs it holds', () => {
    const own = { universe: 'Täler ≥ 5 "&?/+', columns: [{ formula: 'x', back: 2, far: -1.5 }] }
    const text = packed({ ...own, forming: true })
    expect(text).toMatch(/^[\w-]+$/)
    expect(unpacked(text, LIKE)).toEqual({ ...own, forming: true })
  })
  test.each([
    ['nothing', undefined],
    ['no base64', 'a'],
    ['no JSON', packed('x').slice(0, -2)],
  ])('of %s is none', (_, text) => expect(unpacked(text, LIKE)).toBeUndefined())
  it('of another shape is mended by one that is known', () => {
    const odd = { universe: 3, columns: [{ formula: 7, far: {} }, 'x'], more: 1 }
    const column = { formula: 'close', back: 5, far: null }
    expect(unpacked(packed(odd), LIKE)).toEqual({ ...LIKE, columns: [column, column] })
    expect(shaped(LIKE, { columns: 'many' })).toEqual(LIKE)
    expect(shaped(LIKE, null)).toEqual(LIKE)
  })
  it('tells which rows of a board are shown, and their order', () => {
    const filter = { kind: 'turned', column: 2, within: 4, with: 0 } as const
    const order = { by: 3, change: true, down: false }
    expect(filterRead(filterTold(filter))).toEqual(filter)
    expect(orderRead(orderTold(order))).toEqual(order)
    expect(filterTold(filterRead('sold,1,2,3'))).toBeUndefined()
    expect(filterTold(filterRead('turned,1,x,3'))).toBeUndefined()
    expect(orderTold(orderRead('-1'))).toBeUndefined()
  })
})
