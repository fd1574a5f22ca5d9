import { useKept } from '@/shared/store'
import { computed, ref } from 'vue'
import type { Dress } from '@/shared/api'
import { shaped } from '@/shared/arranging'
import { LIKE, PLAIN, shownLayers, statesOf, type Layout } from './layout'
import type { Drawing, Scale } from './looks'

/** What of a layout the server computes. */
export const dressOf = (layout: Layout): Dress => ({
  lines: shownLayers(layout).map((own) => own.formula),
  smoothed: layout.drawing === 'smoothed',
  states: statesOf(layout),
  strip: layout.strip.filter((own) => own.trim()),
  strip_bars: layout.strip_bars,
})

/** What is drawn on the charts of a page beside what the page is about, kept in this browser. */
export function useDress(page: string) {
  const kept = useKept<Layout>(`drawn on ${page}`, PLAIN)
  const layout = computed(() => ({ ...PLAIN, ...shaped(LIKE, kept.value) }))
  const dress = computed(() => dressOf(layout.value))
  const scale = computed(() => layout.value.scale as Scale)
  const drawing = computed(() => layout.value.drawing as Drawing)
  /** The workshop in which it is changed is open. */
  const open = ref(false)
  const turn = () => (open.value = !open.value)
  const change = (part: Partial<Layout>) => (kept.value = { ...layout.value, ...part })
  return { layout, scale, drawing, dress, open, turn, change }
}
export type Dressing = ReturnType<typeof useDress>
