/** A row of a picture of ranks: its value in every column. */
export interface RankedRow {
  name: string
  told?: string
  values: readonly (number | null)[]
}

/** Of every column the places of the rows, the largest value first; what is not known is in none. */
export const orders = (rows: readonly RankedRow[], columns: number): number[][] =>
  Array.from({ length: columns }, (_, column) =>
    rows
      .map((row, place) => ({ place, value: row.values[column] }))
      .filter((one): one is { place: number; value: number } => one.value != null)
      .sort((a, b) => b.value - a.value || a.place - b.place)
      .map((one) => one.place),
  )

/** How many ranks a row rose from its first known column to its last; undefined where it has only one. */
export function risen(row: number, ranked: readonly (readonly number[])[]): number | undefined {
  const own = ranked.map((order) => order.indexOf(row)).filter((rank) => rank >= 0)
  return own.length > 1 ? own[0]! - own.at(-1)! : undefined
}

/** Colours by place, and a dash where they begin anew. */
export const lineOf = (place: number) => ({
  stroke: `var(--line-${(place % 6) + 1})`,
  dash: place >= 6 ? '6 3' : undefined,
})
