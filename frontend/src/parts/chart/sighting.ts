import { ref, shallowRef, toValue, watch, type MaybeRefOrGetter, type Ref } from 'vue'
import type { Chart } from '@/shared/api'
import { barsOf, type Range } from './look'
import type { Scale, Sight } from './looks'

export const MOST = 12_000
const FEWEST = 20

/**
 * What of a chart is in sight: `sight` is what keys ask for, `seen` what has come into sight by wheel or
 * drag since. `reach` sees to it that so many bars are there.
 */
export function useSighting(
  chart: Ref<Chart | undefined>,
  scale: MaybeRefOrGetter<Scale>,
  reach: (bars: number) => Promise<void>,
) {
  const sight = shallowRef<Sight>({ shown: 130, back: 0 })
  const seen = ref(sight.value)
  function see(to: Sight) {
    const most = Math.min(MOST, chart.value?.times.length ?? MOST)
    const shown = Math.round(Math.max(FEWEST, Math.min(most, to.shown)))
    const back = Math.round(Math.max(0, Math.min(most - shown, to.back)))
    seen.value = sight.value = { shown, back }
    void reach(to.shown === Infinity ? MOST : shown + back)
  }
  let settle = 0
  function came(into: Sight) {
    seen.value = into
    window.clearTimeout(settle)
    // What is told from the first bar in sight is told anew once that has come to rest.
    if (toValue(scale) === 'percent') {
      settle = window.setTimeout(() => (sight.value = seen.value), 150)
    }
    void reach(into.shown + into.back)
  }
  watch(chart, () => (sight.value = seen.value), { flush: 'sync' })
  const zoom = (by: number) => see({ ...seen.value, shown: seen.value.shown * by })
  const pan = (by: number) => see({ ...seen.value, back: seen.value.back + by * seen.value.shown })
  const newest = () => see({ ...seen.value, back: 0 })
  async function range(wanted: Range) {
    const times = () => chart.value?.times ?? []
    for (let n = 0; n < 4; n++) {
      const count = barsOf(wanted, times())
      see({ shown: count, back: 0 })
      if (count !== Infinity || !chart.value?.earlier || times().length >= MOST) break
      await reach(MOST)
    }
    see({ shown: Math.min(barsOf(wanted, times()), MOST), back: 0 })
  }
  /** To the bars around a moment, as far back as it takes. */
  async function showAt(time: number) {
    for (let n = 0; n < 8; n++) {
      const times = chart.value?.times ?? []
      if (!chart.value?.earlier || times[0]! <= time || times.length >= MOST) break
      await reach(times.length)
    }
    const times = chart.value?.times ?? []
    const place = times.findIndex((opened) => opened >= time)
    const middle = (place < 0 ? times.length : place) + Math.round(seen.value.shown / 2)
    see({ ...seen.value, back: times.length - middle })
  }
  /** Something else is looked at: its newest bars, as many as before. */
  const anew = () => (seen.value = sight.value = { ...seen.value, back: 0 })
  /** What has come into sight is what is asked for from now on. */
  const settled = () => (sight.value = seen.value)
  return { sight, came, zoom, pan, newest, range, showAt, anew, settled }
}
