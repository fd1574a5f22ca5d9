<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import ChartView from '@/parts/chart/ChartView.vue'
import { useDress } from '@/parts/chart/dress'
import { noting, useGrowing } from '@/parts/chart/growing'
import { chartOf, type Chart, type Dress, type Sieve } from '@/shared/api'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useRead, useReadAhead, type Question } from '@/shared/read'

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
const hits = noting<{ hit: number; dress: Dress }>()
function chartOfHit(hit: number): Question<Chart> {
  const asked = { hit, dress: dress.value }
  return {
    of: keys.hitChart(hit, asked.dress),
    staleTime: 300_000,
    shallow: true,
    structuralSharing: hits.sharing(asked),
    // While numbers are turned the chart stays; another hit is never shown the one before.
    keeps: (last) => last.code === props.code,
    read: (server) => chartOf(server, hit, asked.dress),
  }
}
const newest = useRead(() => chartOfHit(props.hit))
const source = {
  ...newest,
  ...useGrowing(newest.data, (of, before) => {
    const asked = hits.of(of)
    return chartOf(server, asked.hit, asked.dress, before)
  }),
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
