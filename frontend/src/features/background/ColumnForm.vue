<script setup lang="ts">
import { ref } from 'vue'
import { useFirstField } from '@/shared/firstField'
import { wholeWithin } from '@/shared/format'
import { amount } from '@/shared/amount'
import FormulaText from '@/parts/editor/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'
import type { BoardColumn } from './board'

/** A column of a board as a sentence whose parts are changed where they stand. */
const props = defineProps<{
  column: BoardColumn
  offered: readonly { value: string; told: string }[]
}>()
const emit = defineEmits<{
  change: [to: BoardColumn]
  remove: []
  shift: [by: number]
  close: []
}>()
const THRESHOLDS = [
  ['far_below', 'Far below: under'],
  ['below', 'Below: under'],
  ['above', 'Above: over'],
  ['far_above', 'Far above: over'],
] as const
type Threshold = (typeof THRESHOLDS)[number][0]
const set = (to: Partial<BoardColumn>) => emit('change', { ...props.column, ...to })
/** An empty threshold that may be left out is left out; what is no number changes nothing. */
function limit(name: Threshold, text: string) {
  const value = amount(text)
  if (!text.trim() && name.startsWith('far')) set({ [name]: null })
  else if (value !== undefined) set({ [name]: value })
}
/** A whole number within bounds; nothing leaves it to the values. */
function whole(name: 'digits' | 'width', text: string, least: number, most: number) {
  const value = wholeWithin(text, least, most)
  if (!text.trim()) set({ [name]: null })
  else if (value !== undefined) set({ [name]: value })
}
function back(text: string) {
  const bars = wholeWithin(text, 1, 250)
  if (bars) set({ back: bars })
}
const form = ref<HTMLElement>()
useFirstField(form)
const shown = (value: number | null | undefined) => (value == null ? '' : String(value))
</script>

<template>
  <p ref="form" class="sentence form" role="group" aria-label="The column">
    The column shows
    <FormulaText
      :value="column.formula"
      :least="14"
      :most="60"
      needed
      label="Formula of the column"
      @take="(text) => set({ formula: text, label: '' })"
    />
    called
    <InlineText
      :value="column.label ?? ''"
      :least="8"
      aria-label="Name of the column"
      @take="(text) => set({ label: text.slice(0, 60) })"
    />, on
    <InlineText
      :value="column.bars"
      :least="5"
      list="bars-of-boards"
      aria-label="Bars of the column"
      @take="(text) => text && set({ bars: text })"
    /><datalist id="bars-of-boards">
      <option v-for="o in offered" :key="o.value" :value="o.value">{{ o.told }}</option></datalist
    >, against
    <InlineText :value="String(column.back)" :least="3" aria-label="Bars back" @take="back" />
    bars before; it is
    <template v-for="([name, told], n) in THRESHOLDS" :key="name"
      >{{ n ? ', ' : '' }}{{ told.toLowerCase() }}
      <InlineText
        :value="shown(column[name])"
        :least="4"
        :aria-label="told"
        @take="(text) => limit(name, text)" /></template
    >; it has
    <InlineText
      :value="shown(column.digits)"
      :least="4"
      placeholder="fit"
      aria-label="Digits behind the point"
      @take="(text) => whole('digits', text, 0, 8)"
    />
    digits and is
    <InlineText
      :value="shown(column.width)"
      :least="4"
      placeholder="fit"
      aria-label="Width in pixels"
      @take="(text) => whole('width', text, 40, 600)"
    />
    wide.
    <button class="button plain" @click="emit('shift', -1)">to the left</button>
    <button class="button plain" @click="emit('shift', 1)">to the right</button>
    <button class="button plain" @click="emit('remove')">take it away <kbd>x</kbd></button>
    <button class="button plain" @click="emit('close')">close <kbd>e</kbd></button>
  </p>
</template>

<style scoped>
.form {
  margin: 0 0 8px;
  padding: 8px 10px;
  background: var(--sheet);
  border: 1px solid var(--hair);
  font-size: 14px;
}
</style>
