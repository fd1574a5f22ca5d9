import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { answer, type Condition, type Preview, type Sieve, type StoredSieve } from '@/shared/api'
import { beginning } from '@/shared/beginning'
import { same } from '@/shared/same'
import { draftOf, forgetDraft, keepDraft } from '@/shared/drafts'
import { useLatest } from '@/shared/latest'
import { useMoment, useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'

/** A must, until it is said otherwise. */
export const condition = (formula: string): Condition => ({
  role: 'must',
  formula,
  weight: 1,
  off: false,
  side: null,
})

export const empty = (): Sieve => ({
  format: 'zealous-sieve/sieve/4',
  name: 'New sieve',
  note: '',
  universe: beginning.value.universe,
  timeframes: ['1d'],
  forming: false,
  sides: ['long'],
  fired_within: 1,
  formulas: [],
  conditions: [condition('close > sma(close, 45) by 2%')],
  rank: 'rel_volume(18)',
})

/** A draft that was kept by an earlier version: with one `timeframe` and one `side`, or less said of conditions. */
export function upToDate(kept: Sieve): Sieve {
  const { timeframe, side, ...rest } = kept as Sieve & {
    timeframe?: string
    side?: 'long' | 'short'
  }
  const conditions = kept.conditions.map((own) => ({ ...condition(''), ...own }))
  const now = { ...rest, format: empty().format, conditions }
  if (timeframe === undefined || side === undefined) return now
  return { ...now, timeframes: [timeframe], sides: [side] }
}

/** A copy without the wrapping that the interface puts around what it watches. */
export const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

/**
 * What is on the page once a save has come back: of each part what was typed since it was sent, else
 * what the server made of it.
 */
export function merged(sent: Sieve, now: Sieve, saved: Sieve): Sieve {
  const parts = Object.keys(saved) as (keyof Sieve)[]
  const entries = parts.map((part) => [part, same(sent[part], now[part]) ? saved[part] : now[part]])
  return Object.fromEntries(entries) as Sieve
}

/** A sieve as lines of text, to be compared with another. */
export function asLines(sieve: Sieve): string {
  const { universe, timeframes, forming, sides, fired_within, conditions, formulas } = sieve
  return [
    sieve.name,
    `in ${universe}, bars of ${timeframes.join(', ')}, ${forming ? 'forming ones too' : 'closed'}`,
    `${sides.join(' and ')}, within ${fired_within}`,
    ...conditions.map((own) => {
      const how = own.role === 'boost' ? `boost ${own.weight}` : own.role
      return `${how}${own.side ? `, ${own.side} only` : ''}${own.off ? ', off' : ''}: ${own.formula}`
    }),
    ...formulas.flatMap((own) => [`${own.name}:`, ...own.text.split('\n').map((t) => `  ${t}`)]),
    `ranked by ${sieve.rank || 'nothing'}`,
    sieve.note,
  ].join('\n')
}

const MOST_STEPS = 100
const TYPING = 600

/** The one text in which two states differ, by its place; nothing where more than that differs. */
export function typedIn(before: unknown, after: unknown, place = ''): string | undefined {
  if (typeof before === 'string' && typeof after === 'string') return place
  const [a, b] = [Object(before), Object(after)] as Record<string, unknown>[]
  if (Object.keys(a!).length !== Object.keys(b!).length) return
  const differ = Object.keys(a!).filter((key) => !same(a![key], b![key]))
  const [key] = differ
  return differ.length === 1 ? typedIn(a![key!], b![key!], `${place}.${key}`) : undefined
}

/** Earlier states of a draft, one for each change or each stretch of typing. */
export function useHistory(draft: Ref<Sieve>) {
  const past = ref<string[]>([])
  const future = ref<string[]>([])
  let last = JSON.stringify(draft.value)
  let at = 0
  let text: string | undefined
  watch(
    draft,
    () => {
      const now = JSON.stringify(draft.value)
      if (now === last) return
      const place = typedIn(JSON.parse(last), JSON.parse(now))
      const goesOn = place && place === text && performance.now() - at < TYPING
      if (!goesOn) past.value = [...past.value, last].slice(-MOST_STEPS)
      text = place
      at = performance.now()
      future.value = []
      last = now
    },
    { deep: true, flush: 'sync' },
  )
  function step(from: Ref<string[]>, to: Ref<string[]>) {
    const state = from.value.at(-1)
    if (state === undefined) return
    to.value = [...to.value, last]
    from.value = from.value.slice(0, -1)
    last = state
    at = 0
    draft.value = JSON.parse(state) as Sieve
  }
  function begin() {
    past.value = future.value = []
    last = JSON.stringify(draft.value)
    at = 0
  }
  return {
    begin,
    undo: () => step(past, future),
    redo: () => step(future, past),
    canUndo: computed(() => past.value.length > 0),
  }
}

/** The sieve being written: loaded, changed here, saved as a new version. */
export function useDraft(id: Ref<string>) {
  const client = useQueryClient()
  const readAnew = useReadAnew()
  const server = useServer()
  const draft = ref<Sieve>(empty())
  const stored = ref<StoredSieve>()
  /** When the draft that is on the page was left, and the version it was made from. */
  const found = ref<{ at: number; basedOn: number }>()
  const basedOn = ref(0)
  const history = useHistory(draft)
  const loaded = useRead(() => {
    const path = { sieve_id: Number(id.value) }
    return {
      of: keys.sieve(id.value),
      enabled: id.value !== 'new',
      staleTime: 0,
      read: (server) => answer(server.GET('/api/sieves/{sieve_id}', { params: { path } })),
    }
  })
  let begun = empty()
  const place = () => `sieve ${id.value}`
  const clean = () => plain(stored.value?.sieve ?? begun)

  /** What was left unsaved comes back; else what is saved. */
  function open(saved: StoredSieve | undefined) {
    stored.value = saved
    basedOn.value = saved?.version ?? 0
    const left = draftOf<Sieve>(place())
    if (left) left.content = upToDate(left.content)
    const differs = left && !same(left.content, clean())
    draft.value = differs ? left.content : clean()
    found.value = differs ? { at: left.at, basedOn: left.basedOn } : undefined
    if (differs && saved) basedOn.value = left.basedOn
    history.begin()
  }
  function discard() {
    const left = plain(draft.value)
    const before = { found: found.value, basedOn: basedOn.value }
    forgetDraft(place())
    found.value = undefined
    basedOn.value = stored.value?.version ?? 0
    draft.value = clean()
    return () => {
      draft.value = left
      found.value = before.found
      basedOn.value = before.basedOn
    }
  }
  watch(loaded.data, (data) => data && data.id !== stored.value?.id && open(data), {
    immediate: true,
  })
  watch(id, () => id.value === 'new' && open(undefined))
  // Where this desk begins may come late: a sieve in which nothing was written yet begins there.
  watch(beginning, () => {
    const untouched = id.value === 'new' && same(draft.value, begun)
    begun = empty()
    if (untouched) open(undefined)
  })
  if (id.value === 'new') open(undefined)

  const ready = computed(() => id.value === 'new' || String(stored.value?.id) === id.value)
  const changed = computed(() => !stored.value || !same(draft.value, stored.value.sieve))
  watch(
    draft,
    () => {
      if (!ready.value) return
      if (same(draft.value, clean())) forgetDraft(place())
      else keepDraft(place(), plain(draft.value), basedOn.value)
    },
    { deep: true },
  )

  async function save(asNew = false): Promise<StoredSieve> {
    const sent = plain(draft.value)
    const from = place()
    const saved =
      stored.value && !asNew
        ? await answer(
            server.PUT('/api/sieves/{sieve_id}', {
              params: { path: { sieve_id: stored.value.id } },
              body: { sieve: sent, based_on: basedOn.value },
            }),
          )
        : await answer(server.POST('/api/sieves', { body: { sieve: sent } }))
    forgetDraft(from)
    stored.value = saved
    basedOn.value = saved.version
    found.value = undefined
    draft.value = merged(sent, plain(draft.value), plain(saved.sieve))
    client.setQueryData(keys.sieve(String(saved.id)), saved)
    void readAnew(keys.sieves, keys.thread)
    return saved
  }
  return { draft, stored, found, changed, loaded, ready, history, save, discard }
}

const PAUSE = 150

/** A sieve, and the moment that is looked from. */
interface Question {
  sieve: Sieve
  from: string | undefined
}

/**
 * What the draft says and leaves, asked again a moment after each change; the latest answer wins. While a
 * threshold is `held`, it is asked as fast as answers come.
 * Nothing is asked until the draft is `ready`, that is, the sieve of the address and no other. `about` is
 * the sieve that the present answer is about: what differs from it is no longer true.
 */
export function usePreview(draft: Ref<Sieve>, ready: Ref<boolean>, held: Ref<boolean>) {
  const server = useServer()
  const moment = useMoment()
  const latest = useLatest<Question, Preview>(PAUSE, ({ sieve }, signal) =>
    answer(server.POST('/api/preview', { body: { sieve }, signal })),
  )
  const question = (): Question => ({ sieve: plain(draft.value), from: moment.value })
  watch(
    [draft, ready, moment],
    () => {
      if (!ready.value) latest.stop()
      else if (held.value) latest.soon(question())
      else latest.later(question())
    },
    { deep: true, immediate: true },
  )
  /** What changes nothing in what is computed leaves the answer true. */
  const counted = (sieve?: Sieve) => sieve && { ...sieve, name: '', note: '' }
  const fresh = computed(
    () =>
      latest.reply.value !== undefined &&
      latest.about.value?.from === moment.value &&
      same(counted(latest.about.value?.sieve), counted(draft.value)),
  )
  const about = computed(() => latest.about.value?.sieve)
  /** The moment that the present answer looks from; none for the present. */
  const from = computed(() => latest.about.value?.from)
  return { ...latest, about, from, preview: latest.reply, fresh, ask: () => latest.ask(question()) }
}
