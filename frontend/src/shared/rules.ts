import type { Rule } from './api'

/** The rule that all instruments fit. */
export const NO_RULE: Rule = {
  codes: [],
  parts: [],
  joined: 'any of',
  kind: null,
  where: {},
  formula: '',
  least_turnover: null,
  sound: false,
  largest: null,
  by: 'market_cap',
}
