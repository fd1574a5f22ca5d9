import { ref } from 'vue'
import { answer, present, shaped, type Schemas } from './api'
import { readBeginning } from './beginning'

export type Preferences = Schemas['Preferences-Output']

/** How the application is looked at; kept on the server, read once when it is opened. */
export const preferences = ref<Preferences>({
  zone: 'UTC',
  clock: '24 hours',
  digits: null,
  first_page: '/sieves',
  universe: 'All instruments',
})

const PATIENCE = 1_500
let reading: Promise<unknown> | undefined
/** Until it is known what was chosen and what this desk has; a server that does not answer is not waited for long. */
export const known = () =>
  Promise.race([
    (reading ??= Promise.all([readPreferences(), readBeginning()])),
    new Promise((go) => window.setTimeout(go, PATIENCE)),
  ])

let told = false
export async function readPreferences() {
  try {
    const reply = await answer(present.GET('/api/preferences'))
    preferences.value = shaped(reply, (own) => typeof own.zone === 'string')
    told = true
  } catch {
    // The server is being started: until it answers pages are shown as they are meant at first.
  }
}
/** Once the server answers: what it could not tell when the application was opened. */
export const readWhatIsMissing = () => {
  if (!told) void readPreferences()
}

export async function keepPreferences(chosen: Preferences) {
  const body = { preferences: chosen }
  preferences.value = await answer(present.PUT('/api/preferences', { body }))
  await readBeginning()
}
