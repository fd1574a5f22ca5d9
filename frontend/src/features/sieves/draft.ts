import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { answer, api, type Preview, type Sieve, type StoredSieve } from '@/shared/api'
import { keys } from '@/shared/queries'

export const EMPTY: Sieve = {
  format: 'zealous-sieve/sieve/1',
  name: 'New sieve',
  note: '',
  universe: 'All shares',
  timeframe: '1d',
  forming: false,
  side: 'long',
  fired_within: 1,
  formulas: [],
  conditions: [{ role: 'must', formula: 'close > sma(close, 50) by 2%', weight: 1 }],
  rank: 'rel_volume(20)',
}

/** A copy without the wrapping that the interface puts around what it watches. */
const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

/** The sieve being written: loaded, changed here, saved as a new version. */
export function useDraft(id: Ref<string>) {
  const client = useQueryClient()
  const draft = ref<Sieve>(plain(EMPTY))
  const stored = ref<StoredSieve>()
  const loaded = useQuery({
    queryKey: ['sieve', id],
    enabled: () => id.value !== 'new',
    staleTime: 0,
    queryFn: () =>
      answer(
        api.GET('/api/sieves/{sieve_id}', { params: { path: { sieve_id: Number(id.value) } } }),
      ),
  })
  const take = (saved: StoredSieve) => {
    stored.value = saved
    draft.value = plain(saved.sieve)
  }
  watch(loaded.data, (data) => data && data.id !== stored.value?.id && take(data), {
    immediate: true,
  })
  watch(id, () => {
    if (id.value === 'new') {
      stored.value = undefined
      draft.value = plain(EMPTY)
    }
  })
  const before = computed(() => JSON.stringify(stored.value?.sieve))
  const changed = computed(() => JSON.stringify(draft.value) !== before.value)

  async function save(): Promise<StoredSieve> {
    const sieve = plain(draft.value)
    const saved = stored.value
      ? await answer(
          api.PUT('/api/sieves/{sieve_id}', {
            params: { path: { sieve_id: stored.value.id } },
            body: { sieve, based_on: stored.value.version },
          }),
        )
      : await answer(api.POST('/api/sieves', { body: { sieve } }))
    take(saved)
    client.setQueryData(['sieve', String(saved.id)], saved)
    client.invalidateQueries({ queryKey: keys.sieves })
    client.invalidateQueries({ queryKey: keys.thread })
    return saved
  }
  const ready = computed(() => id.value === 'new' || String(stored.value?.id) === id.value)
  return { draft, stored, changed, loaded, ready, save }
}

const PAUSE = 220

/**
 * What the draft says and leaves, asked again a moment after each change; the latest answer wins.
 * Nothing is asked until the draft is `ready`, that is, the sieve of the address and no other.
 */
export function usePreview(draft: Ref<Sieve>, ready: Ref<boolean>) {
  const preview = ref<Preview>()
  const error = ref<unknown>()
  const busy = ref(false)
  let timer = 0
  let latest = 0

  async function ask() {
    const mine = ++latest
    busy.value = true
    try {
      const sieve = plain(draft.value)
      const reply = await answer(api.POST('/api/preview', { body: { sieve } }))
      if (mine === latest) {
        preview.value = reply
        error.value = undefined
      }
    } catch (problem) {
      if (mine === latest) error.value = problem
    } finally {
      if (mine === latest) busy.value = false
    }
  }
  watch(
    [draft, ready],
    () => {
      window.clearTimeout(timer)
      if (!ready.value) return
      timer = window.setTimeout(ask, PAUSE)
    },
    { deep: true, immediate: true },
  )
  return { preview, error, busy, ask }
}
