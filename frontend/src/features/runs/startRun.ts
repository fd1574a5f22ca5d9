import { useQueryClient } from '@tanstack/vue-query'
import { useRouter } from 'vue-router'
import { answer, api } from '@/shared/api'
import { keys } from '@/shared/queries'

/** Queue a run and go to its page. Rejects with an ApiError, to be told where it was asked for. */
export function useStartRun() {
  const client = useQueryClient()
  const router = useRouter()
  return async (sieveId: number) => {
    const run = await answer(api.POST('/api/runs', { body: { sieve_id: sieveId, as_of: null } }))
    client.invalidateQueries({ queryKey: keys.runs })
    client.invalidateQueries({ queryKey: keys.thread })
    await router.push(`/runs/${run.id}`)
  }
}
