import { computed, type Ref } from 'vue'
import { answer, type Schemas } from '@/shared/api'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'

export type OverviewSet = Schemas['OverviewSet-Output']
export type Said = Schemas['Said']
type Part = 'statements' | 'breadth' | 'tightness' | 'rotation'

/** What each part of the overview looks at: when nothing of it changed it is not asked again. */
const LOOKS_AT: Record<Part, (keyof OverviewSet)[]> = {
  statements: ['universe', 'subjects', 'statements', 'forming'],
  breadth: ['universe', 'breadth', 'history', 'forming'],
  tightness: ['universe', 'tight', 'forming'],
  rotation: ['universe', 'spans', 'by', 'forming'],
}

/** A part of the overview, as it is arranged; the one before stays in sight while another is read. */
export function usePart<P extends Part>(part: P, arranged: Ref<OverviewSet | undefined>) {
  type Reply = P extends 'statements'
    ? Said[]
    : P extends 'breadth'
      ? Schemas['Breadth']
      : P extends 'tightness'
        ? Schemas['Tightness']
        : Schemas['Rotation']
  const view = useRead(() => {
    const body = { arranged: arranged.value! }
    const path = `/api/overview/${part}` as '/api/overview/breadth'
    const looksAt = LOOKS_AT[part].map((name) => arranged.value?.[name])
    return {
      of: keys.overview(part, looksAt),
      enabled: Boolean(arranged.value),
      keeps: true,
      read: (server, signal) => answer(server.POST(path, { body, signal })),
    }
  })
  return { view, reply: computed(() => view.data.value as unknown as Reply | undefined) }
}
