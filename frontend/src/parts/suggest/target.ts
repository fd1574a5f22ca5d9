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
