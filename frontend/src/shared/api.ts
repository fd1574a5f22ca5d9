import createClient from 'openapi-fetch'
import type { components, paths } from '@/generated/api'
import { awaiting } from './awaiting'
import { guarded } from './session'

export type Schemas = components['schemas']
export type Sieve = Schemas['Sieve']
export type Condition = Schemas['Condition']
export type StoredSieve = Schemas['StoredSieve']
export type Preview = Schemas['Preview']
export type Problem = Schemas['Problem']
export type Run = Schemas['Run']
export type RunView = Schemas['RunView']
export type HitView = Schemas['HitView']
export type HitColumn = Schemas['HitColumn']
export type Chart = Awaited<ReturnType<typeof chartOf>>
export type Control = Schemas['Control']
export type InstrumentDetail = Schemas['InstrumentDetail']
export type Vocabulary = Schemas['Vocabulary']
export type LibraryEntry = Schemas['LibraryEntry']
export type Reading = Schemas['Reading']
export type FunctionEntry = Schemas['FunctionEntry']
export type Offer = Schemas['Offer']
export type Offered = Schemas['Completion']
export type Option = Schemas['Option']
export type Picture = Schemas['Picture']
export type Trace = Schemas['Trace']
export type Mending = Schemas['Mending-Output']
export type StoredMending = Schemas['StoredMending']
export type Universe = Schemas['UniverseSummary']
export type Rule = Schemas['Rule-Output']
export type Import = Schemas['Import']
export type ImportView = Schemas['ImportView']
export type Layout = Schemas['Layout-Output']
export type Firing = Schemas['Firing']
/** What is drawn on a chart beside what the page is about. */
export type Dress = Omit<Schemas['HitChartBody'], 'bars' | 'before'>
export type PhraseEntry = Schemas['PhraseEntry']

/** The server as it answers looked at from a moment, which is asked for with each request; undefined for the present. */
export const serverAt = (moment: () => string | undefined) =>
  createClient<paths>({ baseUrl: '', fetch: (request) => guarded(request, moment()) })
export type Server = ReturnType<typeof serverAt>
/** For what is the same at every moment. */
export const present = serverAt(() => undefined)

/** What the server says is wrong: the same shape for every endpoint. */
export class ApiError extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly mend: string | null,
    readonly problems: Problem[],
  ) {
    super(message)
  }
}

/** The chart of a hit, as of the moment of its run, with what is drawn beside its numbers: so many bars, before a moment. */
export const chartOf = (
  server: Server,
  hit: number,
  dress: Dress,
  bars: number,
  before: number | null = null,
) =>
  answer(
    server.POST('/api/hits/{hit_id}/chart', {
      params: { path: { hit_id: hit } },
      body: { ...dress, bars, before },
    }),
  )

/** What went wrong, as the server says it; or that what it says can't be read. */
export function failureOf(said: Partial<Schemas['Failure']> | undefined): ApiError {
  if (said?.code && said.message)
    return new ApiError(said.code, said.message, said.mend ?? null, said.problems ?? [])
  const mend = 'try again; if it stays so, start the application anew'
  return new ApiError('odd_reply', 'the server answered something that can not be read', mend, [])
}

/** A reply as it is known by one sign of its shape; an ApiError for one of another. */
export function shaped<T>(reply: T, isKnown: (reply: T) => boolean): T {
  if (!isKnown(reply)) throw failureOf(undefined)
  return reply
}

/** The data of a reply, or an ApiError to throw. */
export async function answer<T>(
  call: Promise<{ data?: T; error?: Schemas['Failure']; response: Response }>,
): Promise<T> {
  let reply
  const came = awaiting()
  try {
    reply = await call
  } catch (problem) {
    if (problem instanceof SyntaxError) throw failureOf(undefined)
    const mend = 'see whether ./start is still running, then try again'
    throw new ApiError('unreachable', 'the server does not answer', mend, [])
  } finally {
    came()
  }
  if (reply.error) throw failureOf(reply.error)
  if (reply.data === undefined && reply.response.status !== 204) throw failureOf(undefined)
  return reply.data as T
}
