import { describe, expect, it } from 'vitest'
import { amount } from '@/shared/amount'

describe('an amount', () => {
  it.each([
    ['5m', 5e6],
    ['5 million', 5e6],
    ['5 M', 5e6],
    ['1.2bn', 1.2e9],
    ['1,2 bn', 1.2e9],
    ['1.2 billion', 1.2e9],
    ['250k', 250_000],
    ['5,000,000', 5e6],
    ['5 000 000', 5e6],
    ['1,250.5', 1250.5],
    ['1,200', 1200],
    ['0,125', 0.125],
    ['1,5', 1.5],
    ['.5', 0.5],
    ['-3', -3],
    ['−3.25', -3.25],
    ['1.005k', 1005],
  ])('%s is %d', (text, value) => expect(amount(text)).toBe(value))

  it.each(['', 'm', '5 lots', '1,2,3', '5..', '1 2', '12,34,567', 'five', '5m5', '1e400', '5%'])(
    '%s is none',
    (text) => expect(amount(text)).toBeUndefined(),
  )
})
