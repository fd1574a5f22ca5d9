import { onBeforeUnmount, ref, watch, type Ref } from 'vue'
import { answer, api, type Reading } from '@/shared/api'

const PAUSE = 180

/**
 * What a text means, asked again a moment after each change; the latest answer wins. `about` is the text
 * that the present answer is about.
 */
export function useReading(text: Ref<string>) {
  const reading = ref<Reading>()
  const about = ref('')
  const error = ref<unknown>()
  let timer = 0
  let latest = 0
  async function ask() {
    const mine = ++latest
    const asked = text.value
    try {
      const reply = await answer(api.POST('/api/formula', { body: { text: asked, role: 'any' } }))
      if (mine !== latest) return
      reading.value = reply
      about.value = asked
      error.value = undefined
    } catch (problem) {
      if (mine === latest) error.value = problem
    }
  }
  watch(
    text,
    () => {
      window.clearTimeout(timer)
      if (text.value) timer = window.setTimeout(ask, PAUSE)
    },
    { immediate: true },
  )
  onBeforeUnmount(() => {
    latest++
    window.clearTimeout(timer)
  })
  return { reading, about, error, ask }
}
