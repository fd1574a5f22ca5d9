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
import type { Chart, Firing } from '@/shared/api'
import { barTime, fixed, plural, price } from '@/shared/format'
import { preferences } from '@/shared/preferences'
import { ink, night } from '@/shared/theme'
import { chartOption } from './chartOption'
import CursorPrice from './CursorPrice.vue'
import type { Place } from './edge'
import {
  fromAxis,
  toAxis,
  windowOf,
  type Drawing,
  type Inks,
  type Scale,
  type Sight,
} from './looks'
import { snapped, type Point } from './measure'
import { besideStretch, useMeasuring } from './measuring'
import LevelHandle, { type Level } from './LevelHandle.vue'
import { STRIP_NAMES, type Layout } from './layout'
import { STRIP_ROW } from './marks'
import { layPanes, paneNames, RIGHT, STRIP, unfolded } from './panes'
import type { TradeDrawn } from './trade'
import { readings } from './readings'
import ReadingTexts from './ReadingTexts.vue'

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
    /** A trade that is drawn over the price. */
    trade?: TradeDrawn
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
    trade: undefined,
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
/** Gone on to another bar, the values are its own, wherever the cursor was left. */
watch(
  () => props.lookedAt,
  () => (cursor.value = undefined),
)

const LABEL = 64
const stripHeight = computed(() =>
  props.chart.strip.length ? (props.chart.strip.length + 1) * STRIP_ROW : 0,
)
/** The pane that was opened by hand, where not all have room. */
const opened = ref('')
const names = computed(() => paneNames(props.chart, props.scale))
const shownNames = computed(() => {
  const kept = [...props.levels.map((level) => level.pane), opened.value]
  return unfolded(names.value, height.value, stripHeight.value, kept)
})
const panes = computed(() => layPanes(shownNames.value, height.value, stripHeight.value))
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
          trade: props.trade,
          handles: props.levels,
          inSight,
          place,
        },
      )
    : undefined,
)
/** The bar that is looked at, until the cursor is on another. */
const lookedBar = computed(() => {
  const found = props.lookedAt === undefined ? -1 : props.chart.times.indexOf(props.lookedAt)
  return found < 0 ? undefined : found
})
/** The bar whose values are told: that under the cursor, else the one that is looked at, else the newest. */
const here = computed(() => {
  const last = props.chart.times.length - 1
  return Math.min(cursor.value ?? lookedBar.value ?? last, last)
})
const line = computed(() => {
  return inks.value && here.value >= 0
    ? readings(
        props.chart,
        here.value,
        inks.value,
        props.scale,
        windowOf(props.chart.times.length, props).startValue,
        props.layout,
      )
    : []
})
/** What of the values stands in a pane. */
const partsOf = (pane: string) => line.value.filter((own) => own.pane === pane)
const paneLabels = computed(() =>
  panes.value
    .slice(1)
    .filter((pane) => pane.name !== STRIP)
    .map((pane) => ({ ...pane, parts: partsOf(pane.name) })),
)
const folded = computed(() =>
  names.value
    .filter((name) => !shownNames.value.includes(name))
    .map((name) => ({ name, parts: partsOf(name) })),
)
const stripTop = computed(() => panes.value.find((pane) => pane.name === STRIP)?.top ?? 0)
/** What a measure is at the bar under the cursor. */
const extremeAt = (values: readonly (number | null)[]) => {
  const value = values[here.value]
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

/** Where values and bars stand; asked for while it is drawn, too. */
const pixelOf = (axis: { xAxisIndex: number } | { yAxisIndex: number }, value: number) => {
  const found = Number(sheet.value?.chart?.convertToPixel(axis, value))
  return Number.isFinite(found) ? found : undefined
}
const place: Place = {
  y: (pane, value) => pixelOf({ yAxisIndex: pane }, value),
  x: (bar) => pixelOf({ xAxisIndex: 0 }, bar),
}
const pointer = { y: ref<number>() }
function priceAt(y: number): string | undefined {
  const value = Number(sheet.value?.chart?.convertFromPixel({ yAxisIndex: 0 }, y))
  if (!Number.isFinite(value)) return
  return props.scale === 'percent' ? `${fixed(value, 1)} %` : price(value, props.chart.tick)
}

const measuring = useMeasuring(
  () => props.chart,
  () => host.value,
)
const { from, to } = measuring
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
/** What a press or a move of the pointer is at: of its bar what is nearest, with Alt the very price. */
const point = ({ offsetX, offsetY, event }: Pointed): Point | undefined => {
  const found = sheet.value?.chart?.convertFromPixel({ xAxisIndex: 0, yAxisIndex: 0 }, [
    offsetX,
    offsetY,
  ])
  const [at, value] = (found as [number, number] | undefined) ?? []
  const price = value === undefined ? undefined : fromAxis(props.scale, begin())(value)
  const last = props.chart.times.length - 1
  if (at === undefined || price === undefined || !Number.isFinite(price) || price <= 0) return
  const free = { at: Math.max(0, Math.min(last, at)), price }
  return event?.altKey ? free : snapped(props.chart, free, heightOf, props.drawing === 'line')
}
/** How high on the sheet a price stands. */
const heightOf = (value: number) => place.y(0, toAxis(props.scale, begin())(value)) ?? NaN
interface Pointed {
  offsetX: number
  offsetY: number
  event?: MouseEvent
}
function listen() {
  const surface = sheet.value?.chart?.getZr()
  surface?.on('click', (event: Pointed) => measuring.fix(point(event)))
  surface?.on('globalout', () => (pointer.y.value = undefined))
  surface?.on('mousemove', (event: Pointed) => {
    pointer.y.value = event.offsetY
    if (from.value) measuring.move(point(event))
  })
}
watch(() => sheet.value?.chart, listen, { flush: 'post' })
const measured = computed(() => {
  if (!from.value || !to.value || drawn.value < 0 || !panes.value[0]) return
  const pixel = (p: Point) => [place.x(p.at) ?? 0, heightOf(p.price)] as const
  const [a, b] = [pixel(from.value), pixel(to.value)]
  const [first, last] = [from.value.at, to.value.at].sort((x, y) => x - y) as [number, number]
  const { high, low } = props.chart
  const stretch = {
    left: Math.min(a[0], b[0]),
    right: Math.max(a[0], b[0]),
    top: heightOf(Math.max(...high.slice(first, last + 1), from.value.price, to.value.price)),
    bottom: heightOf(Math.min(...low.slice(first, last + 1), from.value.price, to.value.price)),
  }
  const { left, top } = besideStretch(stretch, { width: width.value, height: height.value })
  return { a, b, left: `${left}px`, top: `${top}px` }
})
/** Conditions for what is measured; nothing where an end of it is free. */
function askMeasured() {
  const asked = measuring.asked()
  if (!asked) return
  emit('ask', asked.of, asked.at, asked.since)
  measuring.end()
}
/** Conditions for the bar under the cursor, by the keys. */
function askHere() {
  if (from.value && to.value) askMeasured()
  else askFor({ name: 'Close', formula: 'close' })
}
function askFor(reading: { name: string; formula?: string }) {
  if (!reading.formula || here.value < 0) return
  emit('ask', { text: reading.formula, label: reading.name }, props.chart.times[here.value]!)
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
    const y = pixelOf({ yAxisIndex: n }, level.value) ?? NaN
    const valueAt = (height: number) => Number(chart.convertFromPixel({ yAxisIndex: n }, height))
    return [{ level, place, pane, y, valueAt }]
  })
})
const closeAt = (at: number): Point => ({
  at,
  price: props.chart.close[at] ?? 0,
  of: { text: 'close', label: 'Close' },
})
/** By the keys: the point under the cursor is that of its close. */
function measureHere() {
  measuring.fix(closeAt(here.value))
}
function stepCursor(by: number) {
  const last = props.chart.times.length - 1
  const at = Math.max(0, Math.min(last, here.value + by))
  cursor.value = at
  sheet.value?.chart?.dispatchAction({ type: 'updateAxisPointer', currTrigger: 'mousemove' })
  sheet.value?.chart?.dispatchAction({ type: 'showTip', seriesIndex: 0, dataIndex: at })
  measuring.move(closeAt(at))
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
  endMeasure: measuring.end,
  stepCursor,
  measuring: computed(() => Boolean(from.value)),
  stretch: measuring.stretch,
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
      <ReadingTexts :of="partsOf('price')" :asks="asks" @ask="askFor" />
      <span v-for="own in folded" :key="own.name">
        <button
          class="unfold"
          :aria-label="`Open the pane of ${own.name}`"
          title="Open this pane"
          @click="opened = own.name"
        >
          ▸
        </button>
        <ReadingTexts :of="own.parts" :asks="asks" @ask="askFor" />
      </span>
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
      <CursorPrice
        v-if="panes[0]"
        :pointer="pointer"
        :top="panes[0].top"
        :height="panes[0].height"
        :told="priceAt"
      />
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
        v-if="measured && measuring.told.value"
        class="measured"
        role="status"
        :style="{ left: measured.left, top: measured.top }"
      >
        <b>{{ measuring.words.value?.names }}</b>
        <span v-for="part in measuring.words.value?.parts" :key="part">{{ part }}</span>
        <button v-if="asks && measuring.asked()" class="button" @click.stop="askMeasured">
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
        <ReadingTexts :of="pane.parts" :asks="asks" @ask="askFor" />
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
.unfold {
  font: inherit;
  color: var(--accent);
  background: none;
  border: 0;
  min-width: 24px;
  min-height: 24px;
  margin: -3px 0;
  cursor: pointer;
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
