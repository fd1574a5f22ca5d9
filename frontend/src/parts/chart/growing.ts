import { replaceEqualDeep } from '@tanstack/vue-query'
import { computed, shallowRef, watch, type Ref } from 'vue'
import type { Chart } from '@/shared/api'

/** So many older bars are fetched at once. */
export const MORE = 2_000
/** So many bars before the window older ones are fetched. */
const AHEAD = 200

/** Where the bars of a chart come from: an instrument, a hit, a draft on an instrument, a formula. */
export interface Source {
  data: Ref<Chart | undefined>
  /** See to it that so many bars before the newest are there, and some ahead. */
  reach: (bars: number) => Promise<void>
  error: Ref<unknown>
  again: () => unknown
}

/** Notes what each chart was asked for as: one is still shown while the next is on its way. */
export function noting<Asked extends object>() {
  const noted = new WeakMap<Chart, Asked>()
  return {
    /** For a question: its reply is of what was asked. */
    sharing: (asked: Asked) => (before: unknown, now: unknown) => {
      const kept = replaceEqualDeep(before, now) as Chart
      noted.set(kept, asked)
      return kept
    },
    of: (chart: Chart) => noted.get(chart)!,
  }
}

/**
 * A chart that grows towards the past as one looks there: the newest bars, and those that `older` gives of
 * before a moment, for the chart that the newest are of.
 */
export function useGrowing(
  newest: Ref<Chart | undefined>,
  older: (of: Chart, before: number) => Promise<Chart>,
) {
  const earlier = shallowRef<Chart>()
  watch(newest, () => (earlier.value = undefined), { flush: 'sync' })
  const chart = computed(() => {
    const now = newest.value
    return now && earlier.value ? joined(earlier.value, now) : now
  })
  let fetching: Promise<void> | undefined
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
    const asked = newest.value!
    const found = await older(asked, whole.times[0]!).catch(() => undefined)
    fetching = undefined
    if (!found?.times.length || newest.value !== asked) return
    earlier.value = earlier.value ? joined(found, earlier.value) : found
  }
  return { data: chart, reach }
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
