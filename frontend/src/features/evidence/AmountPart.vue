<script setup lang="ts">
import InlineText from '@/shared/InlineText.vue'

/** A number in a sentence; one that makes no sense there leaves all as it was. Emptied it is zero. */
const props = withDefaults(
  defineProps<{ value: number; label: string; title?: string; most?: number; any?: boolean }>(),
  { title: undefined, most: 10_000 },
)
const emit = defineEmits<{ take: [value: number] }>()
function take(text: string) {
  const value = Number(text.trim().replace(',', '.') || '0')
  if (value >= 0 && value <= props.most && (props.any || Number.isInteger(value)))
    emit('take', value)
}
</script>

<template>
  <InlineText :value="String(value)" :least="3" :aria-label="label" :title="title" @take="take" />
</template>
