<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Condition, Schemas, Vocabulary } from '@/shared/api'
import { needs } from '@/shared/format'
import FormulaEditor from './FormulaEditor.vue'
import Histogram from './Histogram.vue'
import type { Scale } from './thresholds'

const condition = defineModel<Condition>({ required: true })
const props = defineProps<{
  position: number
  total: number
  reading?: Schemas['Reading']
  count?: Schemas['Count']
  instruments: number
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
  move: [by: number]
  threshold: [scale: number, value: number]
  tie: [scale: number]
  hold: [held: boolean]
}>()
const editor = ref<InstanceType<typeof FormulaEditor>>()
const row = ref<HTMLElement>()
defineExpose({
  focus: () => editor.value?.focus(),
  reveal: () => row.value?.scrollIntoView({ block: 'nearest' }),
})
const veto = computed(() => condition.value.role === 'veto')
/** A veto tells what it keeps out; the others what they let through. */
const bars = computed(() => {
  const count = props.count
  const shown = [
    veto.value
      ? {
          name: 'keeps out',
          value: count && props.instruments - count.alone,
          hint: 'instruments that this veto keeps out on its own, or that it can not judge',
        }
      : {
          name: 'alone',
          value: count?.alone,
          hint: 'instruments that this condition lets through on its own',
        },
  ]
  if (condition.value.role === 'boost') return shown
  return [
    ...shown,
    {
      name: 'so far',
      value: count?.so_far,
      hint: 'instruments left after this and the conditions above',
    },
    {
      name: 'without it',
      value: count?.without,
      hint: 'instruments that would be left if this condition were not there',
    },
  ]
})
</script>

<template>
  <li ref="row" class="row" :class="{ open }" @focusin="emit('open')" @pointerdown="emit('open')">
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
    </span>
    <div class="text">
      <FormulaEditor
        ref="editor"
        v-model="condition.formula"
        :label="`Condition ${position}`"
        :problems="reading?.problems"
        :offers="said ? reading?.offers : []"
        :vocabulary="vocabulary"
        :own="own"
      />
      <p v-if="reading && !reading.ok" class="wrong" :class="{ old: !said }" role="alert">
        <template v-for="(problem, n) in reading.problems" :key="n">
          <span
            ><b v-if="problem.place">{{ problem.place.line }}:{{ problem.place.column }}</b>
            {{ problem.message
            }}<template v-if="problem.mend"> — {{ problem.mend }}</template></span
          >
        </template>
      </p>
      <p v-else class="says" :class="{ old: !said }">
        {{ reading?.sentence }}
        <span v-if="reading" class="quiet">· needs {{ needs(reading) }}</span>
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
        <dt :title="bar.hint">{{ bar.name }}</dt>
        <dd>
          <i
            :class="{ out: bar.name === 'keeps out' }"
            :style="{ width: `${instruments && bar.value ? (52 * bar.value) / instruments : 0}px` }"
          ></i>
          <span>{{ bar.value ?? '–' }}</span>
        </dd>
      </template>
    </dl>
    <span class="moves">
      <button
        class="button plain"
        :disabled="position === 1"
        aria-label="Move up"
        @click="emit('move', -1)"
      >
        ↑
      </button>
      <button
        class="button plain"
        :disabled="position === total"
        aria-label="Move down"
        @click="emit('move', 1)"
      >
        ↓
      </button>
      <button
        class="button plain"
        :disabled="total === 1"
        :aria-label="`Remove condition ${position}`"
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
  grid-template-columns: 80px minmax(0, 1fr) 132px 74px;
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
.counts dt {
  color: var(--quiet);
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
  max-width: 52px;
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
  align-items: start;
}
.moves .button {
  padding: 0 4px;
}
</style>
