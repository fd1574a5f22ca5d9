import { MORE, noting } from '@/parts/chart/growing'
import { chartOf, type Chart, type Dress, type Server } from '@/shared/api'
import { keys } from '@/shared/questions'
import type { Question } from '@/shared/read'

/** Kept as long as what was read is: a page that is opened again finds its chart there. */
const hits = noting<{ hit: number; dress: Dress }>()

/** The newest bars of a hit's chart, dressed; `keeps` says which chart stays in sight meanwhile. */
export const hitLook = (
  hit: number,
  dress: Dress,
  keeps: (before: Chart) => boolean,
): Question<Chart> => ({
  of: keys.hitChart(hit, dress),
  staleTime: 300_000,
  shallow: true,
  structuralSharing: hits.sharing({ hit, dress }),
  keeps,
  read: (server) => chartOf(server, hit, dress, 420),
})

/** Bars before those of a chart that was read, of the same hit and dressed alike. */
export function olderBars(server: Server, chart: Chart, before: number): Promise<Chart> {
  const { hit, dress } = hits.of(chart)
  return chartOf(server, hit, dress, MORE, before)
}
