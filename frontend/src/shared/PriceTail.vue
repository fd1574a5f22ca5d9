<script setup lang="ts">
import { computed } from 'vue'

/** A small line of closes; the signal bar is a thin full-height stroke. */
const props = withDefaults(
  defineProps<{ closes: readonly number[]; signal?: number; width?: number; height?: number }>(),
  { signal: -1, width: 110, height: 22 },
)
const shape = computed(() => {
  const low = Math.min(...props.closes)
  const reach = Math.max(...props.closes) - low || 1
  const step = props.width / Math.max(1, props.closes.length - 1)
  const points = props.closes.map((close, n) => {
    const y = props.height - 2 - ((close - low) / reach) * (props.height - 4)
    return `${(n * step).toFixed(1)} ${y.toFixed(1)}`
  })
  return { line: `M${points.join('L')}`, signal: props.signal >= 0 ? props.signal * step : null }
})
</script>

<template>
  <svg class="tail" :width="width" :height="height" aria-hidden="true">
    <line v-if="shape.signal !== null" :x1="shape.signal" :x2="shape.signal" y1="0" :y2="height" />
    <path :d="shape.line" />
  </svg>
</template>

<style scoped>
.tail {
  display: block;
}
path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.1;
  stroke-linejoin: round;
}
line {
  stroke: var(--accent);
  stroke-width: 1.2;
}
</style>
