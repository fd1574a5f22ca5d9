import { instrumentAt } from '@/shared/addresses'
import { computed, ref, watch, type Ref } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import { answer, type Schemas } from '@/shared/api'
import type { Key } from '@/shared/keys'
import { useLatest } from '@/shared/latest'
import { useServer } from '@/shared/moment'
import { useVocabulary } from '@/shared/queries'

export const showPalette = ref(false)

export interface Entry {
  kind: string
  name: string
  note: string
  /** Leads there, or is done at once. */
  to?: RouteLocationRaw
  run?: () => void
}

const PAGES: Entry[] = [
  ['Instruments', '/instruments'],
  ['Import', '/imports'],
  ['Overview', '/overview'],
  ['Board', '/board'],
  ['Scatter', '/scatter'],
  ['Strength of currencies', '/strength'],
  ['Outlook', '/outlook'],
  ['Sieves', '/sieves'],
  ['A new sieve', '/sieves/new'],
  ['Formulas', '/formulas'],
  ['Functions', '/functions'],
  ['Runs', '/runs'],
  ['Taken and watched', '/verdicts'],
  ['Settings', '/settings'],
  ['From a script', '/scripts'],
].map(([name, to]) => ({ kind: 'page', name: name!, note: '', to: to! }))

type Found = Schemas['Found']
/** Where what was found is opened; on a page with a chart, an instrument takes the chart's place. */
export function leadsTo(found: Found, chart?: Record<string, unknown>): RouteLocationRaw {
  switch (found.kind) {
    case 'instrument':
      return {
        path: instrumentAt(found.key),
        query: { ...(chart as Record<string, string>), at: undefined },
      }
    case 'universe':
      return { path: '/instruments', query: { universe: found.key } }
    case 'sieve':
      return `/sieves/${found.key}`
    case 'formula':
      return `/formulas/${found.key}`
    default:
      return `/runs/${found.key}`
  }
}

const fits = (words: string, entry: Entry) =>
  words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => `${entry.name} ${entry.note}`.toLowerCase().includes(word))

/** What fits the words in the box: what the server finds, pages, and what the keys of the page do. */
export function useEntries(
  words: Ref<string>,
  actions: () => readonly Key[],
  chart: () => Record<string, unknown> | undefined,
) {
  const server = useServer()
  const found = useLatest(60, async (asked: string, signal) =>
    answer(server.GET('/api/find', { params: { query: { words: asked } }, signal })),
  )
  watch(words, (now) => {
    if (now.trim()) found.later(now)
    else found.stop()
  })
  const vocabulary = useVocabulary()
  const functions = computed(() =>
    (vocabulary.data.value?.functions ?? []).map((own): Entry => ({
      kind: 'function',
      name: own.name,
      note: own.label,
      to: { path: '/functions', query: { find: own.name } },
    })),
  )
  const entries = computed<Entry[]>(() => {
    const now = words.value.trim()
    const acts = actions().map((key): Entry => ({
      kind: 'on this page',
      name: key.does,
      note: key.key,
      run: () => key.run(new KeyboardEvent('keydown', { key: key.key })),
    }))
    if (!now) return [...acts, ...PAGES]
    const served = found.about.value ? (found.reply.value ?? []) : []
    const all: Entry[] = [
      ...served.map((f) => ({ kind: f.kind, name: f.name, note: f.note, to: leadsTo(f, chart()) })),
      ...[...PAGES, ...functions.value, ...acts].filter((entry) => fits(now, entry)),
    ]
    // What is called just so comes before what only has the words in it.
    const exactly = (entry: Entry) => entry.name.toLowerCase() === now.toLowerCase()
    return [...all.filter(exactly), ...all.filter((entry) => !exactly(entry))]
  })
  return { entries, error: found.error, asked: found.about }
}
