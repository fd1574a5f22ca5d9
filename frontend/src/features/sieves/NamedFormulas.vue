<script setup lang="ts">
import type { Problem, Reading, Schemas, Vocabulary } from '@/shared/api'
import { needs } from '@/shared/format'
import { done } from '@/shared/undo'
import FormulaEditor from '@/parts/editor/FormulaEditor.vue'

/** Formulas of a sieve's own, which its conditions call by name. */
const formulas = defineModel<Schemas['NamedFormula'][]>({ required: true })
const props = defineProps<{
  readings?: readonly Reading[]
  problems?: readonly Problem[]
  /** Whether what is said of one is about the text that stands there. */
  saidOf: (place: number) => boolean
  vocabulary?: Vocabulary
  own: readonly string[]
}>()
function remove(position: number) {
  const [gone] = formulas.value.splice(position, 1)
  if (gone) done(`Formula ${gone.name} removed.`, () => formulas.value.splice(position, 0, gone))
}
const nameProblem = (position: number) =>
  props.problems?.find((p) => p.subject === `formulas.${position}.name`)
</script>

<template>
  <div v-for="(named, n) in formulas" :key="n" class="named">
    <input
      v-model="named.name"
      class="field mono"
      :aria-label="`Name of formula ${n + 1}`"
      maxlength="60"
    />
    <div>
      <FormulaEditor
        v-model="named.text"
        :label="`Formula ${n + 1}`"
        :problems="readings?.[n]?.problems"
        :offers="saidOf(n) ? readings?.[n]?.offers : []"
        :nearest="saidOf(n) ? readings?.[n]?.nearest : []"
        :vocabulary="vocabulary"
        :own="own"
      />
      <p class="says" :class="{ old: !saidOf(n) }">
        <span v-if="nameProblem(n)" class="fall">{{ nameProblem(n)?.message }}</span>
        <span v-for="(p, m) in readings?.[n]?.problems" :key="m" class="fall">{{ p.message }}</span>
        <span v-if="readings?.[n]?.ok" class="quiet">
          <template v-for="(output, m) in readings[n]!.outputs" :key="output.name">
            {{ m ? ', ' : '' }}{{ output.name === 'value' ? '' : `.${output.name} `
            }}{{ output.kind === 'truth' ? 'condition' : output.unit }}</template
          >
          · needs {{ needs(readings[n]!) }}
        </span>
      </p>
    </div>
    <button class="button plain" :aria-label="`Remove formula ${n + 1}`" @click="remove(n)">
      ×
    </button>
  </div>
</template>

<style scoped>
.named {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr) 24px;
  gap: 10px;
  margin-top: 10px;
  align-items: start;
}
.named .field {
  width: 100%;
}
.says {
  margin: 3px 0 0;
}
.old {
  opacity: 0.45;
}
@media (max-width: 900px) {
  .named {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
