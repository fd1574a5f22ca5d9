<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { Chart } from '@/shared/api'
import { price, signed } from '@/shared/format'
import FormulaText from '@/parts/editor/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'
import LineNumbers from './LineNumbers.vue'
import { DRAWINGS, type Drawing, type Scale } from './looks'

/** What is looked at, as a sentence whose parts are changed where they stand. */
const props = defineProps<{
  code: string
  name: string
  chart?: Chart
  bars: string
  scale: Scale
  drawing: Drawing
  /** Slower bars count as they form, or once they have closed. */
  forming: boolean
  lines: readonly string[]
  /** Those that a link asked for: they go with it, unless they are kept. */
  guests: readonly string[]
  offered: readonly { value: string; told: string }[]
  codes: readonly string[]
}>()
const emit = defineEmits<{
  bars: [bars: string]
  scale: [scale: Scale]
  drawing: [drawing: Drawing]
  forming: [forming: boolean]
  draw: [formula: string]
  remove: [formula: string]
  keep: [formula: string]
  redraw: [before: string, after: string]
  compare: [code: string]
}>()
const barsField = ref<InstanceType<typeof InlineText>>()
const drawField = ref<InstanceType<typeof FormulaText>>()
const sentence = ref<HTMLElement>()
const besideField = ref<HTMLInputElement>()
const beside = ref('')
const fewCodes = computed(() => {
  const begun = beside.value.trim().toLowerCase()
  return props.codes.filter((c) => c.toLowerCase().startsWith(begun)).slice(0, 40)
})
function compare() {
  const code = beside.value.trim()
  beside.value = ''
  besideField.value?.blur()
  if (code) emit('compare', code)
}
/** A drawn formula is changed where it stands; emptied, it goes. */
const redraw = (before: string, after: string) =>
  after ? emit('redraw', before, after) : emit('remove', before)
const moved = computed(() => {
  const closes = props.chart?.close ?? []
  const [before, last] = [closes.at(-2), closes.at(-1)]
  return before && last !== undefined ? 100 * (last / before - 1) : undefined
})
const refusal = (formula: string) =>
  props.chart?.refused.find((one) => one.text === formula)?.problems[0]?.message
const controls = (formula: string) =>
  props.chart?.asked.find((one) => one.text === formula)?.controls

async function write(field?: HTMLInputElement | null) {
  await nextTick()
  field?.focus()
  field?.select()
}
defineExpose({
  writeBars: () => barsField.value?.focus(),
  writeLine: () => drawField.value?.focus(),
  writeBeside: () => write(besideField.value),
  turn: () => write(sentence.value?.querySelector<HTMLInputElement>('input[type="number"]')),
})
</script>

<template>
  <header>
    <div class="top">
      <h1>
        <span class="mono">{{ code }}</span> {{ name }}
      </h1>
      <slot />
    </div>
    <p ref="sentence">
      on
      <InlineText
        ref="barsField"
        :value="bars"
        :least="5"
        list="kinds-of-bars"
        aria-label="Bars"
        title="15m, 1w, brick(10, 20) …  b"
        @take="(text) => text && emit('bars', text)"
      />
      <datalist id="kinds-of-bars">
        <option v-for="o in offered" :key="o.value" :value="o.value">{{ o.told }}</option>
      </datalist>
      <select
        :value="drawing"
        class="inline-part"
        aria-label="Drawn as"
        title="candles, bars, line, smoothed candles  k"
        @change="emit('drawing', ($event.target as HTMLSelectElement).value as Drawing)"
      >
        <option v-for="d in DRAWINGS" :key="d" :value="d">
          {{ d === 'smoothed' ? 'smoothed candles' : d }}
        </option></select
      >,
      <select
        :value="scale"
        class="inline-part"
        aria-label="Scale"
        title="percent: from the first bar in sight  s"
        @change="emit('scale', ($event.target as HTMLSelectElement).value as Scale)"
      >
        <option value="linear">linear</option>
        <option value="log">log</option>
        <option value="percent">percent</option></select
      ><template v-if="chart?.close.length"
        >, last <b>{{ price(chart.close.at(-1)!, chart.tick) }}</b><template
          v-if="moved !== undefined"
          >,
          <span :class="moved < 0 ? 'fall' : 'rise'">{{
            `${moved < 0 ? '▼' : '▲'} ${signed(moved, 1)} %`
          }}</span>
          from the close before</template
        ></template
      ><span v-if="chart?.provisional" class="quiet"> (not closed yet)</span>; slower bars
      <select
        class="inline-part"
        aria-label="Slower bars count"
        title="once they have closed: as in a sieve of closed bars; as they form: as one of unfinished bars"
        :value="String(forming)"
        @change="emit('forming', ($event.target as HTMLSelectElement).value === 'true')"
      >
        <option value="false">once they have closed</option>
        <option value="true">as they form</option></select
      >; drawn:
      <span v-for="(line, n) in lines" :key="n" class="line" :class="{ fall: refusal(line) }">
        <FormulaText
          :value="line"
          :least="4"
          :title="refusal(line)"
          :label="`Drawn formula ${line}`"
          @take="(text) => redraw(line, text)"
        />
        <LineNumbers :text="line" :controls="controls(line)" @redraw="redraw" />
        <button
          v-if="guests.includes(line)"
          :aria-label="`Keep ${line}`"
          title="Drawn by the link that led here; keep it among your own"
          @click="emit('keep', line)"
        >
          keep
        </button>
        <button :aria-label="`Remove ${line}`" @click="emit('remove', line)">×</button>
      </span>
      <FormulaText
        ref="drawField"
        value=""
        :least="18"
        placeholder="+ formula  l"
        label="Draw a formula"
        @take="(formula) => formula && emit('draw', formula)"
      />
      <input
        ref="besideField"
        v-model="beside"
        class="inline-part mono beside"
        placeholder="+ beside  c"
        aria-label="Draw another instrument beside it"
        title="the closes of another instrument from a common start, in percent"
        list="codes-beside"
        @keydown.enter="compare"
        @keydown.esc="besideField?.blur()"
        @change="compare"
      />
      <datalist id="codes-beside">
        <option v-for="c in fewCodes" :key="c" :value="c" />
      </datalist>
    </p>
    <p v-for="one in chart?.refused" :key="one.text" class="fall" role="alert">
      <code>{{ one.text }}</code> can't be drawn: {{ one.problems[0]?.message
      }}{{ one.problems[0]?.mend ? ` — ${one.problems[0].mend}` : '' }}
    </p>
  </header>
</template>

<style scoped>
header {
  margin-bottom: 6px;
}
h1 {
  font-size: 17px;
  margin: 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
p {
  margin: 2px 0;
}
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 0 18px;
  align-items: baseline;
}
.beside {
  width: 12ch;
}
.line {
  white-space: nowrap;
  margin-right: 6px;
}
.line button {
  font: inherit;
  color: var(--quiet);
  background: none;
  border: 0;
  min-width: 24px;
  min-height: 24px;
  cursor: pointer;
}
</style>
