import { useQuery } from '@tanstack/vue-query'
import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import { answer, api, shaped } from './api'
import { away } from './away'

export const keys = {
  thread: ['thread'] as const,
  universes: ['universes'] as const,
  vocabulary: ['vocabulary'] as const,
  formulas: ['formulas'] as const,
  sieves: ['sieves'] as const,
  archivedSieves: ['archived sieves'] as const,
  archivedFormulas: ['archived formulas'] as const,
  putAway: ['instruments put away'] as const,
  venues: ['venues'] as const,
  archivedUniverses: ['archived universes'] as const,
  runs: ['runs'] as const,
  imports: ['imports'] as const,
}

/** Milliseconds after which a server that says nothing is taken for one that does not answer. */
const PATIENCE = 8_000

export const useThread = () =>
  useQuery({
    queryKey: keys.thread,
    queryFn: async () => {
      const reply = await answer(api.GET('/api/thread', { signal: AbortSignal.timeout(PATIENCE) }))
      const counts = shaped(reply, (own) => Array.isArray(own.troubles))
      away.value = undefined
      return counts
    },
    refetchInterval: () => (away.value ? 1_500 : 15_000),
  })

export const useUniverses = () =>
  useQuery({ queryKey: keys.universes, queryFn: () => answer(api.GET('/api/universes')) })

export const useVocabulary = () =>
  useQuery({
    queryKey: keys.vocabulary,
    queryFn: () => answer(api.GET('/api/vocabulary')),
    staleTime: Infinity,
  })

export const useFormulas = () =>
  useQuery({ queryKey: keys.formulas, queryFn: () => answer(api.GET('/api/formulas')) })

export const useSieves = () =>
  useQuery({ queryKey: keys.sieves, queryFn: () => answer(api.GET('/api/sieves')) })

/** The instruments of a universe, by code and name. */
export const useMembers = (universe: MaybeRefOrGetter<string | undefined>) => {
  const asked = computed(() => toValue(universe))
  const found = useQuery({
    queryKey: ['instruments', asked],
    enabled: () => Boolean(asked.value),
    queryFn: () =>
      answer(api.GET('/api/instruments', { params: { query: { universe: asked.value! } } })),
  })
  return computed(() => (found.data.value ?? []).map(({ code, name }) => ({ code, name })))
}

/** What was archived and can be restored. */
export const useArchivedSieves = () =>
  useQuery({
    queryKey: keys.archivedSieves,
    queryFn: () => answer(api.GET('/api/sieves/archived')),
  })

export const useArchivedFormulas = () =>
  useQuery({
    queryKey: keys.archivedFormulas,
    queryFn: () => answer(api.GET('/api/formulas/archived')),
  })

export const usePutAway = () =>
  useQuery({
    queryKey: keys.putAway,
    queryFn: () => answer(api.GET('/api/archived/instruments')),
  })

export const useVenues = () =>
  useQuery({ queryKey: keys.venues, queryFn: () => answer(api.GET('/api/venues')) })

export const useArchivedUniverses = () =>
  useQuery({
    queryKey: keys.archivedUniverses,
    queryFn: () => answer(api.GET('/api/universes/archived')),
  })

export const useRuns = () =>
  useQuery({ queryKey: keys.runs, queryFn: () => answer(api.GET('/api/runs')) })

export const useRun = (id: MaybeRefOrGetter<number>) =>
  useQuery({
    queryKey: ['run', id],
    enabled: () => Number.isInteger(toValue(id)),
    queryFn: () =>
      answer(api.GET('/api/runs/{run_id}', { params: { path: { run_id: toValue(id) } } })),
  })
