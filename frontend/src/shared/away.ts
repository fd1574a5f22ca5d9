import { ref } from 'vue'
import { ApiError } from './api'

const AWAY = ['unreachable', 'odd_reply', 'database_away']
const STARTING = [...AWAY, 'computing_away', 'computation_ended']
const LONGEST = 4_000

/** What the application is built on and does not answer now; nothing while all is well. */
export const away = ref<ApiError>()

/** Whether a request failed because something is being started again: it is worth asking again. */
export const isStarting = (error: unknown) =>
  error instanceof ApiError && STARTING.includes(error.code)

/** For the query library: what was refused is refused again; what is away comes back. */
export function retried(_: number, error: Error) {
  if (error instanceof ApiError && AWAY.includes(error.code)) away.value = error
  return isStarting(error)
}

/** Milliseconds before the next try. */
export const pauseBefore = (tries: number) => Math.min(LONGEST, 500 * 2 ** tries)
