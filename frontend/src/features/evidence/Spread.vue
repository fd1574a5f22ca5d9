<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Schemas } from '@/shared/api'
import { ticks } from '@/parts/drawings/scale'

/** How results are spread: those of signals as bars, those of anybody then as a line over them. */
const props = defineProps<{ of: Schemas['Distribution']; label: string }>()
const [LEFT, RIGHT, TOP, BOTTOM, HEIGHT] = [34, 8, 8, 34, 200]
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const wide = computed(() => Math.max(40, width.value - LEFT - RIGHT))
const high = HEIGHT - TOP - BOTTOM
const low = computed(() => props.of.edges[0] ?? 0)
const end = computed(() => props.of.edges.at(-1) ?? 1)
const most = computed(() => Math.max(1, ...props.of.signals, ...props.of.anybody))
const x = (value: number) => LEFT + (wide.value * (value - low.value)) / (end.value - low.value)
const y = (share: number) => TOP + high * (1 - share / most.value)
const bars = computed(() =>
  props.of.signals.map((share, n) => ({
    x: x(props.of.edges[n]!) + 0.5,
    width: Math.max(1, x(props.of.edges[n + 1]!) - x(props.of.edges[n]!) - 1),
    y: y(share),
    height: TOP + high - y(share),
  })),
)
const steps = computed(() =>
  props.of.anybody
    .map((share, n) => {
      const [a, b] = [x(props.of.edges[n]!), x(props.of.edges[n + 1]!)]
      return `${n ? 'L' : 'M'}${a.toFixed(1)} ${y(share).toFixed(1)}L${b.toFixed(1)} ${y(share).toFixed(1)}`
    })
    .join(''),
)
const levels = computed(() => ticks(0, most.value, 'linear', 4))
const values = computed(() => ticks(low.value, end.value, 'linear', Math.max(2, wide.value / 70)))
</script>

<template>
  <div ref="box">
    <svg :width="LEFT + wide + RIGHT" :height="HEIGHT" role="img" :aria-label="label">
      <g v-for="t in levels" :key="t.text">
        <line class="level" :x1="LEFT" :x2="LEFT + wide" :y1="y(t.at)" :y2="y(t.at)" />
        <text class="tick end" :x="LEFT - 6" :y="y(t.at) + 4">{{ t.text }}</text>
      </g>
      <rect v-for="(b, n) in bars" :key="n" class="bar" v-bind="b" />
      <line
        v-if="low < 0 && end > 0"
        class="zero"
        :x1="x(0)"
        :x2="x(0)"
        :y1="TOP"
        :y2="TOP + high"
      />
      <path class="anybody" :d="steps" />
      <text v-for="t in values" :key="t.text" class="tick" :x="x(t.at)" :y="TOP + high + 16">
        {{ t.text }}
      </text>
    </svg>
    <p class="quiet key">
      <span class="swatch bar" /> signals <span class="swatch line" /> anybody then, in % of
      results; what lies beyond is counted with the last
    </p>
  </div>
</template>

<style scoped src="./drawn.css"></style>
