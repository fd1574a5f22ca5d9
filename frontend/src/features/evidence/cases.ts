import { computed, ref, type Ref } from 'vue'
import type { Schemas } from '@/shared/api'

export type Case = Schemas['Case']
export type CaseColumn = 'code' | 'time' | 'side' | 'percent' | 'far_for' | 'far_against' | 'trade'

/** A case as it stands in the address, and back. */
export const addressOf = (own: Case) => `${own.code} ${own.time} ${own.side}`
export function caseAt(text: unknown): Pick<Case, 'code' | 'time' | 'side'> | undefined {
  const found = typeof text === 'string' && /^(.+) (-?\d+) (long|short)$/.exec(text)
  if (!found) return
  return { code: found[1]!, time: Number(found[2]), side: found[3] as Case['side'] }
}

const valueOf = (own: Case, by: CaseColumn) =>
  by === 'trade' ? (own.trade?.result ?? null) : own[by]

/** The cases in the order in which they are looked at. */
export function useCases(cases: Ref<readonly Case[]>) {
  const words = ref('')
  const sorted = ref<{ by: CaseColumn; up: boolean }>({ by: 'time', up: false })
  function sortBy(by: CaseColumn) {
    sorted.value = { by, up: sorted.value.by === by ? !sorted.value.up : by === 'code' }
  }
  const fitting = computed(() => {
    const wanted = words.value.trim().toLowerCase()
    const { by, up } = sorted.value
    // What has no number comes last, whichever way.
    return cases.value
      .filter((own) => own.code.toLowerCase().includes(wanted))
      .sort((a, b) => {
        const [x, y] = [valueOf(a, by), valueOf(b, by)]
        if (x === null || y === null) return Number(x === null) - Number(y === null)
        const order = typeof x === 'string' ? x.localeCompare(String(y)) : x - Number(y)
        return up ? order : -order
      })
  })
  const sortState = (by: CaseColumn) =>
    sorted.value.by !== by ? undefined : sorted.value.up ? 'ascending' : 'descending'
  return { words, sorted, sortBy, sortState, fitting }
}
