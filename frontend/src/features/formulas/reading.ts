import { watch, type Ref } from 'vue'
import { answer, type Reading } from '@/shared/api'
import { useLatest } from '@/shared/latest'
import { useServer } from '@/shared/moment'

const PAUSE = 180

/** What a text means, asked again a moment after each change. */
export function useReading(text: Ref<string>) {
  const server = useServer()
  const latest = useLatest<string, Reading>(PAUSE, (asked, signal) =>
    answer(server.POST('/api/formula', { body: { text: asked, role: 'any' }, signal })),
  )
  watch(text, () => (text.value ? latest.later(text.value) : latest.stop()), { immediate: true })
  return { ...latest, reading: latest.reply, ask: () => latest.ask(text.value) }
}
