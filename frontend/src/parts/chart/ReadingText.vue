<script setup lang="ts">
import type { Reading } from './readings'

/** One value at the bar under the cursor; pressed, it is asked what conditions it suggests. */
defineProps<{ reading: Reading; asks?: boolean }>()
defineEmits<{ ask: [] }>()
</script>

<template>
  <component
    :is="asks && reading.formula ? 'button' : 'span'"
    class="reading"
    :title="asks && reading.formula ? 'Conditions that it suggests' : undefined"
    @click.stop="$emit('ask')"
    ><i v-if="reading.colour" :style="{ background: reading.colour }"></i
    ><span class="quiet">{{ reading.name }}</span> {{ reading.text }}</component
  >
</template>

<style scoped>
.reading {
  display: inline-block;
  max-width: 60ch;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font: inherit;
  color: inherit;
}
button {
  padding: 0;
  background: none;
  border: 0;
  cursor: pointer;
  pointer-events: auto;
}
button:hover,
button:focus-visible {
  text-decoration: underline dotted var(--accent);
  text-underline-offset: 3px;
}
i {
  display: inline-block;
  width: 9px;
  height: 3px;
  margin-right: 4px;
  vertical-align: middle;
}
</style>
