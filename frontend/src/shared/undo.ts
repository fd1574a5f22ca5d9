import { ref } from 'vue'
import { ApiError } from './api'

interface Offer {
  text: string
  undo?: () => unknown
  failed?: boolean
}

/** What was just done, with the way back; shown for a while beside the stages. */
export const offer = ref<Offer | null>(null)
let timer = 0

export function done(text: string, undo?: () => unknown) {
  offer.value = { text, undo }
  window.clearTimeout(timer)
  timer = window.setTimeout(() => (offer.value = null), 12_000)
}

/** Take back what was just done; where that fails the offer stays, and says so. */
export async function takeBack() {
  const present = offer.value
  if (!present?.undo) return
  window.clearTimeout(timer)
  try {
    await present.undo()
    if (offer.value === present) offer.value = null
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    offer.value = { ...present, text: `Not undone: ${error.message}.`, failed: true }
  }
}
