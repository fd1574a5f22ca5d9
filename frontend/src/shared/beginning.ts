import { ref } from 'vue'
import { answer, present, shaped, type Schemas } from './api'

export type Beginning = Schemas['Beginning']

/** Until the server has told. */
export const UNTOLD: Beginning = {
  universe: 'All instruments',
  instrument: '',
  bars: '1d',
  instruments: -1,
}
/** Where pages of this desk begin, as far as it is known. */
export const beginning = ref<Beginning>(UNTOLD)

export const isTold = () => beginning.value.instruments >= 0

/** Asked again whenever instruments came or went, or the settings were changed. */
export async function readBeginning() {
  try {
    const reply = await answer(present.GET('/api/beginning'))
    beginning.value = shaped(reply, (own) => typeof own.instruments === 'number')
  } catch {
    // The server is being started: what was known last holds.
  }
}
