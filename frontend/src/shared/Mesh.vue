<script setup lang="ts">
import { computed } from 'vue'

/** Conditions × timeframes at a glance: square passes, ring misses, cross is a veto, hatch is unknown. */
const props = withDefaults(
  defineProps<{
    cells: readonly string[]
    names?: readonly string[]
    size?: number
    upright?: boolean
    /** So much room there is: many stand closer, and smaller. */
    within?: number
  }>(),
  { names: () => [], size: 11, upright: false, within: undefined },
)
const WORDS: Record<string, string> = {
  pass: 'passes',
  miss: 'misses',
  veto: 'is vetoed',
  unknown: 'is unknown',
  off: 'is switched off',
  other: 'is asked of the other side',
}
const tight = computed(
  () => props.within !== undefined && props.cells.length * (props.size + 3) - 3 > props.within,
)
const step = computed(() =>
  tight.value ? Math.max(3, props.within! / props.cells.length) : props.size + 3,
)
const own = computed(() => (tight.value ? Math.max(2, step.value - 1) : props.size))
const spread = computed(() => props.cells.length * step.value - (step.value - own.value))
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
    :width="upright ? own : spread"
    :height="upright ? spread : own"
  >
    <title>{{ spoken }}</title>
    <g
      v-for="(cell, n) in cells"
      :key="n"
      :transform="upright ? `translate(0 ${place(n)})` : `translate(${place(n)} 0)`"
      :class="cell"
    >
      <rect v-if="cell === 'pass'" :width="own" :height="own" rx="1" />
      <circle v-else-if="cell === 'miss'" :cx="own / 2" :cy="own / 2" :r="own / 2 - 1" />
      <path
        v-else-if="cell === 'veto'"
        :d="`M1 1L${own - 1} ${own - 1}M${own - 1} 1L1 ${own - 1}`"
      />
      <circle v-else-if="cell === 'other'" :cx="own / 2" :cy="own / 2" r="0.8" />
      <path v-else-if="cell === 'off'" :d="`M${own / 4} ${own / 2}L${(3 * own) / 4} ${own / 2}`" />
      <path
        v-else
        :d="`M0 ${own / 2}L${own / 2} 0M0 ${own}L${own} 0M${own / 2} ${own}L${own} ${own / 2}`"
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
.other circle {
  fill: var(--quiet);
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
