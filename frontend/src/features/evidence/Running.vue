<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/shared/api'
import { barTime } from '@/shared/format'
import { LEFT, RIGHT, useSheet } from './sheet'

/** What trades made together, as one after another ended. */
const props = defineProps<{ of: Schemas['RunningTotal']; label: string }>()
const HEIGHT = 170
const box = ref<HTMLElement>()
const { wide, y, levels } = useSheet(box, () => props.of.totals, HEIGHT, 24)
const count = computed(() => Math.max(1, props.of.totals.length))
const x = (n: number) => LEFT + (wide.value * n) / count.value
const path = computed(
  () =>
    `M${[0, ...props.of.totals].map((v, n) => `${x(n).toFixed(1)} ${y(v).toFixed(1)}`).join('L')}`,
)
</script>

<template>
  <div ref="box">
    <svg :width="LEFT + wide + RIGHT" :height="HEIGHT" role="img" :aria-label="label">
      <g v-for="t in levels" :key="t.text">
        <line class="level" :x1="LEFT" :x2="LEFT + wide" :y1="y(t.at)" :y2="y(t.at)" />
        <text class="tick end" :x="LEFT - 6" :y="y(t.at) + 4">{{ t.text }}</text>
      </g>
      <line class="zero" :x1="LEFT" :x2="LEFT + wide" :y1="y(0)" :y2="y(0)" />
      <path class="anybody" :d="path" />
      <template v-if="of.times.length">
        <text class="tick start" :x="LEFT" :y="HEIGHT - 8">{{ barTime(of.times[0]!) }}</text>
        <text class="tick end" :x="LEFT + wide" :y="HEIGHT - 8">
          {{ barTime(of.times.at(-1)!) }}
        </text>
      </template>
    </svg>
  </div>
</template>

<style scoped src="./drawn.css"></style>
<style scoped>
.tick.start {
  text-anchor: start;
}
</style>
