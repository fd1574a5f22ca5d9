import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { answer, type Dress, type Schemas, type Server, type Sieve } from '@/shared/api'
import { useLatest } from '@/shared/latest'
import { useMoment, useServer } from '@/shared/moment'

export type Fired = Awaited<ReturnType<typeof firedOn>>
export type Sheets = Schemas['Sheets']
const FIRST = 420
const MOST = 5_000
const AHEAD = 120
const PAUSE = 160

const firedOn = (
  server: Server,
  { sieve, code, count, focus, dress }: Question,
  signal: AbortSignal,
) =>
  answer(
    server.POST('/api/preview/fired', {
      body: { ...dress, sieve, code, count, focus, before: null },
      signal,
    }),
  )

interface Question {
  sieve: Sieve
  code: string
  count: number
  focus: number | null
  dress: Dress
  from: string | undefined
}

/** Where the draft would have fired on one instrument, asked anew as either changes. */
export function useFired(
  sieve: Ref<Sieve | undefined>,
  code: Ref<string>,
  focus: Ref<number | undefined>,
  dress: Ref<Dress>,
) {
  const server = useServer()
  const moment = useMoment()
  const count = ref(FIRST)
  const latest = useLatest<Question, Fired>(PAUSE, (question, signal) =>
    firedOn(server, question, signal),
  )
  const fired = shallowRef<Fired>()
  watch(latest.reply, (reply) => (fired.value = reply))
  watch(
    [sieve, code, focus, count, moment, dress],
    ([own, of], before) => {
      if (of !== before[1]) count.value = FIRST
      if (own && of)
        latest.later({
          sieve: own,
          code: of,
          count: count.value,
          focus: focus.value ?? null,
          dress: dress.value,
          from: moment.value,
        })
      else latest.stop()
    },
    { immediate: true },
  )
  /** See to it that so many of the newest bars are there. */
  async function reach(bars: number): Promise<void> {
    const chart = fired.value?.chart
    if (!chart?.earlier || chart.times.length >= bars + AHEAD) return
    const wanted = Math.min(MOST, Math.ceil((bars + AHEAD) * 1.5))
    if (wanted <= count.value) return
    const arrived = new Promise<void>((resolve) => {
      const stop = watch([latest.reply, latest.error], () => {
        stop()
        resolve()
      })
    })
    count.value = wanted
    await arrived
  }
  /** What is told is about what is asked for. */
  const fresh = computed(
    () => latest.about.value?.sieve === sieve.value && latest.about.value?.code === code.value,
  )
  return { fired, reach, error: latest.error, again: latest.again, fresh }
}
