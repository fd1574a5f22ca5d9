import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { ApiError, type Import } from '@/shared/api'
import { droppedSieve } from '@/shared/dropped'
import { parcels } from './archive'
import { bring, bringSome } from './bring'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'

/** A file on its way to the server, or one that it would not have. */
export interface Coming {
  name: string
  /** How many of many files have come. */
  done?: number
  error?: ApiError
}

/** The files of what was dropped: of folders all that lie within, but hidden ones. */
export async function filesOf(items: DataTransferItemList): Promise<File[]> {
  const entries = [...items].map((item) => item.webkitGetAsEntry() ?? item.getAsFile())
  const within = await Promise.all(entries.map((entry) => (entry ? filesIn(entry) : [])))
  return within.flat()
}
async function filesIn(entry: FileSystemEntry | File): Promise<File[]> {
  if (entry instanceof File) return [entry]
  if (entry.name.startsWith('.')) return []
  if (entry.isFile)
    return [
      await new Promise<File>((take, fail) => (entry as FileSystemFileEntry).file(take, fail)),
    ]
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const all: File[] = []
  // A folder is told a hundred entries at a time, until none is left.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((take, fail) =>
      reader.readEntries(take, fail),
    )
    if (!some.length) return all
    all.push(...(await Promise.all(some.map(filesIn))).flat())
  }
}

/** Files on their way, whatever page they were dropped on. */
export const coming = ref<Coming[]>([])
const isSieve = (file: File) => /\.json$/i.test(file.name) || file.type === 'application/json'

/** Takes files in, from any page: tables become imports, a sieve's file is shown beside the sieves. */
export function useIncoming() {
  const router = useRouter()
  const readAnew = useReadAnew()

  async function bringOne(file: File) {
    const one = ref<Coming>({ name: file.name })
    coming.value = [...coming.value, one.value]
    try {
      const own = await bring(file)
      coming.value = coming.value.filter((other) => other !== one.value)
      await readAnew(keys.imports())
      await router.push(`/imports/${own.id}`)
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      one.value.error = error
      await router.push('/imports')
    }
  }

  async function bringMany(files: readonly File[]) {
    const one = ref<Coming>({
      name: files.length === 1 ? files[0]!.name : `${files.length} files`,
      done: 0,
    })
    coming.value = [...coming.value, one.value]
    const token = crypto.randomUUID()
    try {
      const all = parcels(files)
      let own: Import | undefined
      for (const [n, parcel] of all.entries()) {
        const gathered = await bringSome(parcel, token, n === all.length - 1)
        one.value.done = one.value.done! + parcel.length
        own ??= gathered.imports[0]
        const turned = gathered.turned.map(({ name, problem: { code, message, mend } }) => ({
          name,
          error: new ApiError(code, message, mend ?? '', []),
        }))
        coming.value = [...coming.value, ...turned]
      }
      coming.value = coming.value.filter((other) => other !== one.value)
      await readAnew(keys.imports())
      await router.push(own ? `/imports/${own.id}` : '/imports')
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
    const tables = all.filter((file) => !isSieve(file))
    // A zip may hold many tables.
    const alone = tables.length === 1 && !/\.zip$/i.test(tables[0]!.name)
    if (alone) await bringOne(tables[0]!)
    else if (tables.length) await bringMany(tables)
    await readAnew(keys.imports())
  }
}
