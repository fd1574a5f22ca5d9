<script setup lang="ts">
import { computed, type Ref } from 'vue'

/** The price at the height of the pointer, at the left edge, where no label stands. */
const props = defineProps<{
  pointer: { y: Ref<number | undefined> }
  top: number
  height: number
  told: (y: number) => string | undefined
}>()
const shown = computed(() => {
  const y = props.pointer.y.value
  if (y === undefined || y < props.top || y > props.top + props.height) return
  const text = props.told(y)
  return text === undefined ? undefined : { y, text }
})
</script>

<template>
  <span v-if="shown" class="flag" :style="{ top: `${shown.y - 9}px` }" aria-hidden="true">{{
    shown.text
  }}</span>
</template>

<style scoped>
.flag {
  position: absolute;
  left: 8px;
  padding: 0 4px;
  font-size: 11px;
  line-height: 18px;
  color: var(--on-accent);
  background: var(--accent);
  pointer-events: none;
}
</style>
