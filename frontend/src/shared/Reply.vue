<script setup lang="ts">
import { computed, type Ref } from 'vue'
import ErrorNote from './ErrorNote.vue'

/**
 * What was asked of the server: not there yet, not to be had, with the way to try again, nothing at all, or
 * there. What is there stays in sight where only reading it anew fails.
 */
const props = withDefaults(
  defineProps<{
    of: { data: Ref<unknown>; error: Ref<unknown>; again: () => unknown }
    /** What is said where it is not to be had. */
    what: string
    reading?: string
    /** Where it is not to be had, nothing of what was there before stays. */
    alone?: boolean
    /** Something is there, and it is empty. */
    empty?: boolean
  }>(),
  { reading: 'reading…' },
)
const there = computed(
  () => props.of.data.value !== undefined && !(props.alone && props.of.error.value),
)
</script>

<template>
  <ErrorNote v-if="of.error.value" :error="of.error.value" :what="what" :again="of.again" />
  <p v-else-if="!there" class="quiet" role="status">{{ reading }}</p>
  <slot v-if="there && empty" name="empty" />
  <slot v-else-if="there" />
</template>
