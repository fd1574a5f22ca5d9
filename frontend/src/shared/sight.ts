import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, watch, type Ref } from 'vue'
import type { useHits } from './hits'

/**
 * The hits in sight in a box that scrolls: only they are drawn, and what comes into sight is read. Each row
 * is `row` pixels high; so many stand `above` the first.
 */
export function useSight(
  hits: ReturnType<typeof useHits>,
  box: Ref<HTMLElement | undefined>,
  row: number,
  above: number,
) {
  const virtual = useVirtualizer(
    computed(() => ({
      count: hits.matching.value ?? 0,
      getScrollElement: () => box.value ?? null,
      estimateSize: () => row,
      scrollMargin: above,
      scrollPaddingStart: row,
      scrollPaddingEnd: row,
      overscan: 12,
    })),
  )
  const seen = computed(() => virtual.value.getVirtualItems())
  watch(seen, (items) => items.length && hits.need(items[0]!.index, items.at(-1)!.index))
  return { virtual, seen }
}
