import { ref, watch, type Ref } from 'vue'
import { answer, api, type Reading } from '@/shared/api'

const PAUSE = 180

/** What a text means, asked again a moment after each change; the latest answer wins. */
export function useReading(text: Ref<string>) {
  const reading = ref<Reading>()
  let timer = 0
  let latest = 0
  async function ask() {
    const mine = ++latest
    const reply = await answer(
      api.POST('/api/formula', { body: { text: text.value, role: 'any' } }),
    )
    if (mine === latest) reading.value = reply
  }
  watch(
    text,
    () => {
      window.clearTimeout(timer)
      if (text.value) timer = window.setTimeout(ask, PAUSE)
    },
    { immediate: true },
  )
  return { reading }
}
