import { useStorage, type UseStorageOptions } from '@vueuse/core'

/**
 * What is kept in this browser: drafts, the look, what was chosen last. Where the browser keeps nothing, or
 * nothing more, it stays as long as the page is open, and whoever listens is told once.
 */
const inMemory = new Map<string, string>()
let missed = false
let tell: (() => void) | undefined

/** What is done when something can't be kept, the first time; at once where that was so before. */
export function whenNotKept(act: () => void) {
  tell = act
  if (missed) act()
}

function lost() {
  if (missed) return
  missed = true
  tell?.()
}

export const store = {
  getItem(name: string): string | null {
    const own = inMemory.get(name)
    if (own !== undefined) return own
    try {
      return window.localStorage.getItem(name)
    } catch {
      return null
    }
  },
  setItem(name: string, value: string) {
    try {
      window.localStorage.setItem(name, value)
      inMemory.delete(name)
    } catch {
      inMemory.set(name, value)
      lost()
    }
  },
  removeItem(name: string) {
    inMemory.delete(name)
    try {
      window.localStorage.removeItem(name)
    } catch {
      // There is none, so that nothing of it is left.
    }
  },
}

/** A value that is kept in this browser under a name. */
export const useKept = <T extends string | number | object>(
  name: string,
  initial: T,
  options: UseStorageOptions<T> = {},
) => useStorage<T>(name, initial, store, options)
