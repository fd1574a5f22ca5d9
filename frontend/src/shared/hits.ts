import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, shallowRef, toValue, watch, type MaybeRefOrGetter } from 'vue'
import type { paths } from '@/generated/api'
import { answer, type HitView, type Schemas } from './api'
import { pauseBefore, retried } from './away'
import { useMoment } from './moment'
import { keys } from './questions'
import { queryOf, type Question } from './read'

const PAGE = 100

/** Which hits are asked for: by what column, which way, and with which words. */
export interface Asked {
  sort: Sort
  down: boolean
  words: string
}
type HitsAsked = NonNullable<paths['/api/runs/{run_id}/hits']['get']['parameters']['query']>
export type Sort = NonNullable<HitsAsked['sort']>
export const BY_PLACE: Asked = { sort: 'place', down: false, words: '' }

/**
 * The hits of a run, read by page as they come into sight; only once it is `done`, since before there are
 * none yet. `rows` has holes where nothing has been read.
 */
export function useHits(
  id: MaybeRefOrGetter<number>,
  done: MaybeRefOrGetter<boolean>,
  asked: MaybeRefOrGetter<Asked> = BY_PLACE,
) {
  const client = useQueryClient()
  const moment = useMoment()
  const rows = shallowRef<readonly (HitView | undefined)[]>([])
  const matching = ref<number>()
  const error = shallowRef<unknown>()
  let turn = 0
  let begun = false
  let sight: [number, number] = [0, 0]
  let reading = new Set<number>()

  async function read(page: number) {
    const mine = turn
    reading.add(page)
    const query = { ...toValue(asked), first: page * PAGE, count: PAGE }
    const params = { path: { run_id: toValue(id) }, query }
    try {
      const question: Question<Schemas['HitPage']> = {
        of: keys.hits(params.path.run_id, query),
        read: (server, signal) => answer(server.GET('/api/runs/{run_id}/hits', { params, signal })),
      }
      const found = await client.fetchQuery({
        ...queryOf(question, moment.value),
        retry: retried,
        retryDelay: pauseBefore,
      })
      if (mine !== turn) return
      const next = begun ? rows.value.slice() : []
      next.length = matching.value = found.matching
      found.hits.forEach((hit, n) => (next[query.first + n] = hit))
      rows.value = next
      error.value = undefined
      if (!begun) {
        begun = true
        need(...sight)
      }
    } catch (problem) {
      if (mine === turn) error.value = problem
    } finally {
      if (mine === turn) reading.delete(page)
    }
  }
  /** Have the hits from one place of the list to another at hand, soon. */
  function need(first: number, last: number) {
    sight = [first, last]
    if (!begun) return
    const end = Math.min(last, (matching.value ?? 1) - 1)
    for (let page = Math.floor(Math.max(0, first) / PAGE); page * PAGE <= end; page++)
      if (!reading.has(page) && !rows.value[page * PAGE]) void read(page)
  }
  /** Begin anew; what is on the page stays until the first answer is there. */
  function reset() {
    turn++
    reading = new Set()
    begun = false
    if (toValue(done)) void read(0)
  }
  watch(
    [() => toValue(id), () => toValue(done), () => JSON.stringify(toValue(asked)), moment],
    reset,
    {
      immediate: true,
    },
  )
  /** Change a hit that is at hand; pages are read again where they come into sight anew. */
  function patch(hit: number, part: Partial<HitView>) {
    rows.value = rows.value.map((own) => (own?.id === hit ? { ...own, ...part } : own))
    client.removeQueries({ queryKey: keys.hits(toValue(id)), type: 'inactive' })
  }
  const indexOf = (hit: number) => rows.value.findIndex((own) => own?.id === hit)
  return {
    rows,
    matching,
    error: computed(() => error.value),
    need,
    patch,
    indexOf,
    retry: reset,
  }
}
