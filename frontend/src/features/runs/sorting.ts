import type { HitView } from '@/shared/api'

export type Column =
  'place' | 'code' | 'name' | 'close' | 'now' | 'score' | 'rank' | 'age' | 'news' | 'verdict'

const value = (hit: HitView, column: Column) =>
  column === 'verdict' ? (hit.verdict?.verdict ?? '') : hit[column]

/** Hits by a column; those without a value come last either way. */
export function sorted(hits: readonly HitView[], column: Column, down: boolean): HitView[] {
  const way = down ? -1 : 1
  return [...hits].sort((a, b) => {
    const [x, y] = [value(a, column), value(b, column)]
    if (x === null || y === null) return x === y ? a.place - b.place : x === null ? 1 : -1
    const order = typeof x === 'string' ? x.localeCompare(String(y)) : x - Number(y)
    return order * way || a.place - b.place
  })
}

/** Hits whose code, name, verdict or news contain every word. */
export function filtered(hits: readonly HitView[], words: string): HitView[] {
  const wanted = words.trim().toLowerCase().split(/\s+/)
  return hits.filter((hit) => {
    const text =
      `${hit.code} ${hit.name} ${hit.news} ${hit.verdict?.verdict ?? 'open'}`.toLowerCase()
    return wanted.every((word) => text.includes(word))
  })
}
