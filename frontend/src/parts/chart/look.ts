import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import { answer, type Chart, type Dress, type Server } from '@/shared/api'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useRead, type Question } from '@/shared/read'
import { MORE, noting, useGrowing } from './growing'

const FIRST = 600

export interface Look {
  code: string
  bars: string
  /** Within which instruments are compared; without one among all. */
  universe?: string
  /** Slower bars count as they form, or once they have closed. */
  forming?: boolean
  dress: Dress
}

const looks = noting<Look>()

const chartOf = (
  server: Server,
  look: Look,
  count: number,
  before: number | null,
  signal?: AbortSignal,
) =>
  answer(
    server.POST('/api/instruments/{code}/chart', {
      params: { path: { code: look.code } },
      body: {
        ...look.dress,
        bars: look.bars,
        count,
        before,
        universe: look.universe ?? '',
        forming: look.forming ?? false,
      },
      signal,
    }),
  )

export const lookAt = (look: Look): Question<Chart> => ({
  of: keys.look(look.code, look.bars, look.universe, look.forming, look.dress),
  staleTime: 60_000,
  structuralSharing: looks.sharing(look),
  enabled: look.code !== '',
  shallow: true,
  keeps: true,
  read: (server, signal) => chartOf(server, look, FIRST, null, signal),
})

/** The chart of an instrument, which grows towards the past as one looks there. */
export function useLook(wanted: MaybeRefOrGetter<Look>) {
  const server = useServer()
  const look = computed(() => toValue(wanted))
  const newest = useRead(() => lookAt(look.value))
  const growing = useGrowing(newest.data, (of, before) =>
    chartOf(server, looks.of(of), MORE, before),
  )
  return { ...newest, ...growing, waiting: newest.isFetching }
}

const SPANS = { day: 1, week: 7, month: 31, quarter: 92, year: 366 } as const
export type Range = keyof typeof SPANS | 'all'

/** How many of the newest bars a range shows; more than there are where it reaches beyond the first. */
export function barsOf(range: Range, times: readonly number[]): number {
  if (range === 'all') return Infinity
  const since = (times.at(-1) ?? 0) - SPANS[range] * 86_400
  const first = times.findIndex((time) => time > since)
  return first <= 0 ? Infinity : Math.max(20, times.length - first)
}

/** Where in the address a finding of the data check is looked at: on days, or on minutes within one. */
export const found = (finding: { first: number }) => ({
  bars: finding.first % 86_400 ? '1m' : '1d',
  at: String(finding.first),
})
