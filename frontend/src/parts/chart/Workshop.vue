<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Chart, FunctionEntry } from '@/shared/api'
import { useFormulas } from '@/shared/queries'
import FormulaText from '@/parts/editor/FormulaText.vue'
import InkChoice from './InkChoice.vue'
import { LAYER, PLACES, STRIP_NAMES, type Layer, type Layout, type State } from './layout'
import LineNumbers from './LineNumbers.vue'
import Speeds from './Speeds.vue'
import StateList from './StateList.vue'

/** How everything on the chart is drawn: each formula with its numbers, place, ink and levels; painted bars;
 * the strip of extremes. */
const props = defineProps<{
  layout: Layout
  chart?: Chart
  bars: string
  /** Within which instruments are compared. */
  universe?: string
  functions: readonly FunctionEntry[]
  /** The stretch that is measured, to tune lengths through. */
  stretch?: { since: number; until: number }
  /** Layouts that can be drawn here, where none is kept. */
  kept?: readonly { name: string; body: Layout }[]
}>()
const emit = defineEmits<{ change: [part: Partial<Layout>]; close: [] }>()
const formulas = useFormulas()
const field = ref<InstanceType<typeof FormulaText>>()
const layers = computed(() => props.layout.layers)
/** What can be drawn, by name: functions as they are usually called, formulas of the desk. */
const offered = computed(() => [
  ...(formulas.data.value ?? []).map((f) => ({ call: f.stored.name, told: f.stored.note })),
  ...props.functions.map((f) => ({ call: f.call, told: f.label })),
])
const change = (n: number, to: Partial<Layer>) =>
  emit('change', { layers: layers.value.map((own, m) => (m === n ? { ...own, ...to } : own)) })
function add(formula: string) {
  if (!formula) return
  if (layers.value.some((own) => own.formula === formula)) return
  emit('change', { layers: [...layers.value, { ...LAYER, formula }] })
}
const remove = (n: number) => emit('change', { layers: layers.value.filter((_, m) => m !== n) })
function move(n: number, by: number) {
  const all = [...layers.value]
  const [moved] = all.splice(n, 1)
  if (moved) all.splice(n + by, 0, moved)
  emit('change', { layers: all })
}
const redraw = (n: number, formula: string) =>
  formula.trim() ? change(n, { formula: formula.trim() }) : remove(n)
const numbersOf = (text: string) => props.chart?.asked.find((own) => own.text === text)?.controls
const refusal = (text: string) =>
  props.chart?.refused.find((own) => own.text === text.trim())?.problems[0]?.message
/** The levels that a text writes, one after another. */
const levels = (text: string) =>
  text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number)
    .filter(Number.isFinite)
function turnStrip(measure: string) {
  const has = props.layout.strip.includes(measure)
  const strip = props.layout.strip.filter((own) => own !== measure)
  emit('change', { strip: has ? strip : [...props.layout.strip, measure] })
}
const others = computed(() => props.layout.strip.filter((own) => !STRIP_NAMES.has(own)))
function addStrip(text: string) {
  if (text && !props.layout.strip.includes(text))
    emit('change', { strip: [...props.layout.strip, text] })
}
const value = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
const tuned = ref<number>()
/** What a formula is when one is taken of another. */
const onIt = (formula: string) => add(`sma(${formula}, 13)`)
const KINDS = ['share', 'cross', 'future', 'index', 'gauge', 'pair', 'other']
const turned = (all: readonly string[], one: string) =>
  all.includes(one) ? all.filter((own) => own !== one) : [...all, one]
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <aside class="workshop" aria-label="How it is drawn" @keydown.esc.stop="emit('close')">
    <p class="add">
      <FormulaText
        ref="field"
        class="adding"
        value=""
        :least="24"
        list="drawable"
        placeholder="draw: a few letters"
        label="Draw a function or formula"
        @take="add"
      />
      <button class="button plain" @click="field?.take()">draw</button>
      <button class="button plain" aria-label="Close" @click="emit('close')">×</button>
      <datalist id="drawable">
        <option v-for="own in offered" :key="own.call" :value="own.call">{{ own.told }}</option>
      </datalist>
    </p>
    <p v-if="kept">
      as kept:
      <button
        v-for="one in kept"
        :key="one.name"
        class="button plain"
        @click="emit('change', one.body)"
      >
        {{ one.name }}
      </button>
    </p>
    <section v-for="(own, n) in layers" :key="n" class="layer" :class="{ off: own.hidden }">
      <p>
        <FormulaText
          class="formula"
          :value="own.formula"
          :label="`Formula ${n + 1}`"
          @take="(text) => redraw(n, text)"
        />
        <LineNumbers
          :text="own.formula"
          :controls="numbersOf(own.formula)"
          @redraw="(_, after) => redraw(n, after)"
        />
      </p>
      <p v-if="refusal(own.formula)" class="fall" role="alert">{{ refusal(own.formula) }}</p>
      <p class="line">
        <select
          class="inline-part"
          :value="own.place"
          :aria-label="`Where formula ${n + 1} is drawn`"
          @change="change(n, { place: value($event) as Layer['place'] })"
        >
          <option v-for="[place, told] in PLACES" :key="place" :value="place">{{ told }}</option>
        </select>
        <InkChoice
          :ink="own.ink"
          :label="`Colour of formula ${n + 1}`"
          @change="(ink) => change(n, { ink })"
        />
        <label class="quiet"
          ><input
            type="number"
            class="inline-part"
            min="0.5"
            max="6"
            step="0.5"
            :value="own.width"
            :aria-label="`Width of formula ${n + 1}`"
            @input="change(n, { width: Math.max(0.5, Math.min(6, Number(value($event)) || 1.4)) })"
          />
          px</label
        >
        <label class="quiet"
          ><input
            type="checkbox"
            :checked="own.dash"
            @change="change(n, { dash: !own.dash })"
          />dashed</label
        >
      </p>
      <p class="line">
        <label class="quiet"
          >levels
          <input
            class="inline-part"
            :value="own.levels.join(' ')"
            placeholder="43 57"
            :aria-label="`Levels of formula ${n + 1}`"
            maxlength="200"
            @change="change(n, { levels: levels(value($event)) })"
        /></label>
        <button class="button plain" @click="onIt(own.formula)">average of it</button>
        <button
          v-if="numbersOf(own.formula)?.length"
          class="button plain"
          :aria-pressed="tuned === n"
          @click="tuned = tuned === n ? undefined : n"
        >
          speeds
        </button>
        <span class="acts">
          <button
            class="button plain"
            :aria-pressed="own.hidden"
            @click="change(n, { hidden: !own.hidden })"
          >
            {{ own.hidden ? 'show' : 'hide' }}
          </button>
          <button
            class="button plain"
            :disabled="!n"
            :aria-label="`Formula ${n + 1} up`"
            @click="move(n, -1)"
          >
            ↑
          </button>
          <button
            class="button plain"
            :disabled="n === layers.length - 1"
            :aria-label="`Formula ${n + 1} down`"
            @click="move(n, 1)"
          >
            ↓
          </button>
          <button class="button plain" :aria-label="`Remove formula ${n + 1}`" @click="remove(n)">
            ×
          </button>
        </span>
      </p>
      <StateList
        :states="own.states"
        :label="`State of formula ${n + 1}`"
        what="in another colour while"
        :refusal="refusal"
        @change="(states: State[]) => change(n, { states })"
      />
      <Speeds
        v-if="tuned === n && chart && numbersOf(own.formula)"
        :code="chart.code"
        :bars="bars"
        :universe="universe"
        :forming="chart.forming"
        :text="own.formula"
        :controls="numbersOf(own.formula)!"
        :stretch="stretch"
        @take="(text) => redraw(n, text)"
        @draw="(text) => add(text)"
      />
    </section>
    <section>
      <h2>Bars painted</h2>
      <StateList
        :states="layout.painted"
        label="Painted"
        what="paint them while"
        :refusal="refusal"
        @change="(painted: State[]) => emit('change', { painted })"
      />
      <p v-if="layout.painted.length" class="line">
        <span class="quiet">where none holds</span>
        <InkChoice
          :ink="layout.otherwise"
          label="Colour of bars where none holds"
          @change="(otherwise) => emit('change', { otherwise })"
        />
      </p>
    </section>
    <section>
      <h2>
        Strip: largest or smallest of
        <input
          type="number"
          class="inline-part"
          min="2"
          max="1000"
          :value="layout.strip_bars"
          aria-label="Bars of the strip"
          @input="
            Number(value($event)) >= 2 &&
            emit('change', { strip_bars: Math.round(Math.min(1000, Number(value($event)))) })
          "
        />
        bars
      </h2>
      <p class="line">
        <label v-for="[measure, told] in STRIP_NAMES" :key="measure"
          ><input
            type="checkbox"
            :checked="layout.strip.includes(measure)"
            @change="turnStrip(measure)"
          />{{ told }}</label
        >
      </p>
      <p v-for="own in others" :key="own" class="line">
        <code :class="{ fall: refusal(own) }" :title="refusal(own)">{{ own }}</code>
        <button class="button plain" :aria-label="`Remove ${own}`" @click="turnStrip(own)">
          ×
        </button>
      </p>
      <p class="line">
        <FormulaText
          value=""
          :least="16"
          placeholder="any formula"
          label="Measure for the strip"
          @take="addStrip"
        />
      </p>
    </section>
    <section v-if="!kept">
      <h2>Usual for</h2>
      <p class="line">
        <label v-for="kind in KINDS" :key="kind"
          ><input
            type="checkbox"
            :checked="layout.kinds.includes(kind)"
            @change="emit('change', { kinds: turned(layout.kinds, kind) })"
          />{{ kind }}</label
        >
      </p>
      <p class="line">
        <label class="quiet"
          >on bars of
          <input
            class="inline-part mono"
            :value="layout.timeframes.join(' ')"
            placeholder="any"
            aria-label="Bars that the layout is usual for"
            maxlength="200"
            @change="
              emit('change', {
                timeframes: value($event)
                  .split(/[\s,;]+/)
                  .filter(Boolean),
              })
            "
        /></label>
      </p>
    </section>
  </aside>
</template>

<style scoped>
.workshop {
  width: 300px;
  flex: none;
  overflow: auto;
  padding: 2px 0 8px 12px;
  font-size: 12px;
}
section {
  border-top: 1px solid var(--hair);
  padding: 4px 0;
}
p {
  margin: 2px 0;
}
h2 {
  font-size: 12px;
  font-weight: 600;
  margin: 2px 0;
}
.add {
  display: flex;
  gap: 4px;
}
.formula,
.adding {
  width: 100%;
}
.formula,
.adding {
  font-size: 13px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
}
.line label {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  min-height: 24px;
}
input[type='checkbox'] {
  width: 15px;
  height: 15px;
  min-height: 0;
}
.acts {
  margin-left: auto;
}
.button {
  padding: 0 4px;
}
input[type='number'] {
  width: 6ch;
}
.off .formula {
  opacity: 0.5;
}
select {
  max-width: 130px;
}
</style>
