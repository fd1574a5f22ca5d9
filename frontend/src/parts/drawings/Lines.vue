<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { brief, ticks } from './scale'
import { barTime, day } from '@/shared/format'
import { lineOf } from './ranks'

/** Several lines through time on one scale; values at the pointer stand beside them. */
const props = withDefaults(
  defineProps<{
    label: string
    /** Where the values stand, in seconds since 1970. */
    moments: readonly number[]
    lines: readonly { name: string; values: readonly (number | null)[] }[]
    chosen?: string
    unit?: string
    height?: number
    /** Room for their names at the right. */
    right?: number
    /** How their newest values are written. */
    figure?: (value: number) => string
  }>(),
  { chosen: '', unit: '', height: 220, right: 120, figure: brief },
)
const emit = defineEmits<{ choose: [name: string] }>()
const [LEFT, TOP, BOTTOM] = [46, 8, 22]
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const wide = computed(() => Math.max(40, width.value - LEFT - props.right))
const high = computed(() => props.height - TOP - BOTTOM)
const reach = computed(() => {
  const all = props.lines.flatMap((line) => line.values.filter((v): v is number => v !== null))
  let [low, most] = [Math.min(...all), Math.max(...all)]
  if (!all.length) [low, most] = [0, 1]
  const room = (most - low) * 0.04 || Math.abs(most) * 0.1 || 1
  return { low: low - room, most: most + room }
})
const x = (n: number) => LEFT + (n / Math.max(1, props.moments.length - 1)) * wide.value
const y = (value: number) =>
  TOP + high.value * (1 - (value - reach.value.low) / (reach.value.most - reach.value.low))
const drawn = computed(() =>
  props.lines.map((line, place) => {
    let path = ''
    let open = false
    line.values.forEach((value, n) => {
      if (value !== null) path += `${open ? 'L' : 'M'}${x(n).toFixed(1)} ${y(value).toFixed(1)}`
      open = value !== null
    })
    return { name: line.name, path, ...lineOf(place) }
  }),
)
const levels = computed(() => ticks(reach.value.low, reach.value.most, 'linear', high.value / 34))
/** Moments a day or more apart are told by their day. */
const told = (seconds: number) => {
  const [first = 0, last = 0] = [props.moments[0], props.moments.at(-1)]
  const apart = (last - first) / Math.max(1, props.moments.length - 1)
  return apart > 72_000 ? day(seconds) : barTime(seconds)
}
const times = computed(() => {
  const many = Math.max(1, Math.floor(wide.value / 170))
  const last = props.moments.length - 1
  if (last < 1) return []
  return Array.from({ length: many + 1 }, (_, n) => Math.round((n * last) / many))
})
const at = ref<number>()
function move(event: PointerEvent) {
  const left = event.clientX - box.value!.getBoundingClientRect().left - LEFT
  const n = Math.round((left / wide.value) * (props.moments.length - 1))
  at.value = n >= 0 && n < props.moments.length ? n : undefined
}
const shown = computed(() => at.value ?? props.moments.length - 1)
/** The lines by their value at the pointer, each beside its own end where there is room. */
const ends = computed(() => {
  const found = props.lines
    .map((line, place) => ({ name: line.name, value: line.values[shown.value] ?? null, place }))
    .filter((one): one is { name: string; value: number; place: number } => one.value !== null)
    .sort((a, b) => b.value - a.value)
    .map((one) => ({ ...one, y: y(one.value), ...lineOf(one.place) }))
  const step = Math.min(14, high.value / Math.max(1, found.length))
  found.forEach((one, n) => {
    if (n) one.y = Math.max(one.y, found[n - 1]!.y + step)
  })
  const over = (found.at(-1)?.y ?? 0) - (props.height - BOTTOM)
  if (over > 0) {
    for (let n = found.length - 1; n >= 0; n -= 1) {
      const most = n === found.length - 1 ? props.height - BOTTOM : found[n + 1]!.y - step
      found[n]!.y = Math.min(found[n]!.y, most)
    }
  }
  return found
})
</script>

<template>
  <div ref="box" class="lines" role="img" :aria-label="label">
    <svg :width="width" :height="height" @pointermove="move" @pointerleave="at = undefined">
      <g v-for="level in levels" :key="level.at">
        <line
          :x1="LEFT"
          :x2="LEFT + wide"
          :y1="y(level.at)"
          :y2="y(level.at)"
          :class="{ zero: level.at === 0 }"
        />
        <text :x="LEFT - 6" :y="y(level.at) + 4" text-anchor="end">{{ level.text }}</text>
      </g>
      <text
        v-for="(n, place) in times"
        :key="n"
        :x="x(n)"
        :y="height - 6"
        :text-anchor="place ? (place === times.length - 1 ? 'end' : 'middle') : 'start'"
      >
        {{ told(moments[n]!) }}
      </text>
      <path
        v-for="line in drawn"
        :key="line.name"
        :d="line.path"
        :stroke="line.name === chosen ? 'var(--accent)' : line.stroke"
        :stroke-dasharray="line.dash"
        :stroke-width="line.name === chosen ? 2.6 : 1.3"
        :opacity="chosen && line.name !== chosen ? 0.35 : 1"
      />
      <line
        v-if="at !== undefined"
        class="now"
        :x1="x(at)"
        :x2="x(at)"
        :y1="TOP"
        :y2="TOP + high"
      />
      <text v-if="at !== undefined" class="when" :x="LEFT + 4" :y="TOP + 12">
        {{ told(moments[at]!) }}
      </text>
      <text
        v-for="end in ends"
        :key="end.name"
        class="end"
        :class="{ chosen: end.name === chosen }"
        :x="LEFT + wide + 8"
        :y="end.y + 4"
        :fill="end.name === chosen ? 'var(--accent)' : end.stroke"
        @click="emit('choose', end.name)"
      >
        {{ end.name }} {{ figure(end.value) }}{{ unit }}
      </text>
    </svg>
  </div>
</template>

<style scoped>
.lines {
  width: 100%;
}
svg {
  display: block;
  font-size: 11px;
}
path {
  fill: none;
  stroke-linejoin: round;
}
line {
  stroke: var(--hair);
}
.zero {
  stroke: var(--quiet);
}
.now {
  stroke: var(--accent);
}
text:not(.end) {
  fill: var(--quiet);
}
.end {
  cursor: pointer;
}
text.when {
  fill: var(--ink);
}
.chosen {
  font-weight: 650;
}
</style>
