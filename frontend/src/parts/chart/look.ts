import { replaceEqualDeep } from '@tanstack/vue-query'
import { computed, shallowRef, toValue, watch, type MaybeRefOrGetter } from 'vue'
import { answer, type Chart, type Dress, type Server } from '@/shared/api'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useRead, type Question } from '@/shared/read'

const FIRST = 600
const MORE = 2_000
/** So many bars before the window older ones are fetched. */
const AHEAD = 200

export interface Look {
  code: string
  bars: string
  /** Within which instruments are compared; without one among all. */
  universe?: string
  /** Slower bars count as they form, or once they have closed. */
  forming?: boolean
  dress: Dress
}

/** What charts were asked for as: one is still shown while the next is on its way. */
const looks = new WeakMap<Chart, Look>()

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
  structuralSharing: (before: unknown, now: unknown) => {
    const kept = replaceEqualDeep(before, now) as Chart
    looks.set(kept, look)
    return kept
  },
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
  const older = shallowRef<Chart>()
  watch(newest.data, () => (older.value = undefined))
  const chart = computed(() => {
    const now = newest.data.value
    return now && older.value ? joined(older.value, now) : now
  })
  let fetching: Promise<void> | undefined
  /** See to it that so many bars before the newest are there, and some ahead. */
  async function reach(bars: number): Promise<void> {
    if (fetching) {
      await fetching
      return reach(bars)
    }
    const whole = chart.value
    if (!whole?.earlier || whole.times.length >= bars + AHEAD) return
    fetching = fetch(whole)
    await fetching
    if (chart.value && chart.value !== whole) await reach(bars)
  }
  /** Older bars than those of a chart; one that is no longer looked at, or a failure, changes nothing. */
  async function fetch(whole: Chart) {
    const asked = newest.data.value!
    const found = await chartOf(server, looks.get(asked)!, MORE, whole.times[0]!).catch(
      () => undefined,
    )
    fetching = undefined
    if (!found?.times.length || newest.data.value !== asked) return
    older.value = older.value ? joined(found, older.value) : found
  }
  return { ...newest, data: chart, reach, waiting: newest.isFetching }
}

/** Two stretches of one chart, the earlier first. */
export function joined(before: Chart, after: Chart): Chart {
  const shift = before.times.length
  const moved = <T extends { at: number }>(marks: readonly T[]) =>
    marks.map((mark) => ({ ...mark, at: mark.at + shift }))
  const known = before.lines.length === after.lines.length
  return {
    ...after,
    earlier: before.earlier,
    times: [...before.times, ...after.times],
    open: [...before.open, ...after.open],
    high: [...before.high, ...after.high],
    low: [...before.low, ...after.low],
    close: [...before.close, ...after.close],
    volume: [...before.volume, ...after.volume],
    lines: after.lines.map((line, n) => ({
      ...line,
      values: [...(known ? before.lines[n]!.values : before.times.map(() => null)), ...line.values],
    })),
    states: columns(before.states, after.states, before.times.length),
    strip: columns(before.strip, after.strip, before.times.length),
    gaps: [...before.gaps, ...moved(after.gaps)],
    events: [...before.events, ...moved(after.events)],
    doubts: [...before.doubts, ...moved(after.doubts)],
    ranges: [...before.ranges, ...after.ranges],
    smoothed:
      before.smoothed && after.smoothed
        ? {
            open: [...before.smoothed.open, ...after.smoothed.open],
            high: [...before.smoothed.high, ...after.smoothed.high],
            low: [...before.smoothed.low, ...after.smoothed.low],
            close: [...before.smoothed.close, ...after.smoothed.close],
          }
        : null,
    days: [...before.days, ...after.days.map((at) => at + shift)],
  }
}

/** Columns of two stretches by their texts; unknown where one has none. */
function columns<T extends { text: string; values: (number | null)[] }>(
  before: readonly T[],
  after: readonly T[],
  bars: number,
): T[] {
  return after.map((own) => {
    const earlier = before.find((other) => other.text === own.text)?.values
    return { ...own, values: [...(earlier ?? Array<null>(bars).fill(null)), ...own.values] }
  })
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
