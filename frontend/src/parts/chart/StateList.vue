<script setup lang="ts">
import FormulaText from '@/parts/editor/FormulaText.vue'
import InkChoice from './InkChoice.vue'
import type { State } from './layout'

/** Conditions and the inks that something is drawn in while they hold; the first that holds counts. */
const props = defineProps<{
  states: readonly State[]
  label: string
  what: string
  refusal: (text: string) => string | undefined
}>()
const emit = defineEmits<{ change: [states: State[]] }>()
const change = (n: number, to: Partial<State>) =>
  emit(
    'change',
    props.states.map((own, m) => (m === n ? { ...own, ...to } : own)),
  )
const remove = (n: number) =>
  emit(
    'change',
    props.states.filter((_, m) => m !== n),
  )
function add(when: string) {
  const ink = (['rise', 'fall', 'flat'] as const)[props.states.length] ?? '1'
  if (when) emit('change', [...props.states, { when, ink }])
}
</script>

<template>
  <div>
    <p v-for="(own, n) in states" :key="n">
      <InkChoice
        :ink="own.ink"
        :label="`Ink of ${label} ${n + 1}`"
        @change="(ink) => change(n, { ink })"
      />
      <FormulaText
        class="when"
        role="condition"
        needed
        :value="own.when"
        :title="refusal(own.when)"
        :label="`${label} ${n + 1}`"
        @take="(when) => change(n, { when })"
      />
      <button class="button plain" :aria-label="`Remove ${label} ${n + 1}`" @click="remove(n)">
        ×
      </button>
    </p>
    <p>
      <span class="quiet">{{ what }}</span>
      <FormulaText
        class="when"
        role="condition"
        value=""
        placeholder="a condition"
        :label="`Add: ${label}`"
        @take="add"
      />
    </p>
  </div>
</template>

<style scoped>
p {
  display: flex;
  gap: 4px;
  align-items: center;
  margin: 1px 0;
}
.when {
  flex: 1;
  min-width: 0;
  font-size: 12px;
}
.button {
  padding: 0 4px;
}
.quiet {
  white-space: nowrap;
}
</style>
