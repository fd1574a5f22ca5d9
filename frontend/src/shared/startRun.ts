import { useRouter } from 'vue-router'
import { answer } from './api'
import { useServer } from './moment'
import { keys } from './questions'
import { useReadAnew } from './read'

/** Queue a run and go to its page. Rejects with an ApiError, to be told where it was asked for. */
export function useStartRun() {
  const readAnew = useReadAnew()
  const server = useServer()
  const router = useRouter()
  return async (sieveId: number) => {
    const run = await answer(server.POST('/api/runs', { body: { sieve_id: sieveId, as_of: null } }))
    void readAnew(keys.runs, keys.thread)
    await router.push(`/runs/${run.id}`)
  }
}
