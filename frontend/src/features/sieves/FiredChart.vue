<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, toRef, watch } from 'vue'
import ChartView from '@/parts/chart/ChartView.vue'
import { useDress } from '@/parts/chart/dress'
import type { Source } from '@/parts/chart/growing'
import type { Sieve } from '@/shared/api'
import { barTime, figure, plural, sides } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { useFired } from '@/parts/shaping/fired'
import Mesh from '@/shared/Mesh.vue'
import Months from './Months.vue'
import type { Scale } from './thresholds'

/** Where would it have fired? One instrument with every past signal marked. */
const props = defineProps<{
  /** What is sifted for; none while it makes no sense. */
  sieve?: Sieve
  code: string
  name: string
  /** The condition whose measures are drawn, and these as they stand now. */
  focus?: number
  scales: readonly Scale[]
}>()
const emit = defineEmits<{
  move: [scale: number, value: number]
  hold: [held: boolean]
  take: [formula: string]
}>()
const dressing = useDress('sieves')
const { layout, dress, open, turn } = dressing
const source = useFired(toRef(props, 'sieve'), toRef(props, 'code'), toRef(props, 'focus'), dress)
const { fired, fresh, data: chart } = source
const view = ref<InstanceType<typeof ChartView>>()
const subject = computed(() => `${props.code} ${props.sieve?.timeframes[0]}`)
const looked = ref<number>()
watch(subject, () => (looked.value = undefined))
const signal = computed(() => firings.value.find((own) => own.at === looked.value))
const names = computed(() => props.sieve?.conditions.map((own) => own.formula) ?? [])
const firings = computed(() => fired.value?.fired ?? [])
const times = computed(() => [...new Set(firings.value.map((own) => own.at))])
async function go(to: number | undefined) {
  if (to === undefined) return
  looked.value = to
  await view.value?.showAt(to)
}
/** The signal before the one that is looked at, or the last; the one after it. */
const earlier = () => {
  const now = looked.value ?? Infinity
  return times.value.filter((time) => time < now).at(-1)
}
const later = () => times.value.find((time) => looked.value !== undefined && time > looked.value)
/** The side of the signal that is looked at, or of the last; the lines of the other are not drawn. */
const side = computed(() => (signal.value ?? firings.value.at(-1))?.side)
const isDrawn = (line: { conditions: readonly number[] }) =>
  !line.conditions.length ||
  line.conditions.some((n) => {
    const of = props.sieve?.conditions[n]?.side
    return !of || !side.value || of === side.value
  })
const sided: Source = {
  ...source,
  data: computed(() => {
    const own = chart.value
    return own && own.lines.some((line) => !isDrawn(line))
      ? { ...own, lines: own.lines.filter(isDrawn) }
      : own
  }),
}
const levels = computed(() =>
  (fired.value?.drawn ?? []).flatMap((own) => {
    const scale = own.condition === props.focus ? props.scales[own.scale] : undefined
    const line = chart.value?.lines[own.line]
    if (!scale?.grip || !line) return []
    const share = scale.unit === 'percent' ? ' %' : ''
    return [
      {
        scale: own.scale,
        pane: line.pane,
        value: scale.threshold,
        step: scale.grip.step,
        told: `${figure(scale.threshold)}${share}`,
        label: `Threshold of ${scale.title}`,
      },
    ]
  }),
)
useKeys(
  [
    { key: 'Escape', does: 'end measuring', run: () => void view.value?.leave() },
    { key: 'ArrowLeft', does: 'the signal before', repeats: true, run: () => void go(earlier()) },
    { key: 'ArrowRight', does: 'the next signal', repeats: true, run: () => void go(later()) },
  ],
  undefined,
  'past signals',
)
</script>

<template>
  <section class="fired" aria-label="Where it would have fired">
    <p class="head" aria-live="polite" :class="{ old: !fresh }">
      <slot />
      <RouterLink class="mono" :to="instrumentAt(code)">{{ code }}</RouterLink>
      <span class="quiet name">{{ name }}</span>
      <span v-if="fired">
        fired <b>{{ plural(firings.length, 'time') }}</b><template
          v-if="sieve && sieve.sides.length > 1"
          >, {{ firings.filter((own) => own.side === 'short').length }} short</template
        >
        in {{ plural(fired.bars, 'bar')
        }}<template v-if="fired.held_when_first_known"
          >; held when first known{{
            fired.held_when_first_known === 1 ? '' : `, ${fired.held_when_first_known} times`
          }}</template
        >
      </span>
      <span v-if="signal" class="signal">
        {{ sides([signal.side]) }}, {{ barTime(signal.at) }}
        <Mesh :cells="fired!.meshes[signal.mesh] ?? []" :names="names" />
      </span>
      <span class="steps">
        <button class="button plain" :disabled="earlier() === undefined" @click="go(earlier())">
          before <kbd>←</kbd>
        </button>
        <button class="button plain" :disabled="later() === undefined" @click="go(later())">
          next <kbd>→</kbd>
        </button>
        <button class="button plain" :aria-pressed="open" @click="turn">drawn <kbd>l</kbd></button>
      </span>
    </p>
    <Months :months="fired?.months ?? []" :times="times" :looked="looked" @go="go" />
    <ChartView
      ref="view"
      here
      :of="sided"
      :subject="subject"
      :layout="layout"
      :dressing="dressing"
      :bars="sieve?.timeframes[0] ?? '1d'"
      :universe="sieve?.universe ?? ''"
      :fired="firings"
      :looked-at="looked"
      :levels="levels"
      :reading="sieve && code ? 'drawing…' : ''"
      @take="(text) => emit('take', text)"
      @level="(place, value) => emit('move', levels[place]!.scale, value)"
      @hold="(held) => emit('hold', held)"
      @newest="looked = undefined"
    >
      <template #empty
        ><p class="empty">{{ code }} has no bars of {{ chart?.bars }}.</p></template
      >
    </ChartView>
  </section>
</template>

<style scoped>
.fired {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 10px;
  margin: 0 0 4px;
  min-height: 26px;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 22ch;
}
.signal {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  color: var(--quiet);
}
.steps {
  white-space: nowrap;
}
.old {
  opacity: 0.6;
}
</style>
