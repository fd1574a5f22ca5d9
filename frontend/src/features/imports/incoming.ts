import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { ApiError, type Import } from '@/shared/api'
import { keys } from '@/shared/queries'
import { bring } from './bring'

/** A file on its way to the server, or one that it would not have. */
export interface Coming {
  name: string
  error?: ApiError
}

/** Files on their way, whatever page they were dropped on. */
export const coming = ref<Coming[]>([])
/** The file of a sieve that was dropped, on whatever page. */
export const droppedSieve = ref<File>()

const isSieve = (file: File) => /\.json$/i.test(file.name) || file.type === 'application/json'

/** Takes files in, from any page: tables become imports, a sieve's file is shown beside the sieves. */
export function useIncoming() {
  const router = useRouter()
  const client = useQueryClient()

  async function bringOne(file: File) {
    const one = ref<Coming>({ name: file.name })
    coming.value = [...coming.value, one.value]
    try {
      const own = await bring(file)
      coming.value = coming.value.filter((other) => other !== one.value)
      client.setQueryData<Import[]>(keys.imports, (old) => [own, ...(old ?? [])])
      await router.push(`/imports/${own.id}`)
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      one.value.error = error
      await router.push('/imports')
    }
  }

  return async function take(files: readonly File[] | null) {
    const all = files ?? []
    const sieve = all.find(isSieve)
    if (sieve) {
      droppedSieve.value = sieve
      await router.push('/sieves')
    }
    for (const file of all) if (!isSieve(file)) await bringOne(file)
    await client.invalidateQueries({ queryKey: keys.imports })
  }
}
