<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import ChartSheet from '@/parts/chart/ChartSheet.vue'
import { useDress } from '@/parts/chart/dress'
import DressShop from '@/parts/chart/DressShop.vue'
import { arranged } from '@/parts/chart/layout'
import Suggest from '@/parts/suggest/Suggest.vue'
import { usePointed } from '@/parts/suggest/usePointed'
import { chartOf, type Chart, type Sieve } from '@/shared/api'
import { useKeys } from '@/shared/keys'
import { keys } from '@/shared/questions'
import { useRead, useReadAhead, type Question } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

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
const readAhead = useReadAhead()
const dressing = useDress('hits')
const { layout, scale, drawing, dress, open, turn } = dressing
function chartOfHit(hit: number): Question<Chart> {
  const own = dress.value
  return {
    of: keys.hitChart(hit, own),
    staleTime: 300_000,
    shallow: true,
    // While numbers are turned the chart stays; another hit is never shown the one before.
    keeps: (last) => last.code === props.code,
    read: (server) => chartOf(server, hit, own),
  }
}
const chart = useRead(() => chartOfHit(props.hit))
watch(
  () => [chart.data.value, props.near] as const,
  ([drawn, near]) => {
    if (drawn) for (const hit of near) readAhead(chartOfHit(hit))
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
    <Reply :of="chart" alone what="The chart can't be drawn" reading="drawing…"
      ><ChartSheet
        v-if="drawn"
        ref="sheet"
        :chart="drawn"
        :shown="shown"
        :scale="scale"
        :drawing="drawing"
        :layout="layout"
        @ask="point"
      />
    </Reply>
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
