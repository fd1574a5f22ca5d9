<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import ChartView from '@/parts/chart/ChartView.vue'
import { useDress } from '@/parts/chart/dress'
import { useGrowing } from '@/parts/chart/growing'
import type { Sieve } from '@/shared/api'
import { useServer } from '@/shared/moment'
import { useRead, useReadAhead } from '@/shared/read'
import { hitLook, olderBars } from './hitLook'

/** The chart of a hit as its run saw it, with what else is drawn beside the sieve's numbers. */
const props = defineProps<{
  /** The number of the hit, and the instrument. */
  hit: number
  /** The moment that the run looked from. */
  asOf: string
  sieve: Sieve
  code: string
  /** Hits that are likely next: they are read ahead, so that each is drawn at once. */
  near: readonly number[]
}>()
const readAhead = useReadAhead()
const server = useServer()
const dressing = useDress('hits')
const { layout, dress } = dressing
// While numbers are turned the chart stays; another hit is never shown the one before.
const chartOfHit = (hit: number) => hitLook(hit, dress.value, (last) => last.code === props.code)
const newest = useRead(() => chartOfHit(props.hit))
const source = {
  ...newest,
  ...useGrowing(newest.data, (of, before) => olderBars(server, of, before)),
}
watch(
  () => [newest.data.value, props.near] as const,
  ([drawn, near]) => {
    if (drawn) for (const hit of near) readAhead(chartOfHit(hit))
  },
)
const view = ref<InstanceType<typeof ChartView>>()
defineExpose({
  drawn: computed(() => view.value?.drawn),
  leave: () => view.value?.leave() ?? false,
})
</script>

<template>
  <ChartView
    ref="view"
    :of="source"
    :subject="String(hit)"
    :layout="layout"
    :dressing="dressing"
    :bars="sieve.timeframes[0]!"
    :universe="sieve.universe"
    :as-of="asOf"
    :asks="false"
    alone
  />
</template>
