import { useEventListener } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Chart } from '@/shared/api'
import { price } from '@/shared/format'
import { distance, meant, type Point } from './measure'

/** Keys that belong to measuring itself: all others are the next deed. */
const OWN_KEYS = [',', '.', 'e', 'o', 'Shift', 'Control', 'Alt', 'Meta', 'Tab', 'Enter', ' ']
/** So many pixels the words of a measure take. */
export const BOX = { width: 190, height: 122 }

interface Area {
  left: number
  top: number
  right: number
  bottom: number
}

/**
 * The way from one point of a chart to another: a click sets the first, the next the second, a third ends
 * it. Its words go with the next deed; the two points stay until they are ended.
 */
export function useMeasuring(chart: () => Chart, within: () => HTMLElement | undefined) {
  const from = shallowRef<Point>()
  const to = shallowRef<Point>()
  const fixed = ref(false)
  const told = ref(false)
  function fix(next: Point | undefined) {
    if (!next) return
    told.value = true
    if (!from.value) from.value = to.value = next
    else if (!fixed.value) [to.value, fixed.value] = [next, true]
    else end()
  }
  function end() {
    from.value = to.value = undefined
    fixed.value = false
  }
  const move = (next: Point | undefined) => {
    if (next && from.value && !fixed.value) to.value = next
  }
  const done = () => fixed.value && (told.value = false)
  useEventListener(window, 'keydown', (event) => {
    if (!OWN_KEYS.includes(event.key)) done()
  })
  useEventListener(document, 'pointerdown', (event) => {
    if (!within()?.contains(event.target as Node)) done()
  })
  watch([() => chart().code, () => chart().bars], end)
  /** Both ends stay on their own bars as others come; where one of these is there no more, it is over. */
  watch(
    () => chart().times,
    (now, before) => {
      if (!from.value || !to.value) return
      const moved = now.indexOf(before[0]!)
      const [first, last] = [from.value.at, to.value.at].map((at) =>
        now[at + moved] === before[at] ? at + moved : now.indexOf(before[at]!),
      )
      if (first! < 0 || last! < 0) return end()
      from.value = { ...from.value, at: first! }
      to.value = { ...to.value, at: last! }
    },
  )
  /** What conditions are looked for, and where: the way from point to point, or the value of a line. */
  function asked() {
    if (!from.value || !to.value) return
    const [first, last] =
      from.value.at <= to.value.at ? [from.value, to.value] : [to.value, from.value]
    const of = meant(first, last)
    const time = (p: Point) => chart().times[p.at]!
    return of && { of, at: time(last), since: of.before ? time(first) : undefined }
  }
  const words = computed(() =>
    from.value && to.value
      ? {
          names: [from.value, to.value]
            .map((p) => p.of?.label ?? price(p.price, chart().tick))
            .join(' to '),
          parts: distance(chart(), from.value, to.value),
        }
      : undefined,
  )
  /** The stretch between the two points, as moments. */
  const stretch = computed(() => {
    if (!from.value || !to.value || from.value.at === to.value.at) return
    const ends = [from.value, to.value].map((end) => chart().times[end.at])
    const [since, until] = ends.sort((a = 0, b = 0) => a - b)
    return since !== undefined && until !== undefined ? { since, until } : undefined
  })
  return { from, to, fixed, told, fix, move, end, asked, words, stretch }
}

/**
 * Where the words of a measure stand: beside the stretch that is measured, after it or before it; where
 * both have no room, above or below its bars, or else at the foot of the sheet, over the panes.
 */
export function besideStretch(stretch: Area, sheet: { width: number; height: number }) {
  const top = Math.max(4, Math.min(stretch.top, sheet.height - BOX.height))
  const left = Math.max(4, Math.min(stretch.left, sheet.width - BOX.width - 4))
  if (stretch.right + 10 + BOX.width <= sheet.width) return { left: stretch.right + 10, top }
  if (stretch.left - 10 - BOX.width >= 0) return { left: stretch.left - 10 - BOX.width, top }
  if (stretch.top - 8 - BOX.height >= 0) return { left, top: stretch.top - 8 - BOX.height }
  return { left, top: Math.min(stretch.bottom + 8, sheet.height - BOX.height) }
}
