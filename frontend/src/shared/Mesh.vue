<script setup lang="ts">
import { computed } from 'vue'

/** Conditions × timeframes at a glance: square passes, ring misses, cross is a veto, hatch is unknown. */
const props = withDefaults(
  defineProps<{
    cells: readonly string[]
    names?: readonly string[]
    size?: number
    upright?: boolean
  }>(),
  { names: () => [], size: 11, upright: false },
)
const WORDS: Record<string, string> = {
  pass: 'passes',
  miss: 'misses',
  veto: 'is vetoed',
  unknown: 'is unknown',
  off: 'is switched off',
}
const step = computed(() => props.size + 3)
const spread = computed(() => props.cells.length * step.value - 3)
const spoken = computed(() =>
  props.cells
    .map((cell, n) => `${props.names[n] ?? `condition ${n + 1}`} ${WORDS[cell] ?? cell}`)
    .join('; '),
)
const place = (n: number) => n * step.value
</script>

<template>
  <svg
    class="mesh"
    role="img"
    :aria-label="spoken"
    :width="upright ? size : spread"
    :height="upright ? spread : size"
  >
    <title>{{ spoken }}</title>
    <g
      v-for="(cell, n) in cells"
      :key="n"
      :transform="upright ? `translate(0 ${place(n)})` : `translate(${place(n)} 0)`"
      :class="cell"
    >
      <rect v-if="cell === 'pass'" :width="size" :height="size" rx="1" />
      <circle v-else-if="cell === 'miss'" :cx="size / 2" :cy="size / 2" :r="size / 2 - 1" />
      <path
        v-else-if="cell === 'veto'"
        :d="`M1 1L${size - 1} ${size - 1}M${size - 1} 1L1 ${size - 1}`"
      />
      <path
        v-else-if="cell === 'off'"
        :d="`M${size / 4} ${size / 2}L${(3 * size) / 4} ${size / 2}`"
      />
      <path
        v-else
        :d="`M0 ${size / 2}L${size / 2} 0M0 ${size}L${size} 0M${size / 2} ${size}L${size} ${size / 2}`"
      />
    </g>
  </svg>
</template>

<style scoped>
.mesh {
  display: block;
  overflow: visible;
}
.pass rect {
  fill: var(--ink);
}
.miss circle {
  fill: none;
  stroke: var(--quiet);
  stroke-width: 1.4;
}
.veto path {
  stroke: var(--fall);
  stroke-width: 2;
}
.off path {
  stroke: var(--quiet);
  stroke-width: 1.4;
}
.unknown path {
  stroke: var(--quiet);
  stroke-width: 0.8;
}
</style>
