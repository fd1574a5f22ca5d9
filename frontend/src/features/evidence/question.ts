import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Schemas } from '@/shared/api'
import { wholeWithin } from '@/shared/format'
import { readRules, writtenRules, type Rules } from './rules'

type Settings = Schemas['EvidenceSettings']
const COUNTED = ['began', 'every', 'apart'] as const
const STARTS = ['next_open', 'close'] as const
/** The horizons that are told beside the one that is looked at. */
const BESIDE = ['5', '10', 'session', '3 sessions']
const oneOf = <T extends string>(all: readonly T[], text: unknown): T =>
  all.find((own) => own === text) ?? all[0]!

/** What is asked about the signals of a sieve, as it stands in the address; changed there. */
export function useEvidenceQuestion() {
  const route = useRoute()
  const router = useRouter()
  const counted = computed(() => oneOf(COUNTED, route.query.counted))
  const starts = computed(() => oneOf(STARTS, route.query.from))
  const apart = computed(() => wholeWithin(String(route.query.apart ?? ''), 1, 10_000) ?? 5)
  const horizon = computed(() => String(route.query.ahead ?? '10'))
  const later = computed(() =>
    horizon.value === 'session' ? 'session' : horizon.value.includes(' ') ? 'sessions' : 'bars',
  )
  const many = computed(() => parseInt(horizon.value, 10) || 3)
  const rules = computed(() => readRules(route.query.trade))
  const settings = computed<Settings>(() => ({
    counted: counted.value,
    apart: counted.value === 'apart' ? apart.value : 0,
    from: starts.value,
    horizons: [...new Set([horizon.value, ...BESIDE])],
    format: 'zealous-sieve/evidence/1',
    seed: 11,
    resamples: 2000,
    trade: rules.value,
  }))
  const change = (query: Record<string, string | undefined>) =>
    void router.replace({ query: { ...route.query, ...query } })
  function lookAhead(kind: string, count: number) {
    const text = { bars: `${count}`, session: 'session', sessions: `${count} sessions` }[kind]
    change({ ahead: text ?? '10' })
  }
  function setMany(text: string) {
    const count = wholeWithin(text, 1, 10_000)
    if (count) lookAhead(later.value, count)
  }
  function setApart(text: string) {
    const count = wholeWithin(text, 1, 10_000)
    if (count) change({ apart: String(count) })
  }
  const trade = (to: Rules | null) => change({ trade: to ? writtenRules(to) : undefined })
  return {
    counted,
    starts,
    apart,
    later,
    many,
    rules,
    settings,
    change,
    lookAhead,
    setMany,
    setApart,
    trade,
  }
}
