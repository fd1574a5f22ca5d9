<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import ChartSheet from '@/features/chart/ChartSheet.vue'
import { useDress } from '@/features/chart/dress'
import DressShop from '@/features/chart/DressShop.vue'
import { arranged } from '@/features/chart/layout'
import Suggest from '@/features/suggest/Suggest.vue'
import { usePointed } from '@/features/suggest/usePointed'
import { chartOf, type Chart, type Sieve } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { useKeys } from '@/shared/keys'

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
const FEWEST = 40
const MOST = 420
const client = useQueryClient()
const dressing = useDress('hits')
const { layout, scale, drawing, dress, open, turn } = dressing
const query = (hit: number) => ({
  queryKey: ['chart', 'hit', hit, dress.value],
  staleTime: 300_000,
  shallow: true,
  queryFn: () => chartOf(hit, dress.value),
})
const chart = useQuery(
  computed(() => ({
    ...query(props.hit),
    // While numbers are turned the chart stays; another hit is never shown the one before.
    placeholderData: (last?: Chart) => (last?.code === props.code ? last : undefined),
  })),
)
watch(
  () => [chart.data.value, props.near] as const,
  ([drawn, near]) => {
    if (drawn) for (const hit of near) void client.prefetchQuery(query(hit))
  },
)
const drawn = computed(() => chart.data.value && arranged(chart.data.value, layout.value))
const sheet = ref<InstanceType<typeof ChartSheet>>()
const shown = ref(130)
const zoom = (by: number) =>
  (shown.value = Math.max(FEWEST, Math.min(MOST, Math.round(shown.value * by))))
const { pointed, point, leave: leavePointed, values } = usePointed(drawn, () => props.asOf)
/** Ends what is done on the chart; false where there is nothing. */
function leave(): boolean {
  if (leavePointed()) return true
  if (!sheet.value?.measuring) return false
  sheet.value.endMeasure()
  return true
}
defineExpose({ drawn, leave })
const step = (by: number) => sheet.value?.stepCursor(by)
useKeys([
  { key: '+', does: 'fewer bars', repeats: true, run: () => zoom(0.7) },
  { key: '-', does: 'more bars', repeats: true, run: () => zoom(1 / 0.7) },
  { key: ',', does: 'cursor to the bar before', repeats: true, run: () => step(-1) },
  { key: '.', does: 'cursor to the next bar', repeats: true, run: () => step(1) },
  { key: 'l', does: 'what else is drawn, and how', run: turn },
  { key: 'o', does: 'conditions for what is here', run: () => sheet.value?.askHere() },
  { key: 'e', does: 'measure from here, to here, end', run: () => sheet.value?.measureHere() },
])
</script>

<template>
  <div class="chart">
    <ErrorNote
      v-if="chart.isError.value"
      :error="chart.error.value"
      what="The chart can't be drawn"
      @retry="chart.refetch()"
    />
    <ChartSheet
      v-else-if="drawn"
      ref="sheet"
      :chart="drawn"
      :shown="shown"
      :scale="scale"
      :drawing="drawing"
      :layout="layout"
      @ask="point"
    />
    <p v-else class="quiet">drawing…</p>
    <Suggest
      v-if="pointed"
      :pointed="pointed"
      :values="values"
      :universe="sieve.universe"
      @point="(text, label) => point({ text, label }, pointed!.at, pointed!.since)"
      @close="leave"
    />
    <DressShop
      v-if="open"
      :of="dressing"
      :chart="drawn"
      :bars="sieve.timeframes[0]!"
      :universe="sieve.universe"
    />
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  display: flex;
  flex: 1;
  min-height: 0;
}
.chart > :first-child {
  flex: 1;
  min-width: 0;
}
@media (max-width: 900px) {
  .chart {
    height: 420px;
  }
}
</style>
