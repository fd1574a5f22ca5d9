import type { RouteLocationRaw } from 'vue-router'
import { useKept } from '@/shared/store'

/** The sieve that was worked on last: what is measured on a chart goes there, if nothing else is said. */
export const lastSieve = useKept<string>('last sieve', 'new')

/** Where a condition is taken that was read on bars of a chart. */
export const taken = (
  sieve: string,
  formula: string,
  { bars, code, forming }: { bars: string; code: string; forming?: boolean },
  universe: string,
): RouteLocationRaw => ({
  path: `/sieves/${sieve}`,
  query: { add: formula, bars, code, universe, forming: forming ? 'yes' : undefined },
})

/** A condition as a sieve on other bars has it. */
export const onBars = (formula: string, bars: string, own: string) =>
  bars === own ? formula : `(${formula}) on ${bars}`

const UNITS: Record<string, number> = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800, mo: 2_629_800 }
/** About how long a bar takes, for those of the clock. */
function length(bars: string): number | undefined {
  const [, count, unit] = /^(\d+)([a-z]+)$/.exec(bars) ?? []
  return unit && UNITS[unit] ? Number(count) * UNITS[unit] : undefined
}

/** Measures on one chart: it has the bars of the fastest, the others keep their own. */
export function together(measures: readonly { formula: string; bars: string }[]) {
  const [first, ...others] = measures.map((own) => own.bars)
  const bars = others.reduce(
    (fastest, own) => ((length(own) ?? Infinity) < (length(fastest) ?? 0) ? own : fastest),
    first ?? '1d',
  )
  return { bars, lines: [...new Set(measures.map((own) => onBars(own.formula, own.bars, bars)))] }
}
