<script setup lang="ts">
import { computed, ref } from 'vue'

/**
 * A text that is changed where it stands in a sentence. What is being written stays, whatever answers come
 * in meanwhile; Enter or leaving the field takes it, Escape leaves all as it was.
 */
const props = withDefaults(
  defineProps<{ value: string; placeholder?: string; least?: number; most?: number }>(),
  { placeholder: '', least: 6, most: 40 },
)
const emit = defineEmits<{ take: [text: string] }>()
const written = ref<string>()
const field = ref<HTMLInputElement>()
const shown = computed(() => written.value ?? props.value)
const width = computed(() => {
  const text = shown.value || props.placeholder
  return Math.min(props.most, Math.max(props.least, text.length + 3))
})
function take() {
  const text = written.value?.trim()
  written.value = undefined
  if (text !== undefined && text !== props.value) emit('take', text)
}
function leave() {
  written.value = undefined
  field.value?.blur()
}
defineExpose({
  focus() {
    field.value?.focus()
    field.value?.select()
  },
})
</script>

<template>
  <input
    ref="field"
    class="inline-part mono"
    :value="shown"
    :placeholder="placeholder"
    :style="{ width: `${width}ch` }"
    @input="written = ($event.target as HTMLInputElement).value"
    @change="take"
    @keydown.enter="(take(), field?.blur())"
    @keydown.esc.stop="leave"
  />
</template>
