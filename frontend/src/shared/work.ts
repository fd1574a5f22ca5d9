import { onScopeDispose, shallowReactive, watch } from 'vue'

/** How far a piece of work is: a run, an import, the demo. */
export interface Progress {
  state: string
  done: number
  total: number
  at_work: boolean
}

const AGAIN = 2_000
/** So long a piece whose work has ended, and which is still said to be under way, isn't asked about. */
const PAUSE = 250

type Look = () => unknown

/** Who watches which piece of work, on all of the page together. */
const watchers = new Map<string, Set<Look>>()
const told = shallowReactive(new Map<string, Progress>())
/** Pieces whose work has ended and that are being read anew. */
const resting = new Set<string>()
let source: EventSource | undefined
let followed = ''
let timer = 0

/**
 * Follows pieces of work, as `run-7`, by the one stream of the page. A piece is looked at again when its work
 * has ended, and where the stream breaks off.
 */
export function useWork(names: () => string[], look: Look) {
  let mine: string[] = []
  const leave = () => {
    for (const name of mine) {
      watchers.get(name)?.delete(look)
      if (!watchers.get(name)?.size) {
        watchers.delete(name)
        told.delete(name)
      }
    }
    mine = []
  }
  watch(
    () => names().join(),
    () => {
      leave()
      mine = names()
      for (const name of mine) watchers.set(name, (watchers.get(name) ?? new Set()).add(look))
      follow()
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    leave()
    follow()
  })
  return told
}

/** Has the stream tell of what is watched. */
function follow() {
  const names = [...watchers.keys()].filter((name) => !resting.has(name)).sort()
  if (names.join() === followed) return
  followed = names.join()
  window.clearTimeout(timer)
  source?.close()
  source = undefined
  if (names.length) open(names)
}

function open(names: string[]) {
  const own = new EventSource(`/api/events?${names.map((name) => `of=${name}`).join('&')}`)
  source = own
  own.onmessage = (event) => {
    const { of, ...progress } = JSON.parse(event.data) as Progress & { of: string }
    if (!watchers.has(of)) return
    told.set(of, progress)
    if (!progress.at_work) void rest(of)
  }
  // A stream that breaks is opened again by the browser, one that is refused is not; meanwhile the pieces
  // themselves are asked.
  own.onerror = () => {
    void looked(names)
    if (own.readyState !== EventSource.CLOSED || source !== own) return
    timer = window.setTimeout(() => open(names), AGAIN)
  }
}

/** Reads pieces anew: who watches several does so once. */
const looked = (names: string[]) => {
  const looks = new Set(names.flatMap((name) => [...(watchers.get(name) ?? [])]))
  return Promise.allSettled([...looks].map((look) => look()))
}

/** The work at a piece has ended: it is read anew; whoever watches it then waits for what was asked since. */
async function rest(name: string) {
  resting.add(name)
  follow()
  await looked([name])
  await new Promise((go) => setTimeout(go, PAUSE))
  resting.delete(name)
  follow()
}
