import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount, onMounted } from 'vue'

/** Parts of a page in which one can stand. */
const PARTS = 'p, li, tr, figure, form, section, header, aside, nav, [role="group"], main'

/**
 * Where the keyboard stands is never lost. A field that is left by Enter or Escape, a form that closes, a
 * button that goes with what it did leave the focus on the part of the page that they were in, so that Tab
 * goes on from there and the keys of the page work; on the page itself where that is gone too. Who presses
 * beside everything with the pointer stands nowhere, as he wants it.
 */
export function useStanding() {
  let path: HTMLElement[] = []
  let soon = 0

  function stand(event: FocusEvent) {
    path = []
    for (let at = event.target as HTMLElement | null; at; at = at.parentElement) path.push(at)
  }
  const isLost = () => path.length > 0 && document.activeElement === document.body
  const isSeen = (part: HTMLElement) => part.isConnected && part.getClientRects().length > 0
  function goOn() {
    if (soon) return
    // What opens in its place takes the focus itself.
    soon = window.setTimeout(() => {
      soon = 0
      if (!isLost()) return
      const parts = path.slice(1).filter((part) => part.matches(PARTS))
      const found = parts.find(isSeen) ?? document.querySelector<HTMLElement>('main')
      if (!found) return
      if (!found.hasAttribute('tabindex')) found.tabIndex = -1
      found.focus({ preventScroll: true })
    }, 60)
  }
  useEventListener(document, 'focusin', stand)
  useEventListener(document, 'focusout', (event) => {
    if (!event.relatedTarget && document.hasFocus()) goOn()
  })
  useEventListener(
    document,
    'pointerdown',
    () => {
      path = []
    },
    true,
  )
  /** An element that is taken away says nothing of it. */
  const changes = new MutationObserver(() => isLost() && goOn())
  onMounted(() => changes.observe(document.body, { childList: true, subtree: true }))
  onBeforeUnmount(() => changes.disconnect())

  /** Escape leaves every field; one that means something else by it keeps that to itself. */
  useEventListener(window, 'keydown', (event) => {
    const field = event.target as HTMLElement
    const isField = field.matches?.('input, textarea, select, [contenteditable="true"]')
    if (event.key === 'Escape' && isField && !event.defaultPrevented) field.blur()
  })
}
