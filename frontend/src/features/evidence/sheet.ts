import { useElementSize } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import { ticks } from '@/parts/drawings/scale'

export const [LEFT, RIGHT, TOP] = [46, 12, 8]

/** A small drawing as wide as its place, in which all of some values and zero are in sight. */
export function useSheet(
  box: Ref<HTMLElement | undefined>,
  values: () => readonly number[],
  height: number,
  bottom: number,
) {
  const { width } = useElementSize(box)
  const wide = computed(() => Math.max(40, width.value - LEFT - RIGHT))
  const high = height - TOP - bottom
  const reach = computed(() => {
    const all = [0, ...values()]
    const [low, most] = [Math.min(...all), Math.max(...all)]
    const room = (most - low) * 0.05 || 1
    return { low: low - room, most: most + room }
  })
  const y = (value: number) =>
    TOP + high * (1 - (value - reach.value.low) / (reach.value.most - reach.value.low))
  const levels = computed(() => ticks(reach.value.low, reach.value.most, 'linear', 5))
  return { wide, high, y, levels }
}
