import { useQuery } from '@tanstack/vue-query'
import { toValue, type MaybeRefOrGetter } from 'vue'
import { answer, api } from './api'

export const keys = {
  thread: ['thread'] as const,
  universes: ['universes'] as const,
  vocabulary: ['vocabulary'] as const,
  formulas: ['formulas'] as const,
  sieves: ['sieves'] as const,
  sievesAway: ['sieves away'] as const,
  formulasAway: ['formulas away'] as const,
  pairsAway: ['pairs away'] as const,
  runs: ['runs'] as const,
}

export const useThread = () =>
  useQuery({
    queryKey: keys.thread,
    queryFn: () => answer(api.GET('/api/thread')),
    refetchInterval: 15_000,
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

/** What was put away and can be brought back. */
export const useSievesAway = () =>
  useQuery({ queryKey: keys.sievesAway, queryFn: () => answer(api.GET('/api/sieves/away')) })

export const useFormulasAway = () =>
  useQuery({ queryKey: keys.formulasAway, queryFn: () => answer(api.GET('/api/formulas/away')) })

export const usePairsAway = () =>
  useQuery({ queryKey: keys.pairsAway, queryFn: () => answer(api.GET('/api/pairs/away')) })

export const useRuns = () =>
  useQuery({ queryKey: keys.runs, queryFn: () => answer(api.GET('/api/runs')) })

export const useRun = (id: MaybeRefOrGetter<number>) =>
  useQuery({
    queryKey: ['run', id],
    enabled: () => Number.isInteger(toValue(id)),
    queryFn: () =>
      answer(api.GET('/api/runs/{run_id}', { params: { path: { run_id: toValue(id) } } })),
  })

/** The hits of a run; asked for only once it is `done`, since before there are none yet. */
export const useHits = (id: MaybeRefOrGetter<number>, done: MaybeRefOrGetter<boolean>) =>
  useQuery({
    queryKey: ['hits', id],
    enabled: () => toValue(done),
    queryFn: () =>
      answer(api.GET('/api/runs/{run_id}/hits', { params: { path: { run_id: toValue(id) } } })),
  })
