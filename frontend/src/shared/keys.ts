import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount, onMounted, reactive } from 'vue'
import { showKeys } from './keyList'

export const ABOUT = [
  'this page',
  'a condition',
  'past signals',
  'the chart',
  'the moment',
  'everywhere',
] as const
export type About = (typeof ABOUT)[number]

export interface Key {
  key: string
  does: string
  /** What it does something to, by which the list is put in order. */
  about?: About
  run: (event: KeyboardEvent) => void
  /** Held down it works again and again; else one press is one action. */
  repeats?: boolean
  /** Only told in the list: what it does is done where it stands. */
  told?: boolean
  /** Rests while a text is being written, which has a meaning of its own for the key. */
  notInTexts?: boolean
}

/** The keys that work on the page just now, for the list behind `?`. */
export const activeKeys = reactive<Key[]>([])

/** Fields that take no characters: all others take each key as their own. */
const NO_TEXTS = ['button', 'checkbox', 'color', 'file', 'radio', 'range', 'reset', 'submit']
const inText = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    target.tagName === 'TEXTAREA' ||
    (target instanceof HTMLInputElement && !NO_TEXTS.includes(target.type)))

const writing = (target: EventTarget | null) =>
  inText(target) || (target instanceof HTMLElement && target.tagName === 'SELECT')

/** Shift is told where it says more than the character does. */
const shifted = (event: KeyboardEvent) =>
  event.shiftKey && (event.ctrlKey || event.metaKey || event.key.startsWith('Arrow'))

const spelled = (event: KeyboardEvent) =>
  `${event.ctrlKey || event.metaKey ? 'Ctrl+' : ''}${shifted(event) ? 'Shift+' : ''}${event.key.length === 1 ? event.key.toLowerCase() : event.key}`

/** The entry that a key press calls, if any: held keys and keys of texts are left alone. */
export function called(list: readonly Key[], event: KeyboardEvent): Key | undefined {
  const name = spelled(event)
  const withCtrl = name.startsWith('Ctrl+')
  if (event.altKey || (writing(event.target) && !withCtrl)) return
  const found = list.find((entry) => entry.key.toLowerCase() === name.toLowerCase())
  if (!found || (found.notInTexts && inText(event.target))) return
  const onButton = event.target instanceof HTMLElement && event.target.closest('button, a')
  return onButton && (name === 'Enter' || name === ' ') ? undefined : found
}

/**
 * Keys of a page: they rest while the user writes, unless pressed with Ctrl, and while what they belong to
 * is not `active`.
 */
export function useKeys(
  list: Key[],
  active: () => boolean = () => true,
  about: About = 'this page',
) {
  const onKey = (event: KeyboardEvent) => {
    if (showKeys.value || !active()) return
    const found = called(list, event)
    if (!found) return
    event.preventDefault()
    if (!event.repeat || found.repeats) found.run(event)
  }
  useEventListener(window, 'keydown', onKey)
  onMounted(() => activeKeys.push(...list.map((entry) => ({ about, ...entry }))))
  onBeforeUnmount(() => {
    for (const entry of list) {
      const at = activeKeys.findIndex((other) => other.run === entry.run)
      if (at >= 0) activeKeys.splice(at, 1)
    }
  })
}

/** Keys that a part of the page answers to itself, for the list behind `?`. */
export function listKeys(list: readonly [key: string, does: string][], about: About) {
  const entries: Key[] = list.map(([key, does]) => ({
    key,
    does,
    about,
    told: true,
    run: () => undefined,
  }))
  onMounted(() => activeKeys.push(...entries))
  onBeforeUnmount(() => {
    for (const entry of entries)
      activeKeys.splice(
        activeKeys.findIndex((other) => other.run === entry.run),
        1,
      )
  })
}
