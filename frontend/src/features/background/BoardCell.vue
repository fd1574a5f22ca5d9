<script setup lang="ts">
import { computed } from 'vue'

/** A value tinted by its zone, with a tail from where it stood before to where it stands now. */
const props = defineProps<{
  zone: string
  text: string
  now: number | undefined
  before: number | undefined
  turned: number
  words: string
  here: boolean
  tall: number
  close: boolean
}>()
/** The mark takes no more than a third of a cell. */
const wide = computed(() => (props.close ? 18 : 34))
const x = (share: number) => 3 + share * (wide.value - 6)
const tail = computed(() =>
  props.now === undefined ? undefined : { to: x(props.now), from: x(props.before ?? props.now) },
)
const turn = computed(() => {
  if (props.turned < 0 || props.tall < 12 || props.close) return ''
  return `${props.zone.endsWith('above') ? '↗' : '↘'}${props.turned}`
})
</script>

<template>
  <span role="cell" class="cell" :class="[zone.replace(' ', '-'), { here, close }]" :title="words">
    <span class="visually-hidden">{{ words }}</span>
    <svg v-if="tail" :width="wide" :height="Math.min(12, tall - 2)" aria-hidden="true">
      <line :x1="tail.from" :x2="tail.to" y1="50%" y2="50%" />
      <circle :cx="tail.to" cy="50%" :r="tall < 12 ? 1.6 : 2.4" />
    </svg>
    <span class="turn" aria-hidden="true">{{ turn }}</span>
    <span aria-hidden="true">{{ text }}</span>
  </span>
</template>

<style scoped>
.cell {
  display: flex;
  align-items: center;
  justify-content: flex-end;
  gap: 5px;
  height: 100%;
  padding: 0 5px;
  box-sizing: border-box;
  white-space: nowrap;
  overflow: hidden;
}
.close {
  gap: 2px;
  padding: 0 3px;
  font-size: 12px;
}
.here {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.far-above {
  background: color-mix(in srgb, var(--rise) var(--tint-far), transparent);
  font-weight: 650;
}
.above {
  background: color-mix(in srgb, var(--rise) var(--tint), transparent);
}
.below {
  background: color-mix(in srgb, var(--fall) var(--tint), transparent);
}
.far-below {
  background: color-mix(in srgb, var(--fall) var(--tint-far), transparent);
  font-weight: 650;
}
.unknown {
  background: repeating-linear-gradient(-45deg, transparent 0 4px, var(--hair) 4px 5px);
}
svg {
  margin-right: auto;
  flex: none;
}
line {
  stroke: var(--quiet);
  stroke-width: 1.2;
}
circle {
  fill: var(--ink);
}
.turn {
  font-size: 0.85em;
}
</style>
