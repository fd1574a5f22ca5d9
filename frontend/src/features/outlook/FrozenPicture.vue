<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/shared/api'

/** The bars as they were when an outlook was written, and where it started from. */
const props = withDefaults(
  defineProps<{ picture: Schemas['FrozenBars']; start: number; width?: number; height?: number }>(),
  { width: 300, height: 90 },
)
const drawn = computed(() => {
  const { open, high, low, close } = props.picture
  const [least, most] = [Math.min(...low, props.start), Math.max(...high, props.start)]
  const step = props.width / Math.max(1, close.length)
  const y = (value: number) => 3 + (props.height - 6) * (1 - (value - least) / (most - least || 1))
  const paths = { up: '', down: '' }
  close.forEach((last, n) => {
    const x = (n + 0.5) * step
    const wide = Math.max(0.6, step * 0.32)
    const [top, bottom] = [y(Math.max(open[n]!, last)), y(Math.min(open[n]!, last))]
    const body = `M${x} ${y(high[n]!)}V${y(low[n]!)}M${x - wide} ${top}H${x + wide}V${Math.max(bottom, top + 0.5)}H${x - wide}Z`
    paths[last >= open[n]! ? 'up' : 'down'] += body
  })
  return { ...paths, start: y(props.start) }
})
</script>

<template>
  <svg
    v-if="picture.times.length"
    :width="width"
    :height="height"
    role="img"
    :aria-label="`${picture.times.length} bars of ${picture.bars} before it was written`"
  >
    <path class="up" :d="drawn.up" />
    <path class="down" :d="drawn.down" />
    <line x1="0" :x2="width" :y1="drawn.start" :y2="drawn.start" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
.up {
  fill: none;
  stroke: var(--rise);
}
.down {
  fill: var(--fall);
  stroke: var(--fall);
}
line {
  stroke: var(--accent);
  stroke-dasharray: 3 3;
}
</style>
