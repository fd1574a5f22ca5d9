import { useQueryClient } from '@tanstack/vue-query'
import { useRouter } from 'vue-router'
import { answer, api, ApiError } from '@/shared/api'
import { keys } from '@/shared/queries'
import { done } from '@/shared/undo'

/** Queue a run and go to its page. */
export function useStartRun() {
  const client = useQueryClient()
  const router = useRouter()
  return async (sieveId: number) => {
    try {
      const run = await answer(api.POST('/api/runs', { body: { sieve_id: sieveId, as_of: null } }))
      client.invalidateQueries({ queryKey: keys.runs })
      client.invalidateQueries({ queryKey: keys.thread })
      await router.push(`/runs/${run.id}`)
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      done(`The run can't begin: ${error.message}.`)
    }
  }
}
