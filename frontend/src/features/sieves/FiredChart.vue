<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, nextTick, ref, toRef, watch } from 'vue'
import ChartSheet from '@/parts/chart/ChartSheet.vue'
import { useDress } from '@/parts/chart/dress'
import DressShop from '@/parts/chart/DressShop.vue'
import { arranged } from '@/parts/chart/layout'
import { useSighting } from '@/parts/chart/sighting'
import type { Sieve } from '@/shared/api'
import { barTime, figure, plural } from '@/shared/format'
import ErrorNote from '@/shared/ErrorNote.vue'
import { useKeys } from '@/shared/keys'
import Suggest from '@/parts/suggest/Suggest.vue'
import { usePointed } from '@/parts/suggest/usePointed'
import { useFired } from './fired'
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
const { layout, scale, drawing, dress, open, turn } = dressing
const { fired, reach, error, again, fresh } = useFired(
  toRef(props, 'sieve'),
  toRef(props, 'code'),
  toRef(props, 'focus'),
  dress,
)
const chart = computed(() => fired.value && arranged(fired.value.chart, layout.value))
const { sight, came, zoom, pan, newest, showAt, anew } = useSighting(chart, scale, reach)
const looked = ref<number>()
watch([() => props.code, () => props.sieve?.timeframes[0]], () => {
  looked.value = undefined
  anew()
})
const firings = computed(() => fired.value?.fired ?? [])
const times = computed(() => [...new Set(firings.value.map((own) => own.at))])
async function go(to: number | undefined) {
  if (to === undefined) return
  looked.value = to
  await showAt(to)
}
/** The signal before the one that is looked at, or the last; the one after it. */
const earlier = () => {
  const now = looked.value ?? Infinity
  return times.value.filter((time) => time < now).at(-1)
}
const later = () => times.value.find((time) => looked.value !== undefined && time > looked.value)
const { pointed, point, leave, values } = usePointed(chart)
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
const sheet = ref<InstanceType<typeof ChartSheet>>()
const most = computed(() => Math.max(1, ...(fired.value?.months ?? []).map((m) => m.count)))
/** Every month from the first with a signal to the last, those without too. */
const months = computed(() => {
  const known = new Map((fired.value?.months ?? []).map((m) => [m.month, m.count]))
  const [first, last] = [[...known.keys()][0], [...known.keys()].at(-1)]
  const all: { month: string; count: number }[] = []
  if (!first || !last) return all
  for (let at = first; at <= last && all.length < 600;) {
    all.push({ month: at, count: known.get(at) ?? 0 })
    const [year, month] = at.split('-').map(Number) as [number, number]
    at = month === 12 ? `${year + 1}-01` : `${year}-${String(month + 1).padStart(2, '0')}`
  }
  return all
})
const inMonth = (month: string) =>
  times.value.find((time) => new Date(time * 1000).toISOString().startsWith(month))
useKeys([
  { key: 'o', does: 'conditions for what is here', run: () => sheet.value?.askHere() },
  { key: 'd', does: 'what else is drawn, and how', run: turn },
  { key: 'e', does: 'measure from here, to here, end', run: () => sheet.value?.measureHere() },
  {
    key: 'Escape',
    does: 'end measuring',
    run: () => {
      if (!leave()) sheet.value?.endMeasure()
    },
  },
  { key: 'ArrowLeft', does: 'the signal before', repeats: true, run: () => void go(earlier()) },
  { key: 'ArrowRight', does: 'the next signal', repeats: true, run: () => void go(later()) },
  { key: '+', does: 'fewer bars', repeats: true, run: () => zoom(0.7) },
  { key: '-', does: 'more bars', repeats: true, run: () => zoom(1 / 0.7) },
  { key: ',', does: 'towards the past', repeats: true, run: () => pan(0.2) },
  { key: '.', does: 'towards the present', repeats: true, run: () => pan(-0.2) },
  {
    key: 'End',
    does: 'the newest bar',
    run: () => {
      looked.value = undefined
      nextTick(newest)
    },
  },
])
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
      <span v-if="looked !== undefined" class="quiet">{{ barTime(looked) }}</span>
      <span class="steps">
        <button class="button plain" :disabled="earlier() === undefined" @click="go(earlier())">
          before <kbd>←</kbd>
        </button>
        <button class="button plain" :disabled="later() === undefined" @click="go(later())">
          next <kbd>→</kbd>
        </button>
        <button class="button plain" :aria-pressed="open" @click="turn">drawn <kbd>d</kbd></button>
      </span>
      <svg
        v-if="months.length"
        class="months"
        :viewBox="`0 0 ${months.length * 4} 22`"
        :width="Math.min(220, Math.max(40, months.length * 4))"
        height="22"
        preserveAspectRatio="none"
        role="img"
        :aria-label="`By month: ${fired?.months.map((m) => `${m.month} ${m.count}`).join(', ')}`"
      >
        <g v-for="(m, n) in months" :key="m.month" @click="go(inMonth(m.month))">
          <title>{{ m.month }}: {{ m.count }}</title>
          <rect class="room" :x="n * 4" y="0" width="4" height="22" />
          <rect
            :x="n * 4 + 0.5"
            :y="21 - (19 * m.count) / most"
            width="3"
            :height="(19 * m.count) / most + (m.count ? 1 : 0)"
          />
        </g>
      </svg>
    </p>
    <ErrorNote v-if="error" :error="error" what="The chart can't be drawn" :again="again" />
    <div class="chart">
      <p v-if="!chart" class="quiet">{{ sieve && code ? 'drawing…' : '' }}</p>
      <p v-else-if="!chart.times.length" class="empty">
        {{ code }} has no bars of {{ chart.bars }}.
      </p>
      <ChartSheet
        v-else
        ref="sheet"
        :chart="chart"
        :shown="sight.shown"
        :back="sight.back"
        :fired="firings"
        :looked-at="looked"
        :levels="levels"
        :scale="scale"
        :drawing="drawing"
        :layout="layout"
        asks
        @ask="point"
        @sight="came"
        @level="(place, value) => emit('move', levels[place]!.scale, value)"
        @hold="(held) => emit('hold', held)"
      />
      <Suggest
        v-if="pointed"
        here
        :pointed="pointed"
        :values="values"
        :universe="sieve?.universe ?? ''"
        @point="(text, label) => point({ text, label }, pointed!.at, pointed!.since)"
        @take="
          (text) => {
            emit('take', text)
            leave()
          }
        "
        @close="leave"
      />
      <DressShop
        v-if="open"
        :of="dressing"
        :chart="chart"
        :bars="sieve?.timeframes[0] ?? '1d'"
        :universe="sieve?.universe"
        :stretch="sheet?.stretch"
      />
    </div>
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
.steps {
  white-space: nowrap;
}
.months {
  margin-left: auto;
}
.months rect {
  fill: var(--accent);
}
.months .room {
  fill: transparent;
}
.months g {
  cursor: pointer;
}
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
.old {
  opacity: 0.6;
}
</style>
