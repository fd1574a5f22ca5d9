import { useQuery } from '@tanstack/vue-query'
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, ref } from 'vue'
import { answer, api, type Schemas } from '@/shared/api'
import { shaped } from '@/shared/arranging'
import { LIKE, PLAIN, shownLayers, statesOf, type Layout } from './layout'
import type { Drawing, Scale } from './looks'
import type Workshop from './Workshop.vue'

export type Dress = Omit<Schemas['HitChartBody'], 'bars'>

/** What of a layout the server computes. */
export const dressOf = (layout: Layout): Dress => ({
  lines: shownLayers(layout).map((own) => own.formula),
  smoothed: layout.drawing === 'smoothed',
  states: statesOf(layout),
  strip: layout.strip.filter((own) => own.trim()),
  strip_bars: layout.strip_bars,
})

/**
 * What is drawn on the charts of a page beside what the page is about, kept in this browser; and the
 * workshop in which it is changed.
 */
export function useDress(page: string) {
  const kept = useLocalStorage<Layout>(`drawn on ${page}`, PLAIN)
  const layout = computed(() => ({ ...PLAIN, ...shaped(LIKE, kept.value) }))
  const dress = computed(() => dressOf(layout.value))
  const scale = computed(() => layout.value.scale as Scale)
  const drawing = computed(() => layout.value.drawing as Drawing)
  const open = ref(false)
  const shop = ref<InstanceType<typeof Workshop>>()
  async function turn() {
    open.value = !open.value
    await nextTick()
    shop.value?.focus()
  }
  const change = (part: Partial<Layout>) => (kept.value = { ...layout.value, ...part })
  const list = useQuery({
    queryKey: ['arrangements', 'chart'],
    enabled: open,
    queryFn: () =>
      answer(api.GET('/api/arrangements/{page}', { params: { path: { page: 'chart' } } })),
  })
  /** Layouts that were kept, to be drawn here too. */
  const offered = computed(() =>
    (list.data.value ?? []).map(({ name, body }) => ({ name, body: shaped(LIKE, body) })),
  )
  return { layout, scale, drawing, dress, open, shop, turn, change, offered }
}
