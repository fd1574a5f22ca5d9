<script setup lang="ts">
import { computed } from 'vue'
import { INKS, type Ink } from './layout'

/** What something is drawn in, by name and with a swatch. */
const props = defineProps<{ ink: Ink; label: string }>()
const emit = defineEmits<{ change: [ink: Ink] }>()
const swatch = computed(() => {
  const { ink } = props
  if (ink === '') return 'transparent'
  if (ink === 'flat') return 'var(--quiet)'
  return /\d/.test(ink) ? `var(--line-${ink})` : `var(--${ink})`
})
</script>

<template>
  <span class="ink">
    <i :style="{ background: swatch }" :class="{ none: ink === '' }"></i>
    <select
      class="inline-part"
      :value="ink"
      :aria-label="label"
      @change="emit('change', ($event.target as HTMLSelectElement).value as Ink)"
    >
      <option v-for="[own, told] in INKS" :key="own" :value="own">{{ told }}</option>
    </select>
  </span>
</template>

<style scoped>
.ink {
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
i {
  width: 12px;
  height: 4px;
}
.none {
  border-bottom: 1px dotted var(--quiet);
}
select {
  max-width: 96px;
}
</style>
