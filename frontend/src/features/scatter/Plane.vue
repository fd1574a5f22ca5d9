<script setup lang="ts">
import { useEventListener, useResizeObserver } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { ink, night } from '@/shared/theme'
import { paint, placing, radii, type Drawn } from './paint'
import { inside, inView, zoomed, type Point, type View } from './plane'

/**
 * The plane: drag a region to look closer, with Shift held around points to mark them, with the middle
 * button or Alt to move about; the wheel looks closer or wider at the pointer.
 */
const props = defineProps<{
  drawn: Drawn
  label: string
  /** The point at hand in words. */
  told: string
  detail: (place: number) => string
}>()
const emit = defineEmits<{
  /** Look at a part; `rest` when it is where it was meant to be. */
  view: [view: View, rest: boolean]
  choose: [place: number]
  mark: [places: number[]]
}>()
const box = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const size = shallowRef({ width: 0, height: 0 })
const place = computed(() => placing(props.drawn.view, size.value))

let waiting = 0
function redraw() {
  window.cancelAnimationFrame(waiting)
  waiting = window.requestAnimationFrame(() => {
    const pen = canvas.value?.getContext('2d')
    if (!pen || !size.value.width) return
    pen.setTransform(ratio, 0, 0, ratio, 0, 0)
    paint(pen, props.drawn, size.value)
  })
}
const ratio = Math.min(2, window.devicePixelRatio || 1)
useResizeObserver(box, ([entry]) => {
  const { width, height } = entry!.contentRect
  size.value = { width: Math.floor(width), height: Math.floor(height) }
  if (!canvas.value) return
  canvas.value.width = size.value.width * ratio
  canvas.value.height = size.value.height * ratio
  redraw()
})
watch([() => props.drawn, night], redraw, { flush: 'post' })
onMounted(() => void document.fonts.ready.then(redraw))

/** The point nearest to the pointer, if one is near. */
const hovered = shallowRef<Point>()
const HOVER = 9
const radius = computed(() => radii(props.drawn.points, props.drawn.view, size.value))
function nearest(x: number, y: number): Point | undefined {
  let [best, found] = [Infinity, undefined as Point | undefined]
  for (const p of props.drawn.points) {
    if (!inView(props.drawn.view, p)) continue
    const away = Math.hypot(place.value.x(p.u) - x, place.value.y(p.v) - y)
    const gap = away - radius.value(p)
    if (gap < HOVER && away < best) [best, found] = [away, p]
  }
  return found
}

type Kind = 'region' | 'lasso' | 'move'
const drag = shallowRef<{ kind: Kind; line: [number, number][]; view: View }>()
const at = (event: PointerEvent | WheelEvent): [number, number] => {
  const edge = canvas.value!.getBoundingClientRect()
  return [event.clientX - edge.left, event.clientY - edge.top]
}
function begin(event: PointerEvent) {
  if (event.button > 1) return
  event.preventDefault()
  box.value?.focus()
  canvas.value?.setPointerCapture(event.pointerId)
  const kind: Kind =
    event.button === 1 || event.altKey ? 'move' : event.shiftKey ? 'lasso' : 'region'
  drag.value = { kind, line: [at(event)], view: props.drawn.view }
  hovered.value = undefined
}
function move(event: PointerEvent) {
  const [x, y] = at(event)
  if (!drag.value) {
    hovered.value = nearest(x, y)
    return
  }
  const { kind, line, view } = drag.value
  if (kind === 'move') {
    const here = placing(view, size.value)
    const [dx, dy] = [here.u(line[0]![0]) - here.u(x), here.v(line[0]![1]) - here.v(y)]
    emit('view', { x0: view.x0 + dx, x1: view.x1 + dx, y0: view.y0 + dy, y1: view.y1 + dy }, false)
    return
  }
  const next: [number, number][] = kind === 'lasso' ? [...line, [x, y]] : [line[0]!, [x, y]]
  drag.value = { kind, view, line: next }
}
const SMALL = 6
function end(event: PointerEvent) {
  const own = drag.value
  drag.value = undefined
  if (!own) return
  const [x, y] = at(event)
  const [from, to] = [own.line[0]!, own.line.at(-1)!]
  if (own.kind === 'move') emit('view', props.drawn.view, true)
  else if (own.line.length < 2 || Math.hypot(to[0] - from[0], to[1] - from[1]) < SMALL) {
    if (own.line.length < 8) emit('choose', nearest(x, y)?.place ?? -1)
  } else if (own.kind === 'region') {
    const [left, right] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])]
    const [top, bottom] = [Math.min(from[1], to[1]), Math.max(from[1], to[1])]
    if (right - left < SMALL || bottom - top < SMALL) return
    const { u, v } = place.value
    emit('view', { x0: u(left), x1: u(right), y0: v(bottom), y1: v(top) }, true)
  }
  if (own.kind === 'lasso' && own.line.length >= 8) {
    const caught = props.drawn.points.filter(
      (p) =>
        inView(props.drawn.view, p) && inside(own.line, place.value.x(p.u), place.value.y(p.v)),
    )
    emit('mark', caught.map((p) => p.place)) // prettier-ignore
  }
}
const giveUp = () => (drag.value = undefined)
useEventListener(window, 'keydown', (event) => event.key === 'Escape' && giveUp())
let resting = 0
function wheel(event: WheelEvent) {
  const [x, y] = at(event)
  const factor = event.deltaY > 0 ? 1.18 : 1 / 1.18
  const next = zoomed(props.drawn.view, factor, place.value.u(x), place.value.v(y))
  emit('view', next, false)
  window.clearTimeout(resting)
  resting = window.setTimeout(() => emit('view', props.drawn.view, true), 300)
}

const frame = computed(() => {
  const own = drag.value
  if (own?.kind !== 'region' || own.line.length < 2) return
  const [[ax, ay], [bx, by]] = own.line as [[number, number], [number, number]]
  return { x: Math.min(ax, bx), y: Math.min(ay, by), width: Math.abs(bx - ax), height: Math.abs(by - ay) } // prettier-ignore
})
const noose = computed(() =>
  drag.value?.kind === 'lasso' ? drag.value.line.map((corner) => corner.join()).join(' ') : '',
)
const tip = computed(() => {
  const p = hovered.value
  if (!p) return
  const [x, y] = [place.value.x(p.u), place.value.y(p.v)]
  const left = x > size.value.width - 260
  return {
    lines: props.detail(p.place).split('\n'),
    style: {
      top: `${Math.max(4, y - 20)}px`,
      ...(left ? { right: `${size.value.width - x + 16}px` } : { left: `${x + 16}px` }),
    },
  }
})

/** The plane as a picture, twice as fine. */
function picture(): HTMLCanvasElement {
  const made = document.createElement('canvas')
  made.width = 2 * size.value.width
  made.height = 2 * size.value.height
  const pen = made.getContext('2d')!
  pen.scale(2, 2)
  paint(pen, props.drawn, size.value)
  pen.fillStyle = ink('quiet')
  pen.textAlign = 'left'
  pen.fillText(props.label, 10, 10)
  return made
}
defineExpose({ picture })
</script>

<template>
  <div ref="box" class="plane" tabindex="0" role="group" :aria-label="label">
    <canvas
      ref="canvas"
      :class="drag?.kind"
      aria-hidden="true"
      @pointerdown="begin"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="giveUp"
      @pointerleave="hovered = undefined"
      @wheel.prevent="wheel"
    ></canvas>
    <svg aria-hidden="true" :width="size.width" :height="size.height">
      <rect v-if="frame" v-bind="frame" />
      <polygon v-if="noose" :points="noose" />
    </svg>
    <div v-if="tip" class="tip" :style="tip.style" aria-hidden="true">
      <div v-for="line in tip.lines" :key="line">{{ line }}</div>
    </div>
    <p class="visually-hidden" role="status">{{ told }}</p>
  </div>
</template>

<style scoped>
.plane {
  position: relative;
  flex: 1;
  min-width: 0;
  min-height: 240px;
  overflow: hidden;
}
.plane:focus-visible {
  outline-width: 1px;
  outline-offset: -1px;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: crosshair;
  touch-action: none;
}
canvas.move {
  cursor: grabbing;
}
svg {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
rect,
polygon {
  fill: color-mix(in srgb, var(--accent) 10%, transparent);
  stroke: var(--accent);
  stroke-dasharray: 4 3;
}
.tip {
  position: absolute;
  max-width: 250px;
  padding: 4px 8px;
  background: var(--sheet);
  border: 1px solid var(--hair);
  pointer-events: none;
}
</style>
