<script setup lang="ts">
import { ref, watch } from 'vue'
import type { Control } from '@/shared/api'
import { turned } from './numbers'

/** The numbers of a drawn formula, each turned where it stands; the chart is drawn anew at each step. */
const props = defineProps<{ text: string; controls?: readonly Control[] }>()
const emit = defineEmits<{ redraw: [before: string, after: string] }>()
/** As they stand in the text; of one that was turned here, before the page and the server know it. */
const known = ref<{ text: string; controls: readonly Control[] }>({ text: '', controls: [] })
watch(
  [() => props.text, () => props.controls],
  ([text, controls]) => {
    if (controls || text !== known.value.text) known.value = { text, controls: controls ?? [] }
  },
  { immediate: true },
)
function turn(place: number, event: Event) {
  const value = (event.target as HTMLInputElement).valueAsNumber
  const before = known.value.text
  const after = turned(before, known.value.controls, place, value)
  if (!after) return
  known.value = after
  emit('redraw', before, after.text)
}
</script>

<template>
  <label v-for="(c, n) in known.controls" :key="`${c.function} ${c.name}`" class="turn">
    <span class="quiet">{{ c.name }}</span>
    <input
      type="number"
      class="inline-part mono"
      :value="c.value"
      :min="c.least"
      :max="c.most"
      :step="c.whole ? 1 : 'any'"
      :aria-label="`${c.name} of ${c.function}`"
      :title="`${c.name} of ${c.function}: ${c.least} to ${c.most}`"
      @input="turn(n, $event)"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
      @keydown.esc.stop="($event.target as HTMLInputElement).blur()"
    />
  </label>
</template>

<style scoped>
.turn {
  margin-left: 4px;
  font-size: 12px;
  white-space: nowrap;
}
input {
  width: 7ch;
  margin-left: 3px;
}
</style>
