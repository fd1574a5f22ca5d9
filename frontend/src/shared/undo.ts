import { ref } from 'vue'

interface Offer {
  text: string
  undo?: () => void
}

/** What was just done, with the way back; shown for a while at the foot of the page. */
export const offer = ref<Offer | null>(null)
let timer = 0

export function done(text: string, undo?: () => void) {
  offer.value = { text, undo }
  window.clearTimeout(timer)
  timer = window.setTimeout(() => (offer.value = null), 9_000)
}
