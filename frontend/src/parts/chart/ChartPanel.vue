<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useKeys, type Key } from '@/shared/keys'
import { useVocabulary } from '@/shared/queries'
import { done } from '@/shared/undo'
import ChartHead from './ChartHead.vue'
import ChartView from './ChartView.vue'
import { dressOf } from './dress'
import { LAYER, shownLayers, type Layer, type Layout } from './layout'
import { lookAt, useLook, type Range } from './look'
import type { Drawing, Scale } from './looks'
import Workshop from './Workshop.vue'
import { useReadAhead } from '@/shared/read'

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
    /** Formulas of it that a link asked for, and that are not kept. */
    guests?: readonly string[]
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
  {
    guests: () => [],
    at: NaN,
    near: () => [],
    bases: () => [],
    kept: undefined,
    universe: '',
    active: true,
  },
)
const emit = defineEmits<{
  bars: [bars: string]
  layout: [part: Partial<Layout>]
  keep: [formula: string]
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
const { data, reach, error, again, waiting } = useLook(() => lookOf(props.code))
/** The chart before stays where it is drawn otherwise, not where another instrument is asked for. */
const chart = computed(() => (data.value?.code === props.code ? data.value : undefined))
const source = { data: chart, reach, error, again }
watch(chart, (now) => {
  if (now) for (const code of props.near) readAhead(lookAt(lookOf(code)))
})

const head = ref<InstanceType<typeof ChartHead>>()
const view = ref<InstanceType<typeof ChartView>>()
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
/** Ends what is done on the chart, or full size; false where there is nothing. */
function leave(): boolean {
  if (view.value?.leave()) return true
  if (workshop.value) workshop.value = false
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
  { key: 'ArrowLeft', does: 'towards the past', repeats: true, run: () => view.value?.pan(0.2) },
  {
    key: 'ArrowRight',
    does: 'towards the present',
    repeats: true,
    run: () => view.value?.pan(-0.2),
  },
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
  { key: 't', does: 'the bars in sight as a table, or drawn', run: () => view.value?.turnTable() },
  { key: 'm', does: 'correct bars', run: () => emit('mend') },
  { key: 'f', does: 'full size', run: () => emit('full', !props.full) },
  { key: 'y', does: 'copy the address of the chart', run: () => void copyLink() },
  ...RANGES.map(([key, wanted]) => ({
    key,
    does: `range: ${wanted}`,
    run: () => void view.value?.range(wanted),
  })),
]
useKeys(list, () => props.active, 'the chart')
</script>

<template>
  <div class="panel" :class="{ rests: !active }">
    <ChartHead
      ref="head"
      :code="code"
      :name="name"
      :chart="chart"
      :bars="bars"
      :scale="scale"
      :drawing="drawing"
      :forming="layout.forming"
      :codes="codes"
      :lines="lines"
      :guests="guests"
      :offered="vocabulary.data.value?.bars ?? []"
      @bars="(to) => emit('bars', to)"
      @scale="(to) => emit('layout', { scale: to })"
      @drawing="(to) => emit('layout', { drawing: to })"
      @forming="(to) => emit('layout', { forming: to })"
      @draw="draw"
      @remove="remove"
      @keep="(formula) => emit('keep', formula)"
      @redraw="redraw"
      @compare="compare"
    >
      <slot name="arranged" />
    </ChartHead>
    <div class="both">
      <ChartView
        ref="view"
        :of="source"
        :subject="`${code} ${bars}`"
        :layout="layout"
        :universe="universe"
        :at="at"
        :mendable="kept"
        :active="active"
        alone
        @layout="(part) => emit('layout', part)"
        @full="emit('full', !full)"
        @mend="(seconds, time) => emit('mend', seconds, time)"
      >
        <template #empty
          ><p class="empty">
            <template v-if="bases.length"
              >{{ code }} has no bars of {{ bars }}: it has {{ bases.join(', ') }}, and what is
              built of them. Press <kbd>b</kbd> for others.</template
            >
            <template v-else
              >There are no bars of {{ code }}.
              <RouterLink to="/imports">Import some</RouterLink></template
            >
          </p></template
        >
      </ChartView>
      <Workshop
        v-if="workshop"
        ref="shop"
        :layout="layout"
        :chart="chart"
        :bars="bars"
        :universe="universe"
        :functions="vocabulary.data.value?.functions ?? []"
        :stretch="view?.stretch"
        @change="(part) => emit('layout', part)"
        @close="workshop = false"
      />
    </div>
    <p class="quiet ranges" :aria-busy="waiting">
      <button
        v-for="[key, wanted] in RANGES"
        :key="key"
        class="button plain"
        @click="view?.range(wanted)"
      >
        {{ wanted }} <kbd>{{ key }}</kbd>
      </button>
      <button class="button plain" :aria-pressed="view?.tabled" @click="view?.turnTable()">
        table <kbd>t</kbd>
      </button>
      <button class="button plain" :disabled="view?.tabled" @click="view?.save()">
        image <kbd>p</kbd>
      </button>
      <button class="button plain" @click="copyLink">link <kbd>y</kbd></button>
      <button class="button plain" :aria-pressed="workshop" @click="turnWorkshop">
        drawn <kbd>d</kbd>
      </button>
      <button class="button plain" :disabled="view?.tabled" @click="view?.measureHere()">
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
.ranges {
  margin: 4px 0 0;
}
</style>
