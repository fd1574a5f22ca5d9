<script setup lang="ts">
import { ref } from 'vue'
import type { Condition, Schemas, Vocabulary } from '@/shared/api'
import { needs } from '@/shared/format'
import FormulaEditor from './FormulaEditor.vue'

const condition = defineModel<Condition>({ required: true })
defineProps<{
  position: number
  total: number
  reading?: Schemas['Reading']
  count?: Schemas['Count']
  instruments: number
  vocabulary?: Vocabulary
  own?: readonly string[]
}>()
defineEmits<{ remove: []; move: [by: number] }>()
const editor = ref<InstanceType<typeof FormulaEditor>>()
defineExpose({ focus: () => editor.value?.focus() })
const BARS = [
  { key: 'alone', name: 'alone' },
  { key: 'so_far', name: 'so far' },
  { key: 'without', name: 'without it' },
] as const
const HINT = {
  alone: 'instruments that this condition lets through on its own',
  so_far: 'instruments left after this and the conditions above',
  without: 'instruments that would be left if this condition were not there',
}
</script>

<template>
  <li class="row">
    <span class="role">
      <select
        v-model="condition.role"
        :aria-label="`Role of condition ${position}`"
        :class="condition.role"
      >
        <option value="must">must</option>
        <option value="boost">boost</option>
        <option value="veto">veto</option>
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
        :vocabulary="vocabulary"
        :own="own"
      />
      <p v-if="reading && !reading.ok" class="wrong" role="alert">
        <template v-for="(problem, n) in reading.problems" :key="n">
          <span
            ><b v-if="problem.place">{{ problem.place.line }}:{{ problem.place.column }}</b>
            {{ problem.message
            }}<template v-if="problem.mend"> — {{ problem.mend }}</template></span
          >
        </template>
      </p>
      <p v-else class="says">
        {{ reading?.sentence }}
        <span v-if="reading" class="quiet">· needs {{ needs(reading) }}</span>
      </p>
    </div>
    <dl class="counts" :class="{ stale: !count }">
      <template v-for="bar in BARS" :key="bar.key">
        <template v-if="bar.key === 'alone' || condition.role !== 'boost'">
          <dt :title="HINT[bar.key]">{{ bar.name }}</dt>
          <dd>
            <i
              :style="{
                width: `${instruments && count ? (52 * count[bar.key]) / instruments : 0}px`,
              }"
            ></i>
            <span>{{ count ? count[bar.key] : '–' }}</span>
          </dd>
        </template>
      </template>
    </dl>
    <span class="moves">
      <button
        class="button plain"
        :disabled="position === 1"
        aria-label="Move up"
        @click="$emit('move', -1)"
      >
        ↑
      </button>
      <button
        class="button plain"
        :disabled="position === total"
        aria-label="Move down"
        @click="$emit('move', 1)"
      >
        ↓
      </button>
      <button
        class="button plain"
        :disabled="total === 1"
        :aria-label="`Remove condition ${position}`"
        @click="$emit('remove')"
      >
        ×
      </button>
    </span>
  </li>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 66px minmax(0, 1fr) 150px 24px;
  gap: 10px;
  padding: 8px 0 6px;
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
.role input {
  width: 44px;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
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
.counts.stale {
  opacity: 0.5;
}
.moves {
  display: flex;
  flex-direction: column;
  margin-top: -4px;
}
.moves .button {
  padding: 0 4px;
  line-height: 18px;
}
</style>
