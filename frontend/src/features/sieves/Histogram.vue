<script setup lang="ts">
import { computed, ref } from 'vue'
import { figure } from '@/shared/format'
import type { Scale } from './thresholds'

/**
 * What a condition measures over the universe, with its threshold on it: dragged, or moved by the arrow
 * keys. What is shaded passes.
 */
const props = defineProps<{ scale: Scale; label: string; tied?: boolean; manySided?: boolean }>()
const emit = defineEmits<{ move: [value: number]; hold: [held: boolean]; tie: [] }>()
const WIDTH = 300
const HEIGHT = 34
const box = ref<SVGElement>()
const unit = computed(() => (props.scale.unit === 'percent' ? ' %' : ''))
/** The scale stays where it is while a threshold beyond its end is dragged. */
const at = (value: number) => {
  const { low, high } = props.scale.histogram
  return Math.max(0, Math.min(WIDTH, (WIDTH * (value - low)) / (high - low)))
}
const bars = computed(() => {
  const { counts, low, high } = props.scale.histogram
  const most = Math.max(1, ...counts)
  const width = WIDTH / counts.length
  return counts.map((count, n) => {
    const middle = low + ((n + 0.5) * (high - low)) / counts.length
    const above = middle >= props.scale.threshold
    return {
      x: n * width + 0.5,
      width: width - 1,
      // Few are seen beside many.
      height: count ? 2 + (HEIGHT - 4) * Math.sqrt(count / most) : 0,
      passes: props.scale.passes !== 'across' && above === (props.scale.passes === 'above'),
    }
  })
})
const told = computed(() => `${figure(props.scale.threshold)}${unit.value}`)
const side = computed(
  () => ({ above: 'at least', below: 'at most', across: 'crosses' })[props.scale.passes],
)
const grip = computed(() => props.scale.grip)
function step(by: number) {
  if (grip.value) emit('move', props.scale.threshold + by * grip.value.step)
}
function onKey(event: KeyboardEvent) {
  const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -10, PageUp: 10 }[
    event.key
  ]
  if (by === undefined || event.ctrlKey || event.altKey || event.metaKey) return
  event.preventDefault()
  event.stopPropagation()
  emit('hold', true)
  step(by * (event.shiftKey ? 10 : 1))
}
const held = ref(false)
function point(event: PointerEvent) {
  const own = box.value?.getBoundingClientRect()
  if (!own) return
  const { low, high } = props.scale.histogram
  emit('move', low + ((high - low) * (event.clientX - own.left)) / own.width)
}
function begin(event: PointerEvent) {
  if (!grip.value || event.button) return
  held.value = true
  emit('hold', true)
  box.value?.setPointerCapture(event.pointerId)
  point(event)
}
function end() {
  if (!held.value) return
  held.value = false
  emit('hold', false)
}
</script>

<template>
  <figure class="scale">
    <figcaption>
      <span class="quiet title" :title="scale.title">{{ scale.title }}</span>
      <span class="value"
        ><span class="quiet">{{ side }}</span> <b>{{ told }}</b></span
      >
      <span v-if="scale.histogram.unknown" class="quiet"
        >· {{ scale.histogram.unknown }} unknown</span
      >
      <button
        v-if="manySided && grip"
        type="button"
        class="button plain tie"
        :aria-pressed="tied"
        :title="
          tied
            ? 'Moves with the others that are linked'
            : 'Thresholds that are linked move together'
        "
        @click="emit('tie')"
      >
        {{ tied ? 'linked' : 'link' }}
      </button>
    </figcaption>
    <svg
      ref="box"
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      preserveAspectRatio="none"
      :class="{ grip, held }"
      :role="grip ? 'slider' : 'img'"
      :tabindex="grip ? 0 : undefined"
      :aria-label="`${label}: ${scale.title}`"
      :aria-valuenow="grip ? scale.threshold : undefined"
      :aria-valuetext="`${side} ${told}`"
      @keydown="grip && onKey($event)"
      @keyup="emit('hold', false)"
      @blur="emit('hold', false)"
      @pointerdown="begin"
      @pointermove="held && point($event)"
      @pointerup="end"
      @pointercancel="end"
    >
      <rect
        v-for="(bar, n) in bars"
        :key="n"
        :x="bar.x"
        :y="HEIGHT - bar.height"
        :width="bar.width"
        :height="bar.height"
        :class="{ passes: bar.passes }"
      />
      <line class="foot" x1="0" :x2="WIDTH" :y1="HEIGHT - 0.5" :y2="HEIGHT - 0.5" />
      <g v-if="grip || scale.passes !== 'across'" class="threshold">
        <line :x1="at(scale.threshold)" :x2="at(scale.threshold)" y1="0" :y2="HEIGHT" />
      </g>
    </svg>
    <p class="ends quiet" aria-hidden="true">
      <span>{{ figure(scale.histogram.low) }}</span><span>{{ figure(scale.histogram.high) }}</span>
    </p>
  </figure>
</template>

<style scoped>
.scale {
  margin: 4px 0 2px;
  max-width: 420px;
}
figcaption {
  display: flex;
  gap: 5px;
  align-items: baseline;
  font-size: 12px;
}
.title {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.value {
  white-space: nowrap;
}
.tie {
  margin-left: auto;
  font-size: 12px;
  min-height: 24px;
}
svg {
  display: block;
  width: 100%;
  height: 34px;
  touch-action: none;
}
.grip {
  cursor: ew-resize;
}
rect {
  fill: var(--hair);
}
rect.passes {
  fill: var(--quiet);
}
.foot {
  stroke: var(--hair);
}
.threshold line {
  stroke: var(--accent);
  stroke-width: 2;
  vector-effect: non-scaling-stroke;
}
.held .threshold line {
  stroke-width: 3;
}
.ends {
  display: flex;
  justify-content: space-between;
  margin: 0;
  font-size: 11px;
}
</style>
