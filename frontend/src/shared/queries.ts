import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import { answer, shaped } from './api'
import { away } from './away'
import { keys } from './questions'
import { useRead } from './read'

/** Milliseconds after which a server that says nothing is taken for one that does not answer. */
const PATIENCE = 8_000

export const useThread = () =>
  useRead(() => ({
    of: keys.thread,
    read: async (server) => {
      const signal = AbortSignal.timeout(PATIENCE)
      const reply = await answer(server.GET('/api/thread', { signal }))
      const counts = shaped(reply, (own) => Array.isArray(own.troubles))
      away.value = undefined
      return counts
    },
    refetchInterval: away.value ? 1_500 : 15_000,
  }))

export const useUniverses = () =>
  useRead(() => ({
    of: keys.universes,
    read: (server) => answer(server.GET('/api/universes')),
  }))

export const useVocabulary = () =>
  useRead(() => ({
    of: keys.vocabulary,
    read: (server) => answer(server.GET('/api/vocabulary')),
    staleTime: Infinity,
  }))

export const useFormulas = () =>
  useRead(() => ({ of: keys.formulas, read: (server) => answer(server.GET('/api/formulas')) }))

export const useSieves = () =>
  useRead(() => ({ of: keys.sieves, read: (server) => answer(server.GET('/api/sieves')) }))

/** Sieves and formulas that come with the application. */
export const useReady = (enabled: () => boolean = () => true) =>
  useRead(() => ({
    of: keys.ready,
    enabled: enabled(),
    read: (server) => answer(server.GET('/api/ready')),
  }))

/** The instruments of a universe, each with what the data check found. */
export const useInstruments = (universe: MaybeRefOrGetter<string | undefined>) =>
  useRead(() => {
    const query = { universe: toValue(universe) ?? '' }
    return {
      of: keys.instruments(query.universe),
      enabled: query.universe !== '',
      read: (server) => answer(server.GET('/api/instruments', { params: { query } })),
    }
  })

/** The instruments of a universe, by code and name. */
export const useMembers = (universe: MaybeRefOrGetter<string | undefined>) => {
  const instruments = useInstruments(universe)
  return computed(() => (instruments.data.value ?? []).map(({ code, name }) => ({ code, name })))
}

/** What was archived and can be restored. */
export const useArchivedSieves = () =>
  useRead(() => ({
    of: keys.archivedSieves,
    read: (server) => answer(server.GET('/api/sieves/archived')),
  }))

export const useArchivedFormulas = () =>
  useRead(() => ({
    of: keys.archivedFormulas,
    read: (server) => answer(server.GET('/api/formulas/archived')),
  }))

export const useArchivedInstruments = () =>
  useRead(() => ({
    of: keys.archivedInstruments,
    read: (server) => answer(server.GET('/api/archived/instruments')),
  }))

export const useArchivedUniverses = () =>
  useRead(() => ({
    of: keys.archivedUniverses,
    read: (server) => answer(server.GET('/api/universes/archived')),
  }))

export const useVenues = () =>
  useRead(() => ({ of: keys.venues, read: (server) => answer(server.GET('/api/venues')) }))

export const useRuns = () =>
  useRead(() => ({ of: keys.runs, read: (server) => answer(server.GET('/api/runs')) }))

export const useRun = (id: MaybeRefOrGetter<number>) =>
  useRead(() => {
    const path = { run_id: toValue(id) }
    return {
      of: keys.run(path.run_id),
      enabled: Number.isInteger(path.run_id),
      read: (server) => answer(server.GET('/api/runs/{run_id}', { params: { path } })),
    }
  })
