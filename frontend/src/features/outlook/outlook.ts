import type { Schemas } from '@/shared/api'
import { same } from '@/shared/same'
import { beginning, UNTOLD } from '@/shared/beginning'

export type Draft = Schemas['OutlookBody']
export type Seen = Schemas['SeenOutlook']
export type LeanRecord = Schemas['LeanRecord']

export const LEANS = [2, 1, 0, -1, -2] as const
const WORDS: Record<number, string> = {
  2: 'far up',
  1: 'up',
  0: 'to neither side',
  [-1]: 'down',
  [-2]: 'far down',
}
/** A lean as it is written: its sign, and in words. */
export const leanTold = (lean: number) =>
  `${lean > 0 ? '+' : lean < 0 ? '−' : ''}${Math.abs(lean)} ${WORDS[lean] ?? ''}`

/** What usually settles a lean; it can be changed like any other condition. */
export const USUAL: Record<number, string> = {
  2: 'close > start by 1.2%',
  1: 'close > start by 0.5%',
  0: 'close within 0.5% of start',
  [-1]: 'close < start by 0.5%',
  [-2]: 'close < start by 1.2%',
}

export const fresh = (here = beginning.value): Draft => ({
  code: here.instrument,
  lean: 1,
  note: '',
  reasons: [
    { bars: '1d', formula: 'supertrend(12, 2.7).direction == 1' },
    { bars: '1d', formula: 'close > sma(close, 45)' },
  ],
  settles: {
    formula: USUAL[1]!,
    bars: here.bars,
    horizon: here.bars === '1d' ? 20 : 60,
    when: 'comes',
  },
  universe: here.universe,
})

/** A draft without an instrument begins where this desk does, but for what was written in it. */
export function begunHere(draft: Draft): Draft {
  if (draft.code) return draft
  const untold = fresh(UNTOLD)
  const here = fresh()
  const filled = <Part extends object>(own: Part, first: Part, now: Part) =>
    Object.fromEntries(
      Object.entries({ ...now, ...own }).map(([name, value]) => [
        name,
        same(value, first[name as keyof Part]) ? now[name as keyof Part] : value,
      ]),
    ) as Part
  const settles = filled(draft.settles, untold.settles, here.settles)
  return { ...filled(draft, untold, here), settles }
}

/** Another lean is settled by what usually settles it, unless that was written otherwise. */
export function leaning(draft: Draft, lean: number): Draft {
  const own = draft.settles.formula === USUAL[draft.lean]
  const settles = own
    ? { ...draft.settles, formula: USUAL[lean]!, when: lean ? 'comes' : 'at the end' }
    : draft.settles
  return { ...draft, lean, settles: settles as Draft['settles'] }
}

const percent = (part: number, of: number) => `${Math.round((100 * part) / of)} %`
/** How often a lean was right beside how often the market did so anyway, in words. */
export function recordTold(own: LeanRecord): string {
  if (!own.settled) return 'none settled yet'
  const right = `${own.right} of ${own.settled} right, ${percent(own.right, own.settled)}`
  const { came, of } = own.anyway
  return of ? `${right}; the market did so ${percent(came, of)} of the time anyway` : right
}

/** How an outlook came out, in words. */
export function outcome(seen: Seen, told: (seconds: number) => string): string {
  const own = seen.settlement
  if (!own) return `open, ${seen.left} bars of ${seen.outlook.settles.bars} left`
  const words = own.right == null ? 'can’t be told' : own.right ? 'right' : 'wrong'
  return `${words} on bar ${own.bar}, ${told(own.at)}`
}

/** A draft as an address begins it: of an instrument, resting on conditions written as `1d close > open`. */
export function begun(draft: Draft, code: unknown, reasons: unknown): Draft {
  if (typeof code !== 'string' || !code) return draft
  const found = [reasons ?? []].flat().flatMap((text) => {
    const [, bars, formula] = /^(\S+) (.+)$/s.exec(String(text)) ?? []
    return bars && formula ? [{ bars, formula }] : []
  })
  return { ...draft, code, reasons: found.length ? found : draft.reasons }
}
