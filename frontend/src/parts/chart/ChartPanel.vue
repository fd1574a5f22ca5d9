<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import Suggest from '@/parts/suggest/Suggest.vue'
import { usePointed } from '@/parts/suggest/usePointed'
import { useKeys, type Key } from '@/shared/keys'
import { useVocabulary } from '@/shared/queries'
import { done } from '@/shared/undo'
import ChartHead from './ChartHead.vue'
import ChartSheet from './ChartSheet.vue'
import ChartTable from './ChartTable.vue'
import { dressOf } from './dress'
import { arranged, LAYER, shownLayers, type Layer, type Layout } from './layout'
import { lookAt, useLook, type Range } from './look'
import { DRAWINGS, type Drawing, type Scale } from './looks'
import { useSighting } from './sighting'
import Workshop from './Workshop.vue'
import { useReadAhead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/**
 * A chart of any instrument with all that can be done to it. What is looked at belongs to the page, which
 * is told each change; the keys are of the chart that is `active`, of several that stand together.
 */
const props = withDefaults(
  defineProps<{
    code: string
    name: string
    bars: string
    /** What is drawn, and how. */
    layout: Layout
    /** A moment that the page asks to see, in seconds since 1970. */
    at?: number
    /** Instruments that may be drawn beside it. */
    codes: readonly string[]
    /** Those that are likely next, and are read ahead. */
    near?: readonly string[]
    /** What bars it has, as they are written. */
    bases?: readonly string[]
    /** How long its bars are in seconds, where they are kept as they stand and can be mended. */
    kept?: number
    /** Within which instruments are compared. */
    universe?: string
    full: boolean
    active?: boolean
  }>(),
  { at: NaN, near: () => [], bases: () => [], kept: undefined, universe: '', active: true },
)
const emit = defineEmits<{
  bars: [bars: string]
  layout: [part: Partial<Layout>]
  full: [full: boolean]
  mend: [seconds?: number, time?: number]
}>()
const readAhead = useReadAhead()
const vocabulary = useVocabulary()
const scale = computed(() => props.layout.scale as Scale)
const drawing = computed(() => props.layout.drawing as Drawing)
const lines = computed(() => shownLayers(props.layout).map((own) => own.formula))
const lookOf = (code: string) => ({
  code,
  bars: props.bars,
  universe: props.universe,
  forming: props.layout.forming,
  dress: dressOf(props.layout),
})
const { data: chart, reach, error, again, waiting } = useLook(() => lookOf(props.code))
const own = computed(() =>
  chart.value?.code === props.code ? arranged(chart.value, props.layout) : undefined,
)
const seen = { data: own, error, again }
const { sight, came, zoom, pan, newest, range, showAt, anew, settled } = useSighting(
  chart,
  scale,
  reach,
)
watch([() => props.bars, () => props.code], anew)
watch(
  [() => Boolean(own.value), () => props.at],
  ([drawn, time]) => void (drawn && Number.isFinite(time) && showAt(time)),
  { immediate: true },
)
watch(own, (now) => {
  if (now) for (const code of props.near) readAhead(lookAt(lookOf(code)))
})

const { pointed, point, leave: leavePointed, values } = usePointed(own)
const head = ref<InstanceType<typeof ChartHead>>()
const sheet = ref<InstanceType<typeof ChartSheet>>()
const tabled = ref(false)
function turnTable() {
  settled()
  tabled.value = !tabled.value
}
const SCALES: Scale[] = ['linear', 'log', 'percent']
const after = <T,>(all: readonly T[], one: T) => all[(all.indexOf(one) + 1) % all.length]!
const layers = (now: Layer[]) => emit('layout', { layers: now })
const withLine = (formula: string) =>
  props.layout.layers.some((own) => own.formula === formula)
    ? props.layout.layers
    : [...props.layout.layers, { ...LAYER, formula }]
const draw = (formula: string) => layers(withLine(formula))
const remove = (formula: string) =>
  layers(props.layout.layers.filter((own) => own.formula !== formula))
const redraw = (before: string, now: string) =>
  layers(
    props.layout.layers.map((own) => (own.formula === before ? { ...own, formula: now } : own)),
  )
const compare = (code: string) =>
  emit('layout', { scale: 'percent', layers: withLine(`close of "${code}"`) })
const workshop = ref(false)
const shop = ref<InstanceType<typeof Workshop>>()
async function turnWorkshop() {
  workshop.value = !workshop.value
  await nextTick()
  shop.value?.focus()
}
async function copyLink() {
  try {
    await navigator.clipboard.writeText(location.href)
    done('The address of this chart was copied.')
  } catch {
    done('The browser copies nothing here: take the address from its own line.')
  }
}
/** Ends measuring, or full size; false where there was neither. */
function leave(): boolean {
  if (leavePointed()) return true
  if (workshop.value) {
    workshop.value = false
    return true
  }
  if (sheet.value?.measuring) sheet.value.endMeasure()
  else if (props.full) emit('full', false)
  else return false
  return true
}
defineExpose({ leave })

const RANGES: [string, Range][] = [
  ['1', 'day'],
  ['2', 'week'],
  ['3', 'month'],
  ['4', 'quarter'],
  ['5', 'year'],
  ['6', 'all'],
]
const list: Key[] = [
  { key: 'ArrowLeft', does: 'towards the past', repeats: true, run: () => pan(0.2) },
  { key: 'ArrowRight', does: 'towards the present', repeats: true, run: () => pan(-0.2) },
  { key: '+', does: 'fewer bars', repeats: true, run: () => zoom(0.7) },
  { key: '-', does: 'more bars', repeats: true, run: () => zoom(1 / 0.7) },
  { key: 'End', does: 'the newest bar', run: newest },
  { key: 'b', does: 'change the bars', run: () => head.value?.writeBars() },
  { key: 'l', does: 'draw a formula', run: () => head.value?.writeLine() },
  { key: 'c', does: 'draw another instrument beside it', run: () => head.value?.writeBeside() },
  {
    key: 'x',
    does: 'take the last formula away',
    run: () => lines.value.length && remove(lines.value.at(-1)!),
  },
  { key: 'd', does: 'how everything is drawn', run: turnWorkshop },
  { key: 'a', does: 'adjust the numbers of what is drawn', run: () => head.value?.turn() },
  { key: 't', does: 'the bars in sight as a table, or drawn', run: turnTable },
  { key: 'p', does: 'keep the chart as an image', run: () => sheet.value?.save() },
  { key: 'm', does: 'mend bars', run: () => emit('mend') },
  {
    key: 'k',
    does: 'drawn as candles, bars, line, smoothed',
    run: () => emit('layout', { drawing: after(DRAWINGS, drawing.value) }),
  },
  {
    key: ',',
    does: 'cursor to the bar before',
    repeats: true,
    run: () => sheet.value?.stepCursor(-1),
  },
  {
    key: '.',
    does: 'cursor to the next bar',
    repeats: true,
    run: () => sheet.value?.stepCursor(1),
  },
  { key: 'e', does: 'measure from here, to here, end', run: () => sheet.value?.measureHere() },
  { key: 'o', does: 'conditions for what is here', run: () => sheet.value?.askHere() },
  { key: 'f', does: 'full size', run: () => emit('full', !props.full) },
  { key: 'y', does: 'copy the address of the chart', run: () => void copyLink() },
  {
    key: 's',
    does: 'scale: linear, log, percent',
    run: () => emit('layout', { scale: after(SCALES, scale.value) }),
  },
  ...RANGES.map(([key, wanted]) => ({
    key,
    does: `range: ${wanted}`,
    run: () => void range(wanted),
  })),
]
useKeys(list, () => props.active)
</script>

<template>
  <div class="panel" :class="{ rests: !active }">
    <ChartHead
      ref="head"
      :code="code"
      :name="name"
      :chart="own"
      :bars="bars"
      :scale="scale"
      :drawing="drawing"
      :forming="layout.forming"
      :codes="codes"
      :lines="lines"
      :offered="vocabulary.data.value?.bars ?? []"
      @bars="(to) => emit('bars', to)"
      @scale="(to) => emit('layout', { scale: to })"
      @drawing="(to) => emit('layout', { drawing: to })"
      @forming="(to) => emit('layout', { forming: to })"
      @draw="draw"
      @remove="remove"
      @redraw="redraw"
      @compare="compare"
    >
      <slot name="arranged" />
    </ChartHead>
    <div class="both">
      <div class="chart">
        <Reply
          :of="seen"
          alone
          what="The chart can't be drawn"
          reading="drawing…"
          :empty="!own?.times.length"
        >
          <template #empty
            ><p class="empty">
              <template v-if="bases.length"
                >{{ code }} has no bars of {{ bars }}: it has {{ bases.join(', ') }}, and what is
                built of them. Press <kbd>b</kbd> for others.</template
              >
              <template v-else
                >There are no bars of {{ code }}.
                <RouterLink to="/imports">Bring in some</RouterLink></template
              >
            </p></template
          >
          <template v-if="own"
            ><ChartTable
              v-if="tabled"
              :chart="own"
              :sight="sight"
              :mendable="kept"
              @mend="(seconds, time) => emit('mend', seconds, time)" />
            <ChartSheet
              v-else
              ref="sheet"
              :chart="own"
              :shown="sight.shown"
              :back="sight.back"
              :scale="scale"
              :drawing="drawing"
              :layout="layout"
              asks
              @sight="came"
              @full="emit('full', !full)"
              @ask="point" /></template
        ></Reply>
        <Suggest
          v-if="pointed"
          :pointed="pointed"
          :values="values"
          :universe="universe"
          @point="(text, label) => point({ text, label }, pointed!.at, pointed!.since)"
          @close="leavePointed"
        />
      </div>
      <Workshop
        v-if="workshop"
        ref="shop"
        :layout="layout"
        :chart="own"
        :bars="bars"
        :universe="universe"
        :functions="vocabulary.data.value?.functions ?? []"
        :stretch="sheet?.stretch"
        @change="(part) => emit('layout', part)"
        @close="workshop = false"
      />
    </div>
    <p class="quiet ranges" :aria-busy="waiting">
      <button
        v-for="[key, wanted] in RANGES"
        :key="key"
        class="button plain"
        @click="range(wanted)"
      >
        {{ wanted }} <kbd>{{ key }}</kbd>
      </button>
      <button class="button plain" :aria-pressed="tabled" @click="turnTable">
        table <kbd>t</kbd>
      </button>
      <button class="button plain" :disabled="tabled" @click="sheet?.save()">
        image <kbd>p</kbd>
      </button>
      <button class="button plain" @click="copyLink">link <kbd>y</kbd></button>
      <button class="button plain" :aria-pressed="workshop" @click="turnWorkshop">
        drawn <kbd>d</kbd>
      </button>
      <button class="button plain" :disabled="tabled" @click="sheet?.measureHere()">
        measure <kbd>e</kbd>
      </button>
      <button class="button plain" :aria-pressed="full" @click="emit('full', !full)">
        full size <kbd>f</kbd>
      </button>
    </p>
  </div>
</template>

<style scoped>
.panel {
  flex: 1;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
/* Keys are those of another chart, or of the page. */
.rests :deep(kbd) {
  display: none;
}
.both {
  display: flex;
  flex: 1;
  min-height: 0;
}
.chart {
  position: relative;
  flex: 1;
  min-width: 0;
  min-height: 0;
}
.ranges {
  margin: 4px 0 0;
}
@media (max-width: 900px) {
  .chart {
    height: 420px;
  }
}
</style>
