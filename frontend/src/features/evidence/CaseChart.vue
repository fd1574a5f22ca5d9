<script setup lang="ts">
import { computed, ref } from 'vue'
import ChartView from '@/parts/chart/ChartView.vue'
import { useDress } from '@/parts/chart/dress'
import type { TradeDrawn } from '@/parts/chart/trade'
import { instrumentAt } from '@/shared/addresses'
import { answer, type Schemas } from '@/shared/api'
import { barTime, plural, price, signed } from '@/shared/format'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import { useFired } from '@/parts/shaping/fired'
import { percent, when } from './told'

/** A signal on its chart as it looked at the moment looked from, with its trade so far. */
const props = defineProps<{
  question: Schemas['CaseBody']
  /** The same, by all that is known. */
  whole: Schemas['EvidenceCase']
  /** So many bars after the signal are shown; all with nothing. */
  ahead: number | undefined
  place: string
  hasBefore: boolean
  hasNext: boolean
}>()
const emit = defineEmits<{ step: [by: number]; turn: []; go: [by: number]; close: [] }>()
const dressing = useDress('sieves')
const { layout, dress } = dressing
const source = useFired(
  computed(() => props.question.sieve),
  computed(() => props.question.code),
  ref(undefined),
  dress,
)
const { fired, data: chart } = source
const then = useRead(() => ({
  of: keys.case(props.question),
  keeps: true,
  read: (server, signal) =>
    answer(server.POST('/api/preview/evidence/case', { body: props.question, signal })),
}))
const known = computed(() => (then.error.value ? undefined : then.data.value))
const trade = computed(() =>
  known.value?.time === props.whole.time ? known.value.trade : undefined,
)
const inR = (r: number | null, of: number | null) =>
  r === null ? percent(of) : `${signed(r, 2)} R`
const drawn = computed<TradeDrawn | undefined>(() => {
  const own = trade.value
  if (!own) return
  return {
    entry: own.entry,
    stops: own.stops,
    targets: own.targets.filter((value) => value !== null),
    exits: own.exits.flatMap((one) =>
      one.price === null
        ? []
        : [{ time: one.time, price: one.price, told: inR(one.r, one.percent) }],
    ),
    until: Math.max(...own.exits.map((one) => one.time)),
  }
})
const REASONS: Record<string, string> = {
  stop: 'at the stop',
  target: 'at a target',
  condition: 'on the condition',
  bars: 'after its bars',
  against: 'after closes against it',
  session_end: 'at the end of the session',
  open: 'still in',
}
const exits = computed(() =>
  (trade.value?.exits ?? []).map((one) => {
    const part = one.share < 0.9995 ? `${Number((100 * one.share).toFixed(1))} % ` : ''
    const at = one.price === null ? '' : ` ${price(one.price, chart.value?.tick)}`
    const made = one.price === null ? '' : `, ${inR(one.r, one.percent)}`
    return `${part}${one.reason === 'open' ? '' : 'out '}${REASONS[one.reason]}${at}${made}`
  }),
)
const steps = computed(() => props.whole.closes.length - 1)
const view = ref<InstanceType<typeof ChartView>>()
</script>

<template>
  <section class="case" aria-label="A signal on its chart">
    <p class="head" aria-live="polite">
      <button class="button plain" @click="emit('close')">all signals <kbd>Esc</kbd></button>
      <RouterLink
        class="mono"
        :to="{
          path: instrumentAt(whole.code),
          query: { bars: question.sieve.timeframes[0], at: whole.time },
        }"
        >{{ whole.code }}</RouterLink
      >
      <span
        >{{ whole.side === 'long' ? '▲ long' : '▼ short' }}, {{ barTime(whole.time) }},
        <span class="quiet">{{ place }}</span></span
      >
      <span v-if="ahead === undefined">
        after {{ when(whole.horizon) }} <b>{{ percent(whole.percent) }}</b>
      </span>
      <span v-else-if="ahead" class="quiet">{{ plural(ahead, 'bar') }} after it</span>
      <span v-else class="quiet">what followed is hidden</span>
      <span v-if="trade" class="trade">
        in {{ price(trade.entry.price, chart?.tick)
        }}<template v-if="trade.stops[0]"
          >, stop {{ price(trade.stops.at(-1)!.price, chart?.tick) }}</template
        >; {{ exits.join('; ')
        }}<template v-if="exits.length > 1 && !trade.is_open"
          >; together <b>{{ inR(trade.r, trade.percent) }}</b></template
        >
      </span>
      <span v-else-if="question.settings?.trade && ahead === undefined && whole.fate" class="quiet">
        not traded: {{ whole.fate }}
      </span>
      <span class="steps">
        <button class="button plain" :disabled="!hasBefore" @click="emit('go', -1)">
          before <kbd>←</kbd>
        </button>
        <button class="button plain" :disabled="!hasNext" @click="emit('go', 1)">
          next <kbd>→</kbd>
        </button>
        <button class="button plain" :disabled="ahead === 0" @click="emit('step', -1)">
          a bar back <kbd>↑</kbd>
        </button>
        <button
          class="button plain"
          :disabled="ahead === undefined || !steps"
          @click="emit('step', 1)"
        >
          a bar further <kbd>↓</kbd>
        </button>
        <button class="button" :aria-pressed="ahead === undefined" @click="emit('turn')">
          {{ ahead === undefined ? 'hide what followed' : 'what followed' }} <kbd>w</kbd>
        </button>
      </span>
    </p>
    <ChartView
      ref="view"
      :of="source"
      :subject="`${whole.code} ${whole.time}`"
      :layout="layout"
      :dressing="dressing"
      :bars="question.sieve.timeframes[0]"
      :universe="question.sieve.universe"
      :fired="fired?.fired ?? []"
      :looked-at="whole.time"
      :at="ahead === undefined ? whole.time : NaN"
      :trade="drawn"
    />
  </section>
</template>

<style scoped>
.case {
  display: flex;
  flex-direction: column;
  height: calc(100vh - 150px);
  min-height: 420px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 10px;
  margin: 6px 0 4px;
}
.steps {
  white-space: nowrap;
  margin-left: auto;
}
</style>
