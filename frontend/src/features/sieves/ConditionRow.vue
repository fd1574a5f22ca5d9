<script setup lang="ts">
import { computed, nextTick, ref, toRef } from 'vue'
import type { Condition, Problem, Schemas, Vocabulary } from '@/shared/api'
import { needs, told, whole } from '@/shared/format'
import FormulaEditor from '@/parts/editor/FormulaEditor.vue'
import ErrorNote from '@/shared/ErrorNote.vue'
import { pointerIsDown } from '@/shared/press'
import HelpCard from '@/parts/editor/HelpCard.vue'
import Histogram from './Histogram.vue'
import RowForm from './RowForm.vue'
import { lastFace, useRows, type Face } from './rows'
import type { Scale } from './thresholds'

const condition = defineModel<Condition>({ required: true })
const props = defineProps<{
  position: number
  total: number
  reading?: Schemas['Reading']
  count?: Schemas['Count']
  instruments: number
  /** The sieve looks for setups of both sides. */
  sided?: boolean
  /** What is wrong with it beside its text. */
  amiss?: Problem
  /** What keeps instruments from being decided by it. */
  lacks?: string
  /** It is never or always true, and what may have been meant. */
  constant?: Schemas['ToldConstant'] | null
  /** Whether the sentence is about the text that stands there, and the counts about all of them. */
  said?: boolean
  counted?: boolean
  /** What it measures, with thresholds that can be moved; shown while it is `open`. */
  scales?: readonly Scale[]
  open?: boolean
  tied?: (scale: number) => boolean
  vocabulary?: Vocabulary
  own?: readonly string[]
}>()
const emit = defineEmits<{
  open: []
  remove: []
  duplicate: []
  move: [by: number]
  threshold: [scale: number, value: number]
  tie: [scale: number]
  hold: [held: boolean]
  next: []
  another: []
}>()
const editor = ref<InstanceType<typeof FormulaEditor>>()
const row = ref<HTMLElement>()
const formula = computed({
  get: () => condition.value.formula,
  set: (text: string) => (condition.value.formula = text),
})
const {
  row: parts,
  edit,
  problemAt,
  error,
  again,
  broken,
} = useRows(formula, toRef(props, 'reading'), toRef(props, 'said'))
const face = ref<Face>(lastFace.value)
async function turn() {
  face.value = lastFace.value = face.value === 'text' ? 'parts' : 'text'
  await nextTick()
  if (face.value === 'text') editor.value?.focus()
  else row.value?.querySelector<HTMLElement>('.cm-content')?.focus()
}
/** Bars after a veto for which it still keeps out: one of the last so many, and one. */
const cooldown = computed(() => {
  const own = parts.value
  if (!own || own.negated || own.on || !['', 'in last'].includes(own.span)) return
  return own.span ? Math.max(0, Number(own.bars) - 1) : 0
})
function cool(bars: number) {
  if (!parts.value || !Number.isInteger(bars) || bars < 0) return
  const span = bars ? ('in last' as const) : ''
  edit({ ...parts.value, span, bars: bars ? String(bars + 1) : '' })
}
/** Keys of the condition that the focus is in, whatever part of it. */
function onKey(event: KeyboardEvent) {
  const key = event.altKey ? `Alt+${event.code.replace('Key', '').toLowerCase()}` : event.key
  const run = {
    F2: turn,
    'Alt+arrowup': () => props.position > 1 && emit('move', -1),
    'Alt+arrowdown': () => props.position < props.total && emit('move', 1),
    'Alt+insert': () => emit('duplicate'),
    'Alt+delete': () => props.total > 1 && emit('remove'),
    'Alt+o': () => (condition.value.off = !condition.value.off),
  }[key]
  if (!run || event.ctrlKey || event.metaKey) return
  event.preventDefault()
  event.stopPropagation()
  if (!event.repeat) void run()
}
defineExpose({
  focus: () => {
    if (face.value === 'text') editor.value?.focus()
    else row.value?.querySelector<HTMLElement>('.cm-content')?.focus()
  },
  /** The cursor goes into the text, all of it chosen. */
  write: async () => {
    face.value = 'text'
    await nextTick()
    editor.value?.choose()
  },
  leave: () => editor.value?.leave(),
  reveal: () => row.value?.scrollIntoView({ block: 'nearest' }),
})
/** While the pointer is down nothing opens: what is pressed would move away from under it. */
const focused = () => pointerIsDown() || emit('open')
const veto = computed(() => condition.value.role === 'veto')
/** A veto tells what it keeps out; the others what they let through. */
const bars = computed(() => {
  const count = props.count
  const shown = [
    veto.value
      ? { name: 'keeps out', value: count && props.instruments - count.alone }
      : { name: 'alone', value: count?.alone },
  ]
  if (condition.value.role === 'boost') return shown
  return [
    ...shown,
    { name: 'so far', value: count?.so_far },
    { name: 'without it', value: count?.without },
  ]
})
</script>

<template>
  <li
    ref="row"
    class="row"
    :class="{ open, off: condition.off }"
    @keydown.capture="onKey"
    @focusin="focused"
    @click="emit('open')"
  >
    <span class="role">
      <span class="quiet number">{{ position }}</span>
      <select
        v-model="condition.role"
        :aria-label="`Role of condition ${position}`"
        :class="condition.role"
      >
        <option
          v-for="role in vocabulary?.roles ?? [{ value: condition.role, told: '' }]"
          :key="role.value"
          :value="role.value"
          :title="role.told"
        >
          {{ role.value }}
        </option>
      </select>
      <label v-if="condition.role === 'boost'" class="quiet">
        +
        <input
          v-model.number="condition.weight"
          type="number"
          min="0.1"
          step="0.5"
          aria-label="Weight"
        />
      </label>
      <select
        v-if="sided || condition.side"
        v-model="condition.side"
        class="side"
        :aria-label="`Side of condition ${position}`"
        title="Of which setups it is asked"
      >
        <option :value="null">both</option>
        <option value="long">▲ long</option>
        <option value="short">▼ short</option>
      </select>
      <label
        v-if="veto && cooldown !== undefined"
        class="quiet"
        title="For so many bars after it, it still keeps out"
      >
        keeps out for
        <input
          :value="cooldown"
          type="number"
          min="0"
          :aria-label="`Cool-down of condition ${position}`"
          @input="cool(($event.target as HTMLInputElement).valueAsNumber)"
        />
        more bars
      </label>
    </span>
    <div class="text">
      <HelpCard v-if="face === 'parts'" :vocabulary="vocabulary">
        <RowForm
          v-if="parts"
          :row="parts"
          :place="String(position)"
          :problem-at="problemAt"
          :vocabulary="vocabulary"
          :own="own"
          @change="edit"
        />
        <p v-else class="quiet">
          This one stays text: it has steps of its own, or can’t be read yet.
        </p>
        <ErrorNote v-if="error" :error="error" what="The parts can't be written" :again="again" />
      </HelpCard>
      <FormulaEditor
        v-if="face === 'text' || !parts"
        ref="editor"
        v-model="condition.formula"
        :label="`Condition ${position}`"
        :problems="reading?.problems"
        :offers="said ? reading?.offers : []"
        :nearest="said ? reading?.nearest : []"
        :vocabulary="vocabulary"
        :own="own"
        steps
        @next="emit('next')"
        @another="emit('another')"
      />
      <p
        v-if="reading && !reading.ok && !(broken && face === 'parts')"
        class="wrong"
        :class="{ old: !said }"
        role="alert"
      >
        <template v-for="(problem, n) in reading.problems" :key="n">
          <span
            ><b v-if="problem.place">{{ problem.place.line }}:{{ problem.place.column }}</b>
            {{ problem.message
            }}<template v-if="problem.mend"> — {{ problem.mend }}</template></span
          >
        </template>
      </p>
      <p v-else-if="amiss" class="wrong" role="alert">{{ told(amiss) }}</p>
      <p v-else class="says" :class="{ old: !said }">
        {{ reading?.sentence }}
        <span v-if="lacks" class="warn">· {{ lacks }}</span>
        <span v-if="constant" class="warn">
          · {{ constant.told
          }}<template v-if="constant.meant"
            >; it holds the very bar, the bars before may be meant:
            <button class="button" @click="condition.formula = constant.meant.text">
              <code>{{ constant.meant.text }}</code>
            </button></template
          >
        </span>
        <span v-if="reading?.ok" class="quiet">· needs {{ needs(reading) }}</span>
      </p>
      <div v-if="open" class="scales">
        <Histogram
          v-for="(scale, n) in scales"
          :key="n"
          :scale="scale"
          :label="`Threshold of condition ${position}`"
          :tied="tied?.(n)"
          many-sided
          @move="(value) => emit('threshold', n, value)"
          @hold="(held) => emit('hold', held)"
          @tie="emit('tie', n)"
        />
      </div>
    </div>
    <dl class="counts" :class="{ old: !count || !counted }">
      <template v-for="bar in bars" :key="bar.name">
        <dt>
          <span class="figure" tabindex="0" :data-help="bar.name">{{ bar.name }}</span>
        </dt>
        <dd>
          <i
            :class="{ out: bar.name === 'keeps out' }"
            :style="{ width: `${instruments && bar.value ? (34 * bar.value) / instruments : 0}px` }"
          ></i>
          <span>{{ bar.value === undefined ? '–' : whole(bar.value) }}</span>
        </dd>
      </template>
    </dl>
    <span class="moves">
      <button
        class="button plain"
        :aria-pressed="face === 'parts'"
        :aria-label="`Condition ${position} as ${face === 'text' ? 'parts' : 'text'}`"
        title="As text, or as parts (F2)"
        @click="turn"
      >
        {{ face === 'text' ? 'parts' : 'text' }}
      </button>
      <button
        class="button plain"
        :aria-pressed="condition.off"
        :aria-label="`Switch condition ${position} ${condition.off ? 'on' : 'off'}`"
        title="Off for a moment (Alt O)"
        @click="condition.off = !condition.off"
      >
        {{ condition.off ? 'on' : 'off' }}
      </button>
      <button
        class="button plain"
        :aria-label="`Duplicate condition ${position}`"
        title="Duplicate (Alt Insert)"
        @click="emit('duplicate')"
      >
        +
      </button>
      <button
        class="button plain"
        :disabled="position === 1"
        aria-label="Move up"
        title="Up (Alt ↑)"
        @click="emit('move', -1)"
      >
        ↑
      </button>
      <button
        class="button plain"
        :disabled="position === total"
        aria-label="Move down"
        title="Down (Alt ↓)"
        @click="emit('move', 1)"
      >
        ↓
      </button>
      <button
        class="button plain"
        :disabled="total === 1"
        :aria-label="`Remove condition ${position}`"
        title="Remove (Alt Delete)"
        @click="emit('remove')"
      >
        ×
      </button>
    </span>
  </li>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 80px minmax(0, 1fr) 132px 98px;
  gap: 10px;
  padding: 6px 0 5px 6px;
  border-bottom: 1px solid var(--hair);
}
.role select {
  font: inherit;
  color: var(--accent);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--accent);
  padding: 2px 0;
  width: 62px;
}
.role select.side {
  width: auto;
  max-width: 80px;
  font-size: 12px;
  border-color: var(--hair);
}
.role option {
  color: var(--ink);
  background: var(--sheet);
}
.role select.veto {
  color: var(--fall);
  border-color: var(--fall);
}
.number {
  display: inline-block;
  width: 16px;
  font-size: 12px;
}
.role input {
  width: 44px;
  min-height: 24px;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
}
.scales {
  display: flex;
  flex-wrap: wrap;
  gap: 0 24px;
}
.scales > * {
  flex: 1 1 260px;
}
.open {
  background: linear-gradient(to right, var(--accent) 2px, transparent 2px);
}
.says,
.wrong {
  margin: 3px 0 0;
}
.wrong {
  color: var(--fall);
}
.wrong span {
  display: block;
}
.counts {
  display: grid;
  grid-template-columns: 58px 1fr;
  gap: 0 6px;
  margin: 2px 0 0;
  font-size: 12px;
  line-height: 16px;
  align-content: start;
}
.figure {
  color: var(--quiet);
  cursor: help;
}
.counts dd {
  margin: 0;
  position: relative;
  display: flex;
  align-items: center;
  gap: 4px;
}
.counts i {
  height: 4px;
  min-width: 1px;
  background: var(--ink);
  flex: none;
  max-width: 34px;
}
.old {
  opacity: 0.45;
}
.counts i.out {
  background: var(--fall);
}
@media (max-width: 900px) {
  .row {
    grid-template-columns: minmax(0, 1fr);
    gap: 4px;
  }
}
.moves {
  display: flex;
  flex-wrap: wrap;
  align-content: start;
}
.moves .button {
  padding: 0 4px;
  min-width: 26px;
}
.off .text,
.off .role {
  opacity: 0.5;
}
</style>
