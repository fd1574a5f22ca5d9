import { tryOnScopeDispose } from '@vueuse/core'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import type { ApiError } from '@/shared/api'
import { away, isStarting } from '@/shared/away'
import type { Scatter } from './plane'

/** So many values come with one request. */
const AT_ONCE = 30_000
/** So many pieces are kept at hand; the ones farthest from the frame in sight are forgotten first. */
const KEPT = 24
/** So many milliseconds later what was away is asked again. */
const AGAIN = 1_000
export const PACES = [1, 2, 5, 10, 20] as const

/**
 * A session played frame by frame. Pieces of it are read ahead of the frame in sight; one that is not there
 * yet is waited for. `ask` reads a piece from a frame on, and is given up when something else is played.
 */
export function usePlaying(
  ask: (first: number, count: number, signal: AbortSignal) => Promise<Scatter>,
  size: () => number,
) {
  const pieces = shallowRef(new Map<number, Scatter>())
  const moments = shallowRef<number[]>([])
  const playing = ref(false)
  const running = ref(false)
  const pace: Ref<(typeof PACES)[number]> = ref(5)
  const at = ref(0)
  const error = shallowRef<ApiError>()
  let asking: AbortController | undefined
  let open = new Set<number>()
  let timer = 0

  /** Where a piece takes too much work, the next ones are so many times shorter. */
  const shorter = ref(1)
  const count = computed(() => {
    const usual = Math.min(120, Math.floor(AT_ONCE / (size() || 1)))
    return Math.max(1, Math.floor(usual / shorter.value))
  })
  const firstOf = (frame: number) => Math.floor(frame / count.value) * count.value

  async function need(first: number) {
    const signal = asking?.signal
    if (!signal || pieces.value.has(first) || open.has(first)) return
    open.add(first)
    try {
      const piece = await ask(first, count.value, signal)
      if (signal.aborted) return
      const next = new Map(pieces.value).set(first, piece)
      if (next.size > KEPT) {
        const far = [...next.keys()].sort((a, b) => Math.abs(b - at.value) - Math.abs(a - at.value))
        next.delete(far[0]!)
      }
      pieces.value = next
      moments.value = piece.moments
      error.value = undefined
    } catch (problem) {
      if (signal.aborted) return
      if (isStarting(problem)) {
        // It is asked for again with the next frames, once that is back.
        await new Promise((resolve) => window.setTimeout(resolve, AGAIN))
      } else if ((problem as ApiError).code === 'too_much' && count.value > 1) {
        shorter.value *= 4
        pieces.value = new Map()
      } else {
        error.value = problem as ApiError
        running.value = false
      }
    } finally {
      open.delete(first)
    }
  }
  /** The piece in which a frame is, and the next ones, are read. */
  function readAhead() {
    const first = firstOf(at.value)
    void need(first).then(() => {
      for (const next of [first + count.value, first + 2 * count.value]) {
        if (next < moments.value.length) void need(next)
      }
    })
  }
  const there = (frame: number) => pieces.value.has(firstOf(frame))

  async function begin() {
    stop()
    asking = new AbortController()
    open = new Set()
    playing.value = true
    at.value = 0
    await need(0)
    if (!playing.value || error.value) return
    readAhead()
    run(true)
  }
  /** Leave the session; the newest moment is seen again. */
  function stop() {
    asking?.abort()
    run(false)
    playing.value = false
    pieces.value = new Map()
    moments.value = []
    error.value = undefined
    shorter.value = 1
  }
  function run(on: boolean) {
    window.clearInterval(timer)
    running.value = on && playing.value && !error.value
    if (running.value) timer = window.setInterval(tick, 1000 / pace.value)
  }
  function tick() {
    if (away.value || document.hidden) return
    const all = moments.value.length
    if (all && at.value + 1 >= all) run(false)
    else if (there(at.value + 1)) at.value += 1
    readAhead()
  }
  function go(frame: number) {
    at.value = Math.max(0, Math.min(moments.value.length - 1, frame))
    readAhead()
  }
  watch(pace, () => running.value && run(true))
  tryOnScopeDispose(stop)

  /** The frame in sight is still being read. */
  const waiting = computed(() => playing.value && !there(at.value))
  /** What is seen: the piece that holds the frame in sight, and its place in there; while that is read, what
   * was seen before. */
  const seen = shallowRef<{ piece: Scatter; place: number }>()
  watch(
    [at, pieces, playing],
    () => {
      const first = firstOf(at.value)
      const piece = pieces.value.get(first)
      if (!playing.value) seen.value = undefined
      else if (piece) seen.value = { piece, place: at.value - first }
    },
    { flush: 'sync' },
  )
  return { playing, running, pace, at, moments, pieces, seen, waiting, error, begin, stop, run, go }
}
