import { ref, shallowRef } from 'vue'
import { ApiError } from './api'

export interface Failure {
  what: string
  error: ApiError
  again: () => void
}

/**
 * Requests that change something: one at a time, and one that fails is told on the page that asked for
 * it, with the way to try it again.
 */
export function useAct() {
  const failure = shallowRef<Failure>()
  const busy = ref(false)
  async function act<T>(what: string, work: () => Promise<T>): Promise<T | undefined> {
    if (busy.value) return
    busy.value = true
    failure.value = undefined
    try {
      return await work()
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      failure.value = { what, error, again: () => void act(what, work) }
    } finally {
      busy.value = false
    }
  }
  return { act, busy, failure }
}
