import type { Schemas } from '@/shared/api'

/** How signals are traded. */
export type Rules = Schemas['TradeRules']

export const PLAIN: Rules = {
  entry: { kind: 'next_open', ticks: 0, price: '', short_price: '', expires: 1 },
  stop: null,
  targets: [],
  exit: '',
  short_exit: '',
  bars: 0,
  against: 0,
  session_end: false,
  one: true,
  additions: 0,
  a_day: 0,
  costs: { ticks: 0, basis_points: 0, slippage_ticks: 0 },
}

/** Rules as they stand in the address; nothing where none do, or what stands there is none. */
export function readRules(text: unknown): Rules | null {
  if (typeof text !== 'string' || !text) return null
  try {
    const found = JSON.parse(text) as Partial<Rules>
    return {
      ...PLAIN,
      ...found,
      entry: { ...PLAIN.entry, ...found.entry },
      costs: { ...PLAIN.costs, ...found.costs },
    }
  } catch {
    return null
  }
}

/** Rules for the address: what is as it plainly is goes without saying. */
export function writtenRules(rules: Rules): string {
  const differs = (value: object, plain: object) =>
    Object.fromEntries(
      Object.entries(value).filter(
        ([name, own]) =>
          JSON.stringify(own) !== JSON.stringify((plain as Record<string, unknown>)[name]),
      ),
    )
  const own = differs(rules, PLAIN) as Partial<Record<keyof Rules, unknown>>
  if (own.entry) own.entry = differs(rules.entry, PLAIN.entry)
  if (own.costs) own.costs = differs(rules.costs, PLAIN.costs)
  return JSON.stringify(own)
}

/** What can be added to rules, by what it is called, with how it begins. */
export const CLAUSES: {
  name: string
  has: (rules: Rules) => boolean
  begins: (rules: Rules) => Partial<Rules>
}[] = [
  {
    name: 'a stop',
    has: (own) => own.stop !== null,
    begins: () => ({ stop: { price: 'low - 0.15 * atr(15)', short_price: '', trail: false } }),
  },
  {
    name: 'a target in R',
    has: (own) => own.targets.length >= 8 || !own.stop || shared(own) >= 1,
    begins: (own) => ({
      targets: [...own.targets, { r: 1.6, price: '', short_price: '', share: rest(own) }],
    }),
  },
  {
    name: 'a target at a price',
    has: (own) => own.targets.length >= 8 || shared(own) >= 1,
    begins: (own) => ({
      targets: [
        ...own.targets,
        { r: null, price: 'close + 2.5 * atr(15)', short_price: '', share: rest(own) },
      ],
    }),
  },
  {
    name: 'out on a condition',
    has: (own) => Boolean(own.exit),
    begins: () => ({ exit: 'close < ema(close, 27)' }),
  },
  { name: 'out after bars', has: (own) => own.bars > 0, begins: () => ({ bars: 12 }) },
  {
    name: 'out after closes against',
    has: (own) => own.against > 0,
    begins: () => ({ against: 3 }),
  },
  {
    name: 'out at the end of the session',
    has: (own) => own.session_end,
    begins: () => ({ session_end: true }),
  },
  {
    name: 'additions on later signals',
    has: (own) => own.additions > 0,
    begins: () => ({ one: true, additions: 1 }),
  },
  {
    name: 'every signal a trade of its own',
    has: (own) => !own.one,
    begins: () => ({ one: false, additions: 0 }),
  },
  { name: 'at most some a day', has: (own) => own.a_day > 0, begins: () => ({ a_day: 1 }) },
]

const shared = (rules: Rules) => rules.targets.reduce((sum, own) => sum + own.share, 0)
const rest = (rules: Rules) => Math.max(0.01, Math.min(0.5, 1 - shared(rules)))
