<script setup lang="ts">
import type { Failure } from './act'
import ErrorNote from './ErrorNote.vue'

/** What was asked for and failed, with the way to try it again. */
defineProps<{ failure: Failure | undefined }>()
</script>

<template>
  <ErrorNote v-if="failure" :error="failure.error" :what="failure.what" :again="failure.again" />
</template>
