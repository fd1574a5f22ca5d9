import { tryOnScopeDispose } from '@vueuse/core'
import { shallowRef } from 'vue'
import { awaiting } from './awaiting'
import { isStarting } from './away'
import { released } from './press'

const AGAIN = 2_000

/**
 * Asks the server as something changes; the latest question wins. One that nobody waits for any more is
 * given up, so that the server stops working on it. `about` is the question that the present reply is
 * about.
 */
export function useLatest<Question, Reply>(
  pause: number,
  request: (question: Question, signal: AbortSignal) => Promise<Reply>,
) {
  const reply = shallowRef<Reply>()
  const about = shallowRef<Question>()
  const error = shallowRef<unknown>()
  let timer = 0
  let asked = () => {}
  let asking: AbortController | undefined

  let next: { question: Question } | undefined
  let failed: { question: Question } | undefined

  function stop() {
    window.clearTimeout(timer)
    asked()
    next = undefined
    asking?.abort()
    asking = undefined
  }
  async function ask(question: Question) {
    stop()
    const own = (asking = new AbortController())
    const { signal } = own
    try {
      const found = await request(question, signal)
      const letGo = released()
      if (letGo) await letGo
      if (signal.aborted) return
      reply.value = found
      about.value = question
      error.value = undefined
    } catch (problem) {
      if (signal.aborted) return
      error.value = problem
      failed = { question }
      if (isStarting(problem)) timer = window.setTimeout(() => ask(question), AGAIN)
    }
    if (asking === own) asking = undefined
    if (next) void ask(next.question)
  }
  /** Asked at once, or as soon as the question before has its answer: for what changes while it is held. */
  function soon(question: Question) {
    window.clearTimeout(timer)
    asked()
    if (asking) next = { question }
    else void ask(question)
  }
  function later(question: Question) {
    stop()
    asked = awaiting()
    timer = window.setTimeout(() => ask(question), pause)
  }
  tryOnScopeDispose(stop)
  /** The question that failed once more. */
  const again = () => failed && ask(failed.question)
  return { reply, about, error, ask, later, soon, stop, again, data: reply }
}
