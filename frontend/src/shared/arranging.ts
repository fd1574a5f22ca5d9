import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { useAct } from './act'
import { answer, type Schemas } from './api'
import { draftOf, forgetDraft, keepDraft } from './drafts'
import { useServer } from './moment'
import { keys } from './questions'
import { useRead } from './read'
import { done } from './undo'

/** An address of more characters is too long for some that pass it on. */
const LONGEST = 6_000

/** A document as it is written in an address: base64 of its JSON, with signs that need no escaping. */
export function packed(document: unknown): string {
  const bytes = new TextEncoder().encode(JSON.stringify(document))
  const text = Array.from(bytes, (byte) => String.fromCharCode(byte)).join('')
  return btoa(text).replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '')
}

/** What was packed, in the shape of another document; undefined where it can't be read. */
export function unpacked<T>(text: unknown, like: T): T | undefined {
  if (typeof text !== 'string' || !text) return
  try {
    const raw = atob(text.replaceAll('-', '+').replaceAll('_', '/'))
    const bytes = Uint8Array.from(raw, (sign) => sign.charCodeAt(0))
    return shaped(like, JSON.parse(new TextDecoder().decode(bytes)))
  } catch {
    return
  }
}

/**
 * A value in the shape of another: what it lacks or has of another kind is taken from there. What is null
 * there may be anything simple; entries of a list are in the shape of the first entry there.
 */
export function shaped<T>(like: T, value: unknown): T {
  if (like === null) return (typeof value === 'object' ? null : (value ?? null)) as T
  if (Array.isArray(like)) {
    if (!Array.isArray(value)) return like
    return value.map((own) => shaped(like[0] as unknown, own)) as T
  }
  if (typeof like === 'object') {
    const own = (value ?? {}) as Record<string, unknown>
    const parts = Object.entries(like as object).map(([name, part]) => [
      name,
      shaped(part, own[name]),
    ])
    return Object.fromEntries(parts) as T
  }
  return typeof value === typeof like ? (value as T) : like
}

/** The arrangements of a page that are kept by name, and the ready ones. */
export const useArrangements = (page: string) =>
  useRead(() => ({
    of: keys.arrangements(page),
    read: (server) =>
      answer(server.GET('/api/arrangements/{page}', { params: { path: { page } } })),
  }))

/**
 * How a page is arranged: ready arrangements and kept ones by name, and what was changed of the one at hand
 * and not kept, which is in the address and survives leaving the page. `like` is an arrangement with one
 * entry in every list, which addresses of strangers are read by.
 */
export function useArranging<T extends object>(
  page: string,
  like: T,
  /** The name of the arrangement where none is asked for; the first one without. */
  usual?: (all: readonly Schemas['Arranged'][]) => string | undefined,
) {
  const route = useRoute()
  const router = useRouter()
  const client = useQueryClient()
  const server = useServer()
  const home = route.name
  const params = { path: { page } }
  const list = useArrangements(page)
  const all = computed(() => list.data.value ?? [])
  const name = computed(() => {
    const asked = route.query.as
    // Where there is a usual one, a name that nobody keeps stands for it.
    const known = !usual || Boolean(route.query.set) || all.value.some((one) => one.name === asked)
    return String((known ? asked : undefined) ?? usual?.(all.value) ?? all.value[0]?.name ?? '')
  })
  const kept = computed(() => all.value.find((one) => one.name === name.value))
  const asKept = computed(() => kept.value && shaped(like, kept.value.body))
  const place = computed(() => `${page}:${name.value}`)
  /** Counts what was kept in the browser, which nothing else tells of. */
  const drafts = ref(0)
  const draft = computed(() => {
    const found = drafts.value >= 0 ? draftOf<T>(place.value) : undefined
    return found && { ...found, content: shaped(like, found.content) }
  })
  const told = computed(() => unpacked(route.query.set, like))
  const now = computed<T | undefined>(() => told.value ?? draft.value?.content ?? asKept.value)
  const changed = computed(
    () => Boolean(now.value) && JSON.stringify(now.value) !== JSON.stringify(asKept.value),
  )
  const set = computed(() => {
    const text = changed.value ? packed(now.value) : undefined
    return text && text.length <= LONGEST ? text : undefined
  })
  /** What was changed is too much for an address: it is shared by keeping it. */
  const tooLong = computed(() => changed.value && !set.value)

  const show = (as: string, to?: string, more: LocationQueryRaw = {}) =>
    router.replace({ query: { ...route.query, ...more, as, set: to } })
  watch(
    [name, set, () => Boolean(list.data.value)],
    () => {
      if (route.name !== home || !list.data.value) return
      // The usual one of what is looked at is not asked for by name.
      if (usual && route.query.as === undefined && set.value === undefined) return
      if (route.query.set !== set.value || route.query.as !== name.value) {
        void show(name.value, set.value)
      }
    },
    { immediate: true, flush: 'post' },
  )

  /** Change a part of it; `more` is what becomes of the address beside that. */
  function arrange(part: Partial<T>, more?: LocationQueryRaw) {
    if (!now.value) return
    const next = { ...now.value, ...part }
    if (JSON.stringify(next) === JSON.stringify(asKept.value)) forgetDraft(place.value)
    else keepDraft(place.value, next, draft.value?.basedOn ?? kept.value?.version ?? 0)
    drafts.value += 1
    const text = packed(next)
    void show(name.value, text.length <= LONGEST ? text : undefined, more)
  }
  const choose = (as: string) => show(as)
  function asItWas() {
    forgetDraft(place.value)
    drafts.value += 1
    void show(name.value)
  }

  const { act, busy, failure } = useAct()
  const listed = (found: Schemas['Arranged'][]) =>
    client.setQueryData(keys.arrangements(page), found)
  /** Keep what is seen under its name or another one. */
  const keep = (as = name.value) =>
    act('Not kept', async () => {
      const body = now.value as Record<string, unknown> | undefined
      if (!body || !as.trim()) return false
      const own = as === name.value
      const based_on = own ? (draft.value?.basedOn ?? kept.value?.version ?? 0) : 0
      const asked = { name: as, body, based_on }
      listed(await answer(server.POST('/api/arrangements/{page}', { params, body: asked })))
      forgetDraft(place.value)
      drafts.value += 1
      await show(as.trim())
      done(`${as.trim()} is kept.`)
      return true
    })
  /** Take away what was kept under the name at hand; a ready one is as it came again. */
  const drop = () =>
    act('Not taken away', async () => {
      const gone = name.value
      const asked = { params: { ...params, query: { name: gone } } }
      listed(await answer(server.DELETE('/api/arrangements/{page}', asked)))
      await show(kept.value ? gone : (all.value[0]?.name ?? ''))
      done(`${gone} is ${kept.value?.ready ? 'as it came' : 'taken away'}.`, async () => {
        listed(await answer(server.POST('/api/arrangements/{page}/restore', asked)))
        if (route.name === home) await show(gone)
      })
    })
  return {
    list,
    all,
    name,
    kept,
    now,
    changed,
    tooLong,
    arrange,
    choose,
    asItWas,
    keep,
    drop,
    busy,
    failure,
  }
}
export type Arranging = Omit<ReturnType<typeof useArranging>, 'now' | 'arrange'>
