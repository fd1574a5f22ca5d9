<script setup lang="ts">
import { CustomChart, LineChart } from 'echarts/charts'
import {
  AxisPointerComponent,
  DataZoomInsideComponent,
  GridComponent,
  MarkLineComponent,
  MarkPointComponent,
  TooltipComponent,
} from 'echarts/components'
import { use } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { useElementSize } from '@vueuse/core'
import { computed, onMounted, ref, toRaw, watch } from 'vue'
import VChart from 'vue-echarts'
import type { Chart } from '@/shared/api'
import { barTime, plural } from '@/shared/format'
import { ink, night } from '@/shared/theme'
import {
  chartOption,
  layPanes,
  paneNames,
  readings,
  type Inks,
  type Scale,
  type Sight,
} from './chartOption'

use([
  CustomChart,
  LineChart,
  AxisPointerComponent,
  DataZoomInsideComponent,
  GridComponent,
  MarkLineComponent,
  MarkPointComponent,
  TooltipComponent,
  CanvasRenderer,
])

/** Price on top, panes below; the values under the cursor stand in one line above the sheet. */
const props = withDefaults(
  defineProps<{ chart: Chart; shown: number; back?: number; scale?: Scale }>(),
  { back: 0, scale: 'linear' },
)
/** What has come into sight by wheel or drag. */
const emit = defineEmits<{ sight: [sight: Sight] }>()
const sheet = ref<InstanceType<typeof VChart>>()
const host = ref<HTMLElement>()
const { height } = useElementSize(host, { width: 0, height: 480 })
const cursor = ref<number>()
const inks = ref<Inks>()

function resolve() {
  inks.value = {
    ink: ink('ink'),
    quiet: ink('quiet'),
    hair: ink('hair'),
    sheet: ink('sheet'),
    accent: ink('accent'),
    rise: ink('rise'),
    fall: ink('fall'),
    lines: [1, 2, 3, 4, 5, 6].map((n) => ink(`line-${n}`)),
  }
}
onMounted(async () => {
  await document.fonts.ready
  resolve()
})
watch(night, resolve, { flush: 'post' })
watch(
  () => props.chart,
  () => (cursor.value = undefined),
)

const panes = computed(() => layPanes(paneNames(props.chart), height.value))
const option = computed(() =>
  inks.value
    ? chartOption(
        toRaw(props.chart),
        inks.value,
        panes.value,
        { shown: props.shown, back: props.back },
        props.scale,
      )
    : undefined,
)
const line = computed(() => {
  const last = props.chart.times.length - 1
  return inks.value && last >= 0
    ? readings(props.chart, Math.min(cursor.value ?? last, last), inks.value)
    : []
})
const paneLabels = computed(() =>
  panes.value
    .slice(1)
    .map((pane) => ({ ...pane, parts: line.value.filter((r) => r.pane === pane.name) })),
)
function zoomed() {
  const option = sheet.value?.getOption() as {
    dataZoom?: { startValue: number; endValue: number }[]
  }
  const zoom = option?.dataZoom?.[0]
  if (!zoom) return
  const back = props.chart.times.length - 1 - zoom.endValue
  emit('sight', { shown: zoom.endValue - zoom.startValue + 1, back })
}
/** What is drawn, as an image to keep. */
function save() {
  const paper = inks.value?.sheet
  const url = sheet.value?.getDataURL({ type: 'png', pixelRatio: 2, backgroundColor: paper })
  if (!url) return
  const link = document.createElement('a')
  link.href = url
  link.download = `${props.chart.code} ${props.chart.bars}.png`
  link.click()
}
defineExpose({ save })
function follow(event: unknown) {
  const value = (event as { axesInfo?: { value?: number }[] }).axesInfo?.[0]?.value
  if (typeof value === 'number') cursor.value = value
}
const spoken = computed(
  () =>
    `${props.chart.code}, ${plural(props.chart.times.length, 'bar')} of ${props.chart.bars}; ${props.chart.gaps.map((g) => `${g.detail} before ${barTime(props.chart.times[g.at]!)}`).join('; ')} ${line.value.map((r) => `${r.name} ${r.text}`).join(', ')}`,
)
</script>

<template>
  <div class="sheet">
    <p class="readings">
      <span v-for="(r, n) in line.filter((entry) => entry.pane === 'price')" :key="n"
        ><i v-if="r.colour" :style="{ background: r.colour }"></i
        ><span class="quiet">{{ r.name }}</span> {{ r.text }}</span
      >
    </p>
    <div ref="host" class="canvas" role="img" :aria-label="spoken">
      <VChart
        v-if="option"
        ref="sheet"
        :option="option"
        :update-options="{ notMerge: true }"
        autoresize
        @updateaxispointer="follow"
        @datazoom="zoomed"
      />
      <p
        v-for="pane in paneLabels"
        :key="pane.name"
        class="pane readings"
        :style="{ top: `${pane.top - 17}px` }"
      >
        <span v-for="r in pane.parts" :key="r.name"
          ><i v-if="r.colour" :style="{ background: r.colour }"></i
          ><span class="quiet">{{ r.name }}</span> {{ r.text }}</span
        >
      </p>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  display: flex;
  flex-direction: column;
  min-height: 0;
  height: 100%;
  background: var(--sheet);
  border: 1px solid var(--hair);
}
.readings {
  margin: 0;
  padding: 4px 10px;
  border-bottom: 1px solid var(--hair);
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
  font-size: 12px;
  min-height: 27px;
}
.readings i {
  display: inline-block;
  width: 9px;
  height: 3px;
  margin-right: 4px;
  vertical-align: middle;
}
.canvas {
  position: relative;
  flex: 1;
  min-height: 0;
}
.canvas > :first-child {
  position: absolute;
  inset: 0;
}
.pane.readings {
  position: absolute;
  left: 0;
  border: 0;
  padding: 0 10px;
  min-height: 0;
  font-size: 11px;
  pointer-events: none;
  flex-wrap: nowrap;
  white-space: nowrap;
}
</style>
