import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/shared/api'

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
  const view = useQuery(
    computed(() => ({
      queryKey: ['overview', part, LOOKS_AT[part].map((name) => arranged.value?.[name])],
      enabled: Boolean(arranged.value),
      placeholderData: (before: unknown) => before as never,
      queryFn: ({ signal }: { signal: AbortSignal }) => {
        const body = { arranged: arranged.value! }
        return answer(
          api.POST(`/api/overview/${part}` as '/api/overview/breadth', { body, signal }),
        )
      },
    })),
  )
  return { view, reply: computed(() => view.data.value as unknown as Reply | undefined) }
}
