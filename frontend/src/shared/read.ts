import { useQuery, useQueryClient, type QueryKey } from '@tanstack/vue-query'
import { computed } from 'vue'
import { serverAt, type Server } from './api'
import { useMoment } from './moment'

/** What the desk keeps, the same from every moment; or what is seen from one. */
export type Key = readonly ['kept' | 'seen', string, ...unknown[]]

/** Something that a page reads of the server. */
export interface Question<Reply> {
  of: Key
  read: (server: Server, signal: AbortSignal) => Promise<Reply>
  enabled?: boolean
  /** The reply before stays in sight while another is read. Of the same, seen from another moment, it always does. */
  keeps?: boolean | ((before: Reply) => boolean)
  staleTime?: number
  refetchInterval?: number | ((reply: Reply | undefined) => number | false)
  shallow?: boolean
  structuralSharing?: (before: unknown, now: unknown) => unknown
}

/** How the question is asked and its reply kept, looked from a moment. */
export function queryOf<Reply>(question: Question<Reply>, moment: string | undefined) {
  const { of, read, keeps, refetchInterval: every, ...how } = question
  const queryKey: QueryKey = of[0] === 'seen' ? [...of, { moment }] : of
  const stays = (before: Reply, key: QueryKey | undefined) =>
    (typeof keeps === 'function' ? keeps(before) : keeps) ||
    JSON.stringify(key?.slice(0, of.length)) === JSON.stringify(of)
  return {
    ...how,
    refetchInterval:
      typeof every === 'function'
        ? (query: { state: { data: unknown } }) => every(query.state.data as Reply | undefined)
        : every,
    queryKey,
    queryFn: ({ signal }: { signal: AbortSignal }) =>
      read(
        serverAt(() => moment),
        signal,
      ),
    placeholderData: (before: Reply | undefined, query?: { queryKey: QueryKey }) =>
      before !== undefined && stays(before, query?.queryKey) ? before : undefined,
  }
}

/** Reads of the server, from the moment of the part of the page that asks, and anew where the question changes. */
export function useRead<Reply>(question: () => Question<Reply>) {
  const moment = useMoment()
  // Whatever a placeholder is of, it is a reply: the library's types part it from one.
  const query = computed(() => queryOf(question(), moment.value) as QueryOf<Reply>)
  const asked = useQuery<Reply>(query)
  return { ...asked, again: () => asked.refetch() }
}
type QueryOf<Reply> = Omit<ReturnType<typeof queryOf<Reply>>, 'placeholderData'>

/** Reads what is likely to be asked next. */
export function useReadAhead() {
  const client = useQueryClient()
  const moment = useMoment()
  return <Reply>(question: Question<Reply>) =>
    void client.prefetchQuery(queryOf(question, moment.value))
}

/**
 * What was read of these, or of all, is no longer true: it is read anew where it is in sight, else when it
 * comes into sight.
 */
export function useReadAnew() {
  const client = useQueryClient()
  return async (...keys: Key[]) => {
    if (!keys.length) return client.invalidateQueries()
    await Promise.all(keys.map((queryKey) => client.invalidateQueries({ queryKey })))
  }
}
