<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, watch } from 'vue'
import ChartPanel from '@/parts/chart/ChartPanel.vue'
import { together } from '@/parts/suggest/target'
import { layersOf, PLAIN, type Layout } from '@/parts/chart/layout'
import type { Scatter, ScatterSet } from './plane'

/** The chart of a point beside the plane, with both measures drawn. */
const props = defineProps<{
  scatter: Scatter
  place: number
  arranged: ScatterSet
  /** The point in words, a line each. */
  told: string
  marked: boolean
}>()
const emit = defineEmits<{ mark: []; close: [] }>()
const code = computed(() => props.scatter.codes[props.place]!)
const layout = ref<Layout>(PLAIN)
const measures = computed(() => together([props.arranged.x, props.arranged.y]))
watch(
  () => measures.value.lines.join('\n'),
  () => (layout.value = { ...layout.value, layers: layersOf(measures.value.lines) }),
  { immediate: true },
)
</script>

<template>
  <aside class="peek" :aria-label="`Chart of ${code}`">
    <p class="who">
      <RouterLink
        class="mono"
        :to="{
          path: instrumentAt(code),
          query: { bars: measures.bars, universe: scatter.universe },
        }"
        >{{ code }}</RouterLink
      >
      {{ told.split('\n').slice(1).join(' · ') }}
      <button class="button plain" @click="emit('mark')">
        {{ marked ? 'marked' : 'mark' }} <kbd>space</kbd>
      </button>
      <button class="button plain" aria-label="Close the chart" @click="emit('close')">×</button>
    </p>
    <ChartPanel
      :code="code"
      :name="scatter.names[place]!"
      :bars="measures.bars"
      :layout="layout"
      :universe="scatter.universe"
      :codes="scatter.codes"
      :full="false"
      :active="false"
      @layout="(part) => (layout = { ...layout, ...part })"
    />
  </aside>
</template>

<style scoped>
.peek {
  display: flex;
  flex-direction: column;
  width: min(46%, 760px);
  min-height: 0;
  border-left: 1px solid var(--hair);
  padding-left: 12px;
}
.who {
  margin: 0;
}
@media (max-width: 900px) {
  .peek {
    width: auto;
    height: 480px;
  }
}
</style>
