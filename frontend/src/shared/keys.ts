import { onBeforeUnmount, onMounted, reactive } from 'vue'
import { showKeys } from '@/app/keyList'

export interface Key {
  key: string
  does: string
  run: (event: KeyboardEvent) => void
}

/** The keys that work on the page just now, for the list behind `?`. */
export const activeKeys = reactive<Key[]>([])

const writing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ['INPUT', 'SELECT', 'TEXTAREA'].includes(target.tagName))

const spelled = (event: KeyboardEvent) =>
  `${event.ctrlKey || event.metaKey ? 'Ctrl+' : ''}${event.key.length === 1 ? event.key.toLowerCase() : event.key}`

/** Keys of a page: they rest while the user writes, unless pressed with Ctrl. */
export function useKeys(list: Key[]) {
  const onKey = (event: KeyboardEvent) => {
    const name = spelled(event)
    if (writing(event.target) && !name.startsWith('Ctrl+')) return
    if (event.altKey || showKeys.value) return
    const found = list.find((entry) => entry.key.toLowerCase() === name.toLowerCase())
    if (!found) return
    const onButton = event.target instanceof HTMLElement && event.target.closest('button, a')
    if (onButton && (name === 'Enter' || name === ' ')) return
    event.preventDefault()
    found.run(event)
  }
  onMounted(() => {
    activeKeys.push(...list)
    window.addEventListener('keydown', onKey)
  })
  onBeforeUnmount(() => {
    window.removeEventListener('keydown', onKey)
    for (const entry of list) {
      const at = activeKeys.findIndex((other) => other.run === entry.run)
      if (at >= 0) activeKeys.splice(at, 1)
    }
  })
}
