import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import type { Chart } from '@/shared/api'
import { capital, type Meant } from '@/parts/chart/measure'
import type { Pointed } from './Suggest.vue'

/** What is pointed at on a chart, until another one is looked at. */
export function usePointed(chart: Ref<Chart | undefined>, asOf?: () => string | undefined) {
  const pointed = shallowRef<Pointed>()
  const away = ref<HTMLElement | null>(null)
  function point(of: Meant, at: number, since?: number) {
    const own = chart.value
    if (!own) return
    if (!pointed.value) away.value = document.activeElement as HTMLElement | null
    const { code, bars, forming } = own
    pointed.value = { code, bars, at, since, forming, asOf: asOf?.(), ...of }
  }
  /** The focus goes back to where it came from. */
  function leave(): boolean {
    if (!pointed.value) return false
    pointed.value = undefined
    away.value?.focus()
    return true
  }
  watch([() => chart.value?.code, () => chart.value?.bars], () => (pointed.value = undefined))
  /** All that has a value at the bar. */
  const values = computed(() => [
    ...['close', 'high', 'low', 'open', 'volume'].map((text) => ({
      text,
      label: capital(text),
    })),
    ...(chart.value?.lines ?? []).map(({ text, label }) => ({ text, label })),
  ])
  return { pointed, point, leave, values }
}
