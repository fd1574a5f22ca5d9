import { describe, expect, it } from 'vitest'
import {
  begun,
  fresh,
  leaning,
  leanTold,
  outcome,
  recordTold,
  USUAL,
} from '@/features/outlook/outlook'
import type { Seen } from '@/features/outlook/outlook'

describe('an outlook', () => {
  it('of another lean is settled by what usually settles it, or as was written', () => {
    const flat = leaning(fresh(), 0)
    expect([flat.settles.formula, flat.settles.when]).toEqual([USUAL[0], 'at the end'])
    expect(leaning(flat, -2).settles.when).toBe('comes')
    const own = { ...fresh(), settles: { ...fresh().settles, formula: 'close > 5' } }
    expect(leaning(own, -1).settles).toEqual(own.settles)
  })
  it('is begun by an address with what holds, and by no other', () => {
    const own = begun(fresh(), 'GLIMMR', ['1w close > open', 'nonsense', '15m (a and b)'])
    expect(own.code).toBe('GLIMMR')
    expect(own.reasons).toEqual([
      { bars: '1w', formula: 'close > open' },
      { bars: '15m', formula: '(a and b)' },
    ])
    expect(begun(fresh(), 'GLIMMR', '1d x > 1').reasons).toHaveLength(1)
    expect(begun(fresh(), 'GLIMMR', undefined).reasons).toEqual(fresh().reasons)
    const before = fresh()
    expect(begun(before, undefined, ['1d x > 1'])).toBe(before)
  })
  it('is told with its record beside the market', () => {
    expect([2, 0, -1].map(leanTold)).toEqual(['+2 far up', '0 to neither side', '−1 down'])
    const own = { lean: 1, right: 3, settled: 4, anyway: { came: 30, of: 60 } }
    expect(recordTold(own)).toBe('3 of 4 right, 75 %; the market did so 50 % of the time anyway')
    expect(recordTold({ ...own, settled: 0 })).toBe('none settled yet')
    expect(recordTold({ ...own, anyway: { came: 0, of: 0 } })).toBe('3 of 4 right, 75 %')
    const seen = { left: 7, settlement: null, outlook: { settles: { bars: '15m' } } }
    expect(outcome(seen as unknown as Seen, String)).toBe('open, 7 bars of 15m left')
    const wrong = { ...seen, settlement: { right: false, at: 9, bar: 3, close: 1 } }
    expect(outcome(wrong as unknown as Seen, String)).toBe('wrong on bar 3, 9')
  })
})
