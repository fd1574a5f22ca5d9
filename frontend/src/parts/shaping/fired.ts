import { computed, watch, type Ref } from 'vue'
import { MORE, useGrowing } from '@/parts/chart/growing'
import { answer, type Dress, type Schemas, type Server, type Sieve } from '@/shared/api'
import { useLatest } from '@/shared/latest'
import { useMoment, useServer } from '@/shared/moment'

export type Fired = Awaited<ReturnType<typeof firedOn>>
export type Sheets = Schemas['Sheets']
const FIRST = 420
const PAUSE = 160

const firedOn = (
  server: Server,
  { sieve, code, focus, dress }: Question,
  count: number,
  before: number | null,
  signal?: AbortSignal,
) =>
  answer(
    server.POST('/api/preview/fired', {
      body: { ...dress, sieve, code, count, focus, before },
      signal,
    }),
  )

interface Question {
  sieve: Sieve
  code: string
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
  const latest = useLatest<Question, Fired>(PAUSE, (question, signal) =>
    firedOn(server, question, FIRST, null, signal),
  )
  const fired = latest.reply
  watch(
    [sieve, code, focus, moment, dress],
    ([own, of]) => {
      if (own && of)
        latest.later({
          sieve: own,
          code: of,
          focus: focus.value ?? null,
          dress: dress.value,
          from: moment.value,
        })
      else latest.stop()
    },
    { immediate: true },
  )
  const growing = useGrowing(
    computed(() => fired.value?.chart),
    async (_, before) => (await firedOn(server, latest.about.value!, MORE, before)).chart,
  )
  /** What is told is about what is asked for. */
  const fresh = computed(
    () => latest.about.value?.sieve === sieve.value && latest.about.value?.code === code.value,
  )
  return { ...growing, fired, error: latest.error, again: latest.again, fresh }
}
