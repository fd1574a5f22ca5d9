<script setup lang="ts">
import { computed } from 'vue'
import { ApiError } from './api'
import { asSentence } from './format'

const props = defineProps<{ error: unknown; what: string; again: () => unknown }>()
const known = computed(() => (props.error instanceof ApiError ? props.error : null))
const mend = computed(() => asSentence(known.value?.mend))
const message = computed(() => (props.error instanceof Error ? props.error.message : 'unknown'))
</script>

<template>
  <div class="error-note" role="alert">
    <strong>{{ what }}:</strong> {{ message }}.
    <span v-if="mend" class="quiet">{{ mend }}</span>
    <button class="button plain" @click="again()">Try again</button>
  </div>
</template>

<style scoped>
.error-note {
  border-left: 3px solid var(--fall);
  padding: 8px 12px;
  margin: 12px 0;
}
</style>
