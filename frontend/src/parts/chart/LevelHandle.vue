<script lang="ts">
/** A threshold in a pane of a chart: `step` is by how much a key moves it. */
export interface Level {
  pane: string
  value: number
  step: number
  told: string
  label: string
}
</script>

<script setup lang="ts">
import { computed, ref } from 'vue'

/** A threshold across a pane, dragged up and down or moved by the arrow keys. */
const props = defineProps<{
  level: Level
  y: number
  top: number
  height: number
  right: number
  /** What stands at a height of the sheet. */
  valueAt: (y: number) => number
}>()
const emit = defineEmits<{ move: [value: number]; hold: [held: boolean] }>()
const line = ref<HTMLElement>()
const held = ref(false)
/** One beyond the pane waits at its edge. */
const shown = computed(() => Math.max(props.top, Math.min(props.top + props.height, props.y)))
function point(event: PointerEvent) {
  const above = line.value?.parentElement?.getBoundingClientRect().top ?? 0
  const y = Math.max(props.top, Math.min(props.top + props.height, event.clientY - above))
  const value = props.valueAt(y)
  if (Number.isFinite(value)) emit('move', value)
}
function begin(event: PointerEvent) {
  if (event.button) return
  held.value = true
  emit('hold', true)
  line.value?.setPointerCapture(event.pointerId)
}
function end() {
  if (held.value) emit('hold', false)
  held.value = false
}
function onKey(event: KeyboardEvent) {
  const by = { ArrowDown: -1, ArrowUp: 1, PageDown: -10, PageUp: 10 }[event.key]
  if (by === undefined || event.ctrlKey || event.altKey || event.metaKey) return
  event.preventDefault()
  event.stopPropagation()
  emit('hold', true)
  emit('move', props.level.value + by * props.level.step)
}
</script>

<template>
  <div
    ref="line"
    class="level"
    :class="{ held }"
    role="slider"
    tabindex="0"
    aria-orientation="vertical"
    :aria-label="level.label"
    :aria-valuenow="level.value"
    :aria-valuetext="level.told"
    :style="{ top: `${shown - 6}px`, right: `${right}px` }"
    @keydown="onKey"
    @keyup="emit('hold', false)"
    @blur="emit('hold', false)"
    @pointerdown.stop.prevent="begin"
    @pointermove="held && point($event)"
    @pointerup="end"
    @pointercancel="end"
    @click.stop
  >
    <span>{{ level.told }}</span>
  </div>
</template>

<style scoped>
.level {
  position: absolute;
  left: 8px;
  height: 13px;
  cursor: ns-resize;
  touch-action: none;
}
.level::before {
  content: '';
  position: absolute;
  inset: 5px 0 auto 0;
  border-top: 2px dashed var(--accent);
}
.held::before {
  border-top-style: solid;
}
span {
  position: absolute;
  left: 100%;
  top: -3px;
  margin-left: 3px;
  padding: 0 3px;
  font-size: 11px;
  white-space: nowrap;
  color: var(--on-accent);
  background: var(--accent);
}
</style>
