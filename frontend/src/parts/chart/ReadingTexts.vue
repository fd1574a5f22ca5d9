<script setup lang="ts">
import type { Reading } from './readings'
import ReadingText from './ReadingText.vue'

/** Several values at a bar, one after the other. */
defineProps<{ of: readonly Reading[]; asks?: boolean }>()
const emit = defineEmits<{ ask: [reading: Reading] }>()
</script>

<template>
  <ReadingText
    v-for="(own, n) in of"
    :key="n"
    :reading="own"
    :asks="asks"
    @ask="emit('ask', own)"
  />
</template>
