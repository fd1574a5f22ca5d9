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
import { computed, onMounted, ref, shallowRef, toRaw, watch } from 'vue'
import VChart from 'vue-echarts'
import type { Chart, Firing } from '@/shared/api'
import { barTime, plural } from '@/shared/format'
import { preferences } from '@/shared/preferences'
import { ink, night } from '@/shared/theme'
import { chartOption } from './chartOption'
import {
  fromAxis,
  toAxis,
  windowOf,
  type Drawing,
  type Inks,
  type Scale,
  type Sight,
} from './looks'
import { distance, meant, snapped, type Point } from './measure'
import LevelHandle, { type Level } from './LevelHandle.vue'
import { STRIP_NAMES, type Layout } from './layout'
import { STRIP_ROW } from './marks'
import { layPanes, paneNames, RIGHT, STRIP } from './panes'
import { readings } from './readings'
import ReadingText from './ReadingText.vue'

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
  defineProps<{
    chart: Chart
    shown: number
    back?: number
    scale?: Scale
    drawing?: Drawing
    layout?: Layout
    /** Moments at which a setup began to hold, and the one of them that is looked at. */
    fired?: readonly Firing[]
    lookedAt?: number
    /** Thresholds that can be moved in their panes. */
    levels?: readonly Level[]
    /** Values can be asked what conditions they suggest. */
    asks?: boolean
  }>(),
  {
    back: 0,
    scale: 'linear',
    drawing: 'candles',
    layout: undefined,
    fired: () => [],
    lookedAt: undefined,
    levels: () => [],
  },
)
/** What has come into sight by wheel or drag; a double click asks for full size; a threshold is moved. */
const emit = defineEmits<{
  sight: [sight: Sight]
  full: []
  level: [place: number, value: number]
  hold: [held: boolean]
  /** Conditions are asked for: for a value at a bar, or for the way there from an earlier one. */
  ask: [of: { text: string; label: string }, at: number, since?: number]
}>()
const sheet = ref<InstanceType<typeof VChart>>()
const host = ref<HTMLElement>()
const { width, height } = useElementSize(host, { width: 0, height: 480 })
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

const LABEL = 64
const panes = computed(() =>
  layPanes(
    paneNames(props.chart, props.scale),
    height.value,
    props.chart.strip.length ? (props.chart.strip.length + 1) * STRIP_ROW : 0,
  ),
)
const option = computed(() =>
  inks.value
    ? chartOption(
        toRaw(props.chart),
        inks.value,
        panes.value,
        { shown: props.shown, back: props.back },
        {
          scale: props.scale,
          drawing: props.drawing,
          room: Math.max(2, Math.floor(width.value / LABEL)),
          zone: preferences.value.zone,
          fired: props.fired,
          layout: props.layout,
          lookedAt: props.lookedAt,
          inSight,
        },
      )
    : undefined,
)
const line = computed(() => {
  const last = props.chart.times.length - 1
  return inks.value && last >= 0
    ? readings(
        props.chart,
        Math.min(cursor.value ?? last, last),
        inks.value,
        props.scale,
        windowOf(props.chart.times.length, props).startValue,
      )
    : []
})
const paneLabels = computed(() =>
  panes.value
    .slice(1)
    .filter((pane) => pane.name !== STRIP)
    .map((pane) => ({ ...pane, parts: line.value.filter((r) => r.pane === pane.name) })),
)
const stripTop = computed(() => panes.value.find((pane) => pane.name === STRIP)?.top ?? 0)
/** What a measure is at the bar under the cursor. */
const extremeAt = (values: readonly (number | null)[]) => {
  const value = values[Math.min(cursor.value ?? Infinity, values.length - 1)]
  return value === 1 ? 'largest' : value === -1 ? 'smallest' : value === 0 ? '' : '–'
}
interface Zoom {
  getValueRange(): [number, number]
}
/** The bars in sight as the drawing knows them while it is drawn. */
function inSight(): readonly [number, number] | undefined {
  const inner = sheet.value?.chart as unknown as
    { getModel(): { getComponent(name: string, at: number): Zoom | undefined } } | undefined
  return inner?.getModel()?.getComponent('dataZoom', 0)?.getValueRange()
}

/** From where to where is measured: a click sets the first point, the next the second, a third ends it. */
const from = shallowRef<Point>()
const to = shallowRef<Point>()
const fixed = ref(false)
const drawn = ref(0)
const drawnPanes = ref(0)
function finished() {
  drawn.value++
  drawnPanes.value = panes.value.length
}
const begin = () => {
  const first = windowOf(props.chart.times.length, props).startValue
  return props.chart.close[first] ?? 1
}
const point = (x: number, y: number): Point | undefined => {
  const found = sheet.value?.chart?.convertFromPixel({ xAxisIndex: 0, yAxisIndex: 0 }, [x, y])
  const [at, value] = (found as [number, number] | undefined) ?? []
  const price = value === undefined ? undefined : fromAxis(props.scale, begin())(value)
  const last = props.chart.times.length - 1
  if (at === undefined || price === undefined || !Number.isFinite(price) || price <= 0) return
  return snapped(props.chart, { at: Math.max(0, Math.min(last, at)), price }, heightOf)
}
/** How high on the sheet a price stands. */
const heightOf = (value: number) =>
  Number(sheet.value?.chart?.convertToPixel({ yAxisIndex: 0 }, toAxis(props.scale, begin())(value)))
function fix(next: Point | undefined) {
  if (!next) return
  if (!from.value) from.value = to.value = next
  else if (!fixed.value) [to.value, fixed.value] = [next, true]
  else endMeasure()
}
function endMeasure() {
  from.value = to.value = undefined
  fixed.value = false
}
interface Pointed {
  offsetX: number
  offsetY: number
}
function listen() {
  const surface = sheet.value?.chart?.getZr()
  surface?.on('click', (event: Pointed) => fix(point(event.offsetX, event.offsetY)))
  surface?.on('mousemove', (event: Pointed) => {
    if (from.value && !fixed.value) to.value = point(event.offsetX, event.offsetY) ?? to.value
  })
}
watch(() => sheet.value?.chart, listen, { flush: 'post' })
watch([() => props.chart.code, () => props.chart.bars], endMeasure)
/** Both ends stay on their own bars as others come; where one of these is there no more, it is over. */
watch(
  () => props.chart.times,
  (now, before) => {
    if (!from.value || !to.value) return
    const moved = now.indexOf(before[0]!)
    const [first, last] = [from.value.at, to.value.at].map((at) =>
      now[at + moved] === before[at] ? at + moved : now.indexOf(before[at]!),
    )
    if (first! < 0 || last! < 0) return endMeasure()
    from.value = { ...from.value, at: first! }
    to.value = { ...to.value, at: last! }
  },
)
const measured = computed(() => {
  const chart = sheet.value?.chart
  if (!from.value || !to.value || !chart || drawn.value < 0) return
  const pixel = (p: Point) =>
    chart.convertToPixel({ xAxisIndex: 0, yAxisIndex: 0 }, [
      p.at,
      toAxis(props.scale, begin())(p.price),
    ]) as [number, number]
  return {
    a: pixel(from.value),
    b: pixel(to.value),
    names: [from.value, to.value].map((p) => p.of?.label ?? 'a price').join(' to '),
    parts: distance(props.chart, from.value, to.value),
  }
})
/** Conditions for what is measured; nothing where there is neither a line nor a way. */
function askMeasured() {
  if (!from.value || !to.value) return
  const [first, last] =
    from.value.at <= to.value.at ? [from.value, to.value] : [to.value, from.value]
  const of = meant(first, last)
  const time = (p: Point) => props.chart.times[p.at]!
  emit('ask', of, time(last), of.along ? time(first) : undefined)
  endMeasure()
}
/** Conditions for the bar under the cursor, by the keys. */
function askHere() {
  if (from.value && to.value) askMeasured()
  else askFor({ name: 'Close', formula: 'close' })
}
function askFor(reading: { name: string; formula?: string }) {
  const at = Math.min(cursor.value ?? Infinity, props.chart.times.length - 1)
  if (!reading.formula || at < 0) return
  emit('ask', { text: reading.formula, label: reading.name }, props.chart.times[at]!)
}
/** Where the thresholds stand in their panes, and what stands at a height there. */
const handles = computed(() => {
  const chart = sheet.value?.chart
  // A pane has heights once it has been drawn.
  if (!chart || drawn.value < 0 || drawnPanes.value !== panes.value.length) return []
  return props.levels.flatMap((level, place) => {
    const n = panes.value.findIndex((pane) => pane.name === level.pane)
    const pane = panes.value[n]
    if (!pane) return []
    const y = Number(chart.convertToPixel({ yAxisIndex: n }, level.value))
    const valueAt = (height: number) => Number(chart.convertFromPixel({ yAxisIndex: n }, height))
    return [{ level, place, pane, y, valueAt }]
  })
})
/** By the keys: the point under the cursor is that of its close. */
function measureHere() {
  const at = cursor.value ?? props.chart.times.length - 1
  fix({ at, price: props.chart.close[at] ?? 0 })
}
function stepCursor(by: number) {
  const last = props.chart.times.length - 1
  const at = Math.max(0, Math.min(last, (cursor.value ?? last) + by))
  cursor.value = at
  sheet.value?.chart?.dispatchAction({ type: 'updateAxisPointer', currTrigger: 'mousemove' })
  sheet.value?.chart?.dispatchAction({ type: 'showTip', seriesIndex: 0, dataIndex: at })
  if (from.value && !fixed.value) to.value = { at, price: props.chart.close[at] ?? 0 }
}

function zoomed() {
  drawn.value++
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
defineExpose({
  save,
  askHere,
  measureHere,
  endMeasure,
  stepCursor,
  measuring: computed(() => Boolean(from.value)),
  /** The stretch between the two points that are measured, as moments. */
  stretch: computed(() => {
    if (!from.value || !to.value || from.value.at === to.value.at) return
    const ends = [from.value, to.value].map((end) => props.chart.times[end.at])
    const [since, until] = ends.sort((a = 0, b = 0) => a - b)
    return since !== undefined && until !== undefined ? { since, until } : undefined
  }),
})
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
      <ReadingText
        v-for="(r, n) in line.filter((entry) => entry.pane === 'price')"
        :key="n"
        :reading="r"
        :asks="asks"
        @ask="askFor(r)"
      />
    </p>
    <div ref="host" class="canvas">
      <div class="drawing" role="img" :aria-label="spoken">
        <VChart
          v-if="option"
          ref="sheet"
          :option="option"
          :update-options="{ notMerge: true }"
          autoresize
          @updateaxispointer="follow"
          @datazoom="zoomed"
          @finished="finished"
          @dblclick="emit('full')"
        />
      </div>
      <LevelHandle
        v-for="own in handles"
        :key="own.place"
        :level="own.level"
        :y="own.y"
        :top="own.pane.top"
        :height="own.pane.height"
        :right="RIGHT"
        :value-at="own.valueAt"
        @move="(value) => emit('level', own.place, value)"
        @hold="(held) => emit('hold', held)"
      />
      <svg v-if="measured" class="measure" aria-hidden="true">
        <line :x1="measured.a[0]" :y1="measured.a[1]" :x2="measured.b[0]" :y2="measured.b[1]" />
        <circle :cx="measured.a[0]" :cy="measured.a[1]" r="3" />
        <circle :cx="measured.b[0]" :cy="measured.b[1]" r="3" />
      </svg>
      <p
        v-if="measured"
        class="measured"
        role="status"
        :style="{
          left: `${Math.max(4, Math.min(measured.b[0] + 10, width - 190))}px`,
          top: `${Math.max(4, Math.min(measured.b[1] + 8, height - 110))}px`,
        }"
      >
        <b>{{ measured.names }}</b>
        <span v-for="part in measured.parts" :key="part">{{ part }}</span>
        <button v-if="asks" class="button" @click.stop="askMeasured">
          conditions <kbd>o</kbd>
        </button>
      </p>
      <p
        v-for="(own, row) in chart.strip"
        :key="`strip ${own.text}`"
        class="strip"
        :style="{ top: `${stripTop + row * STRIP_ROW}px` }"
        :title="`${own.label}: a tick above the line where it is the largest of ${layout?.strip_bars} bars, below it where it is the smallest`"
      >
        {{ STRIP_NAMES.get(own.text) ?? own.label }} <b>{{ extremeAt(own.values) }}</b>
      </p>
      <p
        v-for="pane in paneLabels"
        :key="pane.name"
        class="pane readings"
        :style="{ top: `${pane.top - 17}px` }"
      >
        <ReadingText
          v-for="r in pane.parts"
          :key="r.name"
          :reading="r"
          :asks="asks"
          @ask="askFor(r)"
        />
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
.canvas {
  position: relative;
  flex: 1;
  min-height: 0;
}
.drawing,
.drawing > :first-child {
  position: absolute;
  inset: 0;
}
.measure {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.measure line {
  stroke: var(--accent);
  stroke-width: 1.4;
  stroke-dasharray: 5 3;
}
.measure circle {
  fill: var(--accent);
}
.measured {
  position: absolute;
  margin: 0;
  padding: 4px 8px;
  font-size: 12px;
  background: var(--paper);
  border: 1px solid var(--accent);
  pointer-events: none;
}
.measured span,
.measured b {
  display: block;
}
.measured .button {
  pointer-events: auto;
  margin-top: 3px;
}
.strip {
  position: absolute;
  left: 10px;
  margin: 0;
  padding: 0 3px;
  font-size: 10px;
  line-height: 15px;
  color: var(--quiet);
  background: color-mix(in srgb, var(--sheet) 75%, transparent);
  pointer-events: none;
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
