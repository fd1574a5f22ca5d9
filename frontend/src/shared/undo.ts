import { useTimeoutFn } from '@vueuse/core'
import { ref } from 'vue'
import { ApiError } from './api'

interface Offer {
  text: string
  undo?: () => unknown
  failed?: boolean
}

/** What was just done, with the way back; shown for a while beside the stages. */
export const offer = ref<Offer | null>(null)
const SHOWN = 12_000
const gone = useTimeoutFn(() => (offer.value = null), SHOWN, { immediate: false })

export function done(text: string, undo?: () => unknown) {
  offer.value = { text, undo }
  gone.start()
}

/** Take back what was just done; where that fails the offer stays, and says so. */
export async function takeBack() {
  const present = offer.value
  if (!present?.undo) return
  gone.stop()
  try {
    await present.undo()
    if (offer.value === present) offer.value = null
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    offer.value = { ...present, text: `Not undone: ${error.message}.`, failed: true }
  }
}
