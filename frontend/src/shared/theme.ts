import { useDark, useToggle } from '@vueuse/core'
import { store } from './store'

const KEY = 'night'
// As earlier versions kept it.
const kept = { yes: 'dark', no: 'light' }[store.getItem(KEY) ?? '']
if (kept) store.setItem(KEY, kept)

/** Whether the desk is dark: as was chosen here, else as the machine is. */
export const night = useDark({ storageKey: KEY, storage: store, disableTransition: false })
export const toggleNight = useToggle(night)

/** A colour of the look, resolved for drawing on canvas. */
export const ink = (name: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()
