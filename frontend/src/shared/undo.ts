import { useTimeoutFn } from '@vueuse/core'
import { ref } from 'vue'
import { ApiError } from './api'
import type { Key } from './keys'

interface Step {
  text: string
  undo: () => unknown
}
interface Offer {
  text: string
  undo?: () => unknown
  failed?: boolean
}

/** What was just done, with the way back; shown for a while beside the stages. */
export const offer = ref<Offer | null>(null)
const SHOWN = 12_000
const MOST_STEPS = 100
const gone = useTimeoutFn(() => (offer.value = null), SHOWN, { immediate: false })
/** What was done on the page, the last at the end: each step is taken back before the one before it. */
let steps: Step[] = []
let busy = false

function show(now: Offer) {
  offer.value = now
  gone.start()
}

/** Something that did not go well and can't be taken back. */
export const told = (text: string) => show({ text, failed: true })

export function done(text: string, undo?: () => unknown) {
  if (undo) steps = [...steps, { text, undo }].slice(-MOST_STEPS)
  show({ text, undo })
}

/** On another page nothing is taken back of what was done here but what is still on offer. */
export function forgetSteps() {
  steps = []
}

/** What was done was taken back in another way. */
export function forgetOffer() {
  steps = []
  offer.value = null
}

/**
 * Take back what was done last, and offer the step before it. Where it can't be done it says so: while
 * nobody answers it stays the last, else the step before it is. Pressed again while it is under way nothing
 * more is taken back.
 */
export async function takeBack() {
  const left = offer.value?.undo && { text: offer.value.text, undo: offer.value.undo }
  const present = steps.at(-1) ?? left
  if (busy) return
  if (!present) {
    if (!offer.value) show({ text: 'There is nothing to take back here.' })
    return
  }
  busy = true
  gone.stop()
  const was = offer.value
  try {
    await present.undo()
    steps = steps.filter((own) => own !== present)
    const next = steps.at(-1)
    if (next) show({ text: `Undone. Before it: ${next.text}`, undo: next.undo })
    else if (offer.value === was) offer.value = null
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    if (error.code !== 'unreachable') steps = steps.filter((own) => own !== present)
    offer.value = { text: `Not undone: ${error.message}.`, undo: present.undo, failed: true }
  } finally {
    busy = false
  }
}

export const undoKey: Key = {
  key: 'Ctrl+z',
  does: 'take back what was done last, then what before it',
  notInTexts: true,
  run: () => void takeBack(),
}
