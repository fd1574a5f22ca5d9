<script setup lang="ts">
import { computed } from 'vue'
import FormulaText from '@/parts/editor/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'

/** Texts one after another that are changed where they stand; an empty one is taken away. */
const props = defineProps<{
  texts: readonly string[]
  what: string
  least?: number
  most?: number
  /** Texts are conditions, which have to be read before they are taken. */
  formulas?: boolean
}>()
const field = computed(() => (props.formulas ? FormulaText : InlineText))
const named = (label: string) =>
  props.formulas ? { label, role: 'condition' as const } : { 'aria-label': label }
const emit = defineEmits<{ change: [texts: string[]] }>()
function set(place: number, text: string) {
  const next = [...props.texts]
  if (text) next[place] = text
  else next.splice(place, 1)
  emit('change', next)
}
const add = (text: string) => text && emit('change', [...props.texts, text])
</script>

<template>
  <template v-for="(text, n) in texts" :key="n"
    ><template v-if="n">, </template
    ><component
      :is="field"
      :value="text"
      :least="least ?? 4"
      :most="most ?? 60"
      v-bind="named(`${what} ${n + 1}`)"
      @take="(own: string) => set(n, own)"
  /></template>
  <component
    :is="field"
    :key="texts.length"
    value=""
    :least="6"
    placeholder="+"
    v-bind="named(`One more ${what.toLowerCase()}`)"
    @take="add"
  />
</template>
