<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/shared/api'
import { ticks } from '@/parts/drawings/scale'
import { LEFT, RIGHT, TOP, useSheet } from './sheet'

/** The mean of results bar by bar after the signal, and the band in which the middle half of them lies. */
const props = defineProps<{ of: Schemas['PathAhead']; label: string }>()
const HEIGHT = 200
const box = ref<HTMLElement>()
const { wide, high, y, levels } = useSheet(
  box,
  () => [...props.of.low, ...props.of.high, ...props.of.mean],
  HEIGHT,
  34,
)
const last = computed(() => Math.max(1, props.of.mean.length))
const x = (bar: number) => LEFT + (wide.value * bar) / last.value
/** All begin where results count from. */
const line = (values: readonly number[]) =>
  [0, ...values].map((v, n) => `${x(n).toFixed(1)} ${y(v).toFixed(1)}`)
const mean = computed(() => `M${line(props.of.mean).join('L')}`)
const band = computed(
  () => `M${[...line(props.of.low), ...line(props.of.high).reverse()].join('L')}Z`,
)
const bars = computed(() =>
  ticks(0, last.value, 'linear', Math.max(2, Math.min(last.value, wide.value / 60))).filter(
    (tick) => Number.isInteger(tick.at) && tick.at > 0,
  ),
)
</script>

<template>
  <div ref="box">
    <svg :width="LEFT + wide + RIGHT" :height="HEIGHT" role="img" :aria-label="label">
      <g v-for="t in levels" :key="t.text">
        <line class="level" :x1="LEFT" :x2="LEFT + wide" :y1="y(t.at)" :y2="y(t.at)" />
        <text class="tick end" :x="LEFT - 6" :y="y(t.at) + 4">{{ t.text }}</text>
      </g>
      <path class="band" :d="band" />
      <line class="zero" :x1="LEFT" :x2="LEFT + wide" :y1="y(0)" :y2="y(0)" />
      <path class="anybody" :d="mean" />
      <text v-for="t in bars" :key="t.text" class="tick" :x="x(t.at)" :y="TOP + high + 16">
        {{ t.text }}
      </text>
    </svg>
    <p class="quiet key">
      <span class="swatch line" /> mean <span class="swatch band" /> the middle half, in %, bars
      after the signal
    </p>
  </div>
</template>

<style scoped src="./drawn.css"></style>
