<script setup lang="ts">
import InlineText from '@/shared/InlineText.vue'

/** Texts one after another that are changed where they stand; an empty one is taken away. */
const props = defineProps<{
  texts: readonly string[]
  what: string
  least?: number
  most?: number
}>()
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
    ><InlineText
      :value="text"
      :least="least ?? 4"
      :most="most ?? 60"
      :aria-label="`${what} ${n + 1}`"
      @take="(own) => set(n, own)"
  /></template>
  <InlineText
    :key="texts.length"
    value=""
    :least="6"
    placeholder="+"
    :aria-label="`One more ${what.toLowerCase()}`"
    @take="add"
  />
</template>
