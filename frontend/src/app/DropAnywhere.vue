<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import { filesOf, useIncoming } from '@/features/imports/incoming'

/** Files may be dropped on any page: tables are brought in, a sieve's file goes to the sieves. */
const take = useIncoming()
const over = ref(false)
const holdsFiles = (event: DragEvent) => event.dataTransfer?.types.includes('Files')
useEventListener(window, 'dragover', (event) => {
  if (!holdsFiles(event)) return
  event.preventDefault()
  over.value = true
})
useEventListener(window, 'dragleave', (event) => {
  if (!event.relatedTarget) over.value = false
})
useEventListener(window, 'drop', (event) => {
  over.value = false
  if (!holdsFiles(event)) return
  event.preventDefault()
  const items = event.dataTransfer?.items
  if (items) void filesOf(items).then(take)
})
</script>

<template>
  <div v-if="over" class="over" role="status">
    <p>Drop here: tables are imported, a sieve’s file goes to the sieves.</p>
  </div>
</template>

<style scoped>
.over {
  position: fixed;
  inset: 6px;
  z-index: 3000;
  display: grid;
  place-items: end center;
  outline: 2px dashed var(--accent);
  pointer-events: none;
}
p {
  padding: 6px 14px;
  background: var(--sheet);
  border: 1px solid var(--accent);
}
</style>
