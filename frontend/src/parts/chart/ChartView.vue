<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import Suggest from '@/parts/suggest/Suggest.vue'
import { usePointed } from '@/parts/suggest/usePointed'
import type { Firing } from '@/shared/api'
import { useKeys, type Key } from '@/shared/keys'
import Reply from '@/shared/Reply.vue'
import ChartSheet from './ChartSheet.vue'
import ChartTable from './ChartTable.vue'
import type { Dressing } from './dress'
import DressShop from './DressShop.vue'
import type { Source } from './growing'
import { arranged, type Layout } from './layout'
import type { Level } from './LevelHandle.vue'
import { DRAWINGS, SCALES, type Drawing, type Scale } from './looks'
import { useSighting } from './sighting'
import type { TradeDrawn } from './trade'

/**
 * A chart, whatever its bars come from, with all that is done on it: it grows towards the past as one looks
 * there, is measured, asked for conditions, drawn otherwise; by the same keys everywhere. Of several that
 * stand together the keys are of the one that is `active`.
 */
const props = withDefaults(
  defineProps<{
    of: Source
    /** What it is of: another is looked at from its newest bars on. */
    subject: string
    layout: Layout
    /** What is drawn beside, where the page keeps that apart; it is changed here. */
    dressing?: Dressing
    /** The bars that a workshop begins with, and within which instruments are compared. */
    bars?: string
    universe?: string
    /** A moment that the page asks to see, in seconds since 1970. */
    at?: number
    /** The moment that conditions are looked for from, where it is not the page's. */
    asOf?: string
    /** Values are buttons that ask for conditions; by key it is asked everywhere. */
    asks?: boolean
    /** The sieve that a condition goes into is on the page. */
    here?: boolean
    fired?: readonly Firing[]
    lookedAt?: number
    /** A trade that is drawn over the price. */
    trade?: TradeDrawn
    levels?: readonly Level[]
    /** How long its bars are in seconds, where they are kept as they stand and can be mended. */
    mendable?: number
    /** Where it can't be drawn, what was drawn before does not stay. */
    alone?: boolean
    reading?: string
    active?: boolean
  }>(),
  {
    dressing: undefined,
    bars: '1d',
    universe: '',
    at: NaN,
    asOf: undefined,
    asks: true,
    fired: () => [],
    lookedAt: undefined,
    trade: undefined,
    levels: () => [],
    mendable: undefined,
    reading: 'drawing…',
    active: true,
  },
)
const emit = defineEmits<{
  layout: [part: Partial<Layout>]
  full: []
  level: [place: number, value: number]
  hold: [held: boolean]
  take: [formula: string]
  mend: [seconds: number, time: number]
  /** The newest bars are asked for. */
  newest: []
}>()
const scale = computed(() => props.layout.scale as Scale)
const drawing = computed(() => props.layout.drawing as Drawing)
const drawn = computed(() => props.of.data.value && arranged(props.of.data.value, props.layout))
const seen = { ...props.of, data: drawn }
const { sight, came, zoom, pan, newest, range, showAt, anew, settled } = useSighting(
  props.of.data,
  scale,
  props.of.reach,
)
watch(() => props.subject, anew)
watch(
  [() => Boolean(drawn.value), () => props.at],
  ([isDrawn, time]) => void (isDrawn && Number.isFinite(time) && showAt(time)),
  { immediate: true },
)
const { pointed, point, leave: leavePointed, values } = usePointed(drawn, () => props.asOf)
const sheet = ref<InstanceType<typeof ChartSheet>>()
const tabled = ref(false)
function turnTable() {
  settled()
  tabled.value = !tabled.value
}
/** Ends what is done on the chart; false where there is nothing. */
function leave(): boolean {
  if (leavePointed()) return true
  if (!sheet.value?.measuring) return false
  sheet.value.endMeasure()
  return true
}
function take(formula: string) {
  if (!props.here) return
  emit('take', formula)
  leavePointed()
}
const change = (part: Partial<Layout>) =>
  props.dressing ? props.dressing.change(part) : emit('layout', part)
const after = <T,>(all: readonly T[], one: T) => all[(all.indexOf(one) + 1) % all.length]!
async function toNewest() {
  emit('newest')
  await nextTick()
  newest()
}
defineExpose({
  drawn,
  tabled,
  leave,
  turnTable,
  showAt,
  range,
  pan,
  save: () => sheet.value?.save(),
  measureHere: () => sheet.value?.measureHere(),
  stretch: computed(() => sheet.value?.stretch),
})

const step = (by: number) => sheet.value?.stepCursor(by)
const list: Key[] = [
  { key: '+', does: 'fewer bars', repeats: true, run: () => zoom(0.7) },
  { key: '-', does: 'more bars', repeats: true, run: () => zoom(1 / 0.7) },
  { key: 'Shift+ArrowLeft', does: 'towards the past', repeats: true, run: () => pan(0.2) },
  { key: 'Shift+ArrowRight', does: 'towards the present', repeats: true, run: () => pan(-0.2) },
  { key: 'End', does: 'the newest bar', run: () => void toNewest() },
  { key: ',', does: 'cursor to the bar before', repeats: true, run: () => step(-1) },
  { key: '.', does: 'cursor to the next bar', repeats: true, run: () => step(1) },
  { key: 'e', does: 'measure from here, to here, end', run: () => sheet.value?.measureHere() },
  { key: 'o', does: 'conditions for what is here', run: () => sheet.value?.askHere() },
  { key: 'p', does: 'keep the chart as an image', run: () => sheet.value?.save() },
  {
    key: 'k',
    does: `drawn as ${DRAWINGS.join(', ')}`,
    run: () => change({ drawing: after(DRAWINGS, drawing.value) }),
  },
  {
    key: 's',
    does: `scale: ${SCALES.join(', ')}`,
    run: () => change({ scale: after(SCALES, scale.value) }),
  },
]
if (props.dressing) {
  const { turn } = props.dressing
  list.push({ key: 'l', does: 'what else is drawn, and how', run: turn })
}
useKeys(list, () => props.active, 'the chart')
</script>

<template>
  <div class="chart">
    <div class="bars">
      <Reply
        :of="seen"
        :alone="alone"
        what="The chart can't be drawn"
        :reading="reading"
        :empty="!drawn?.times.length"
      >
        <template #empty><slot name="empty" /></template>
        <template v-if="drawn"
          ><ChartTable
            v-if="tabled"
            :chart="drawn"
            :sight="sight"
            :mendable="mendable"
            @mend="(seconds, time) => emit('mend', seconds, time)" />
          <ChartSheet
            v-else
            ref="sheet"
            :chart="drawn"
            :shown="sight.shown"
            :back="sight.back"
            :scale="scale"
            :drawing="drawing"
            :layout="layout"
            :fired="fired"
            :looked-at="lookedAt"
            :trade="trade"
            :levels="levels"
            :asks="asks"
            @sight="came"
            @full="emit('full')"
            @ask="point"
            @level="(place, value) => emit('level', place, value)"
            @hold="(held) => emit('hold', held)" /></template
      ></Reply>
    </div>
    <Suggest
      v-if="pointed"
      :here="here"
      :pointed="pointed"
      :values="values"
      :universe="universe"
      @point="(text, label) => point({ text, label }, pointed!.at, pointed!.since)"
      @take="take"
      @close="leavePointed"
    />
    <DressShop
      v-if="dressing?.open.value"
      :of="dressing"
      :chart="drawn"
      :bars="bars"
      :universe="universe"
      :stretch="sheet?.stretch"
    />
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  display: flex;
  flex: 1;
  min-width: 0;
  min-height: 0;
}
.bars {
  flex: 1;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
.bars > :last-child {
  flex: 1;
}
@media (max-width: 900px) {
  .chart {
    height: 420px;
  }
}
</style>
