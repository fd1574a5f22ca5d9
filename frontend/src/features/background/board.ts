import { fixed, plural } from '@/shared/format'
import type { Schemas } from '@/shared/api'

export type Board = Schemas['Board']
export type BoardColumn = Schemas['BoardColumn']
export type BoardSet = Schemas['BoardSet']
export type Cells = Board['columns'][number]

/** Which rows of a board are shown: all, or by what they do in a column, and whether they agree with another. */
export interface Filter {
  kind: 'all' | 'turned' | 'far'
  column: number
  within: number
  /** A column on whose side the first one has to be; −1 for none. */
  with: number
}
export const EVERYTHING: Filter = { kind: 'all', column: 0, within: 3, with: -1 }

/** A filter as it is written in an address, and read from there. */
export const filterTold = (f: Filter) =>
  f.kind === 'all' && f.with < 0 ? undefined : [f.kind, f.column, f.within, f.with].join()
export function filterRead(text: unknown): Filter {
  const [kind, ...numbers] = String(text ?? '').split(',')
  const [column, within, other] = numbers.map(Number)
  if (kind !== 'turned' && kind !== 'far' && kind !== 'all') return { ...EVERYTHING }
  if (![column, within, other].every(Number.isInteger)) return { ...EVERYTHING }
  return { kind, column: column!, within: within!, with: other! }
}

/** On which side a zone lies: 1 above, −1 below, 0 on none. */
export const side = (zone: string | undefined) =>
  zone?.endsWith('above') ? 1 : zone?.endsWith('below') ? -1 : 0

/** The places of the rows that a filter leaves. */
export function passing(board: Board, filter: Filter): number[] {
  const own = board.columns[filter.column]
  const other = board.columns[filter.with]
  return board.codes.flatMap((_, row) => {
    const zone = own?.zones[row]
    const turned = own?.turned[row] ?? -1
    if (filter.kind === 'far' && !zone?.startsWith('far')) return []
    if (filter.kind === 'turned' && !(turned >= 0 && turned <= filter.within)) return []
    const here = side(zone)
    if (other && (!here || here !== side(other.zones[row]))) return []
    return [row]
  })
}

/** What rows are put in order by: a column, its change since then, or the agreement of all columns. */
export interface Order {
  by: number | 'agreement' | 'code'
  change: boolean
  down: boolean
}

export const BY_AGREEMENT: Order = { by: 'agreement', change: false, down: true }
/** An order as it is written in an address, and read from there. */
export const orderTold = (order: Order) => {
  const text = [order.by, order.change ? 'change' : 'value', order.down ? 'down' : 'up'].join()
  return text === 'agreement,value,down' ? undefined : text
}
export function orderRead(text: unknown): Order {
  const [by, change, down] = String(text ?? '').split(',')
  const named = by === 'agreement' || by === 'code'
  if (!named && !/^\d+$/.test(by ?? '')) return { ...BY_AGREEMENT }
  return { by: named ? by : Number(by), change: change === 'change', down: down !== 'up' }
}

const known = (value: number | null | undefined): value is number => value != null

/** Rows in order; those of which nothing is known come last, whichever way. */
export function ordered(board: Board, rows: readonly number[], order: Order): number[] {
  const sign = order.down ? -1 : 1
  if (order.by === 'code') {
    return [...rows].sort((a, b) => sign * board.codes[a]!.localeCompare(board.codes[b]!))
  }
  const value = (row: number) => {
    if (order.by === 'agreement') return board.agreement[row]
    const own = board.columns[order.by as number]
    const [now, before] = [own?.values[row], own?.before[row]]
    if (!order.change) return now
    return known(now) && known(before) ? now - before : null
  }
  return [...rows].sort((a, b) => {
    const [x, y] = [value(a), value(b)]
    if (!known(x) || !known(y)) return Number(known(y)) - Number(known(x))
    return sign * (x - y) || board.codes[a]!.localeCompare(board.codes[b]!)
  })
}

/** So large a share of the values at either end stands at the edge: one giant flattens nothing. */
const FEW = 0.02

/** Where values stand between the least and the largest of a column, from 0 to 1. */
export function scaleOf(own: Cells): (value: number | null | undefined) => number | undefined {
  const all = [...own.values, ...own.before].filter(known).sort((a, b) => a - b)
  const far = Math.floor(all.length * FEW)
  const [least = 0, most = 0] = [all[far], all[all.length - 1 - far]]
  return (value) => {
    if (!known(value)) return
    return most > least ? Math.max(0, Math.min(1, (value - least) / (most - least))) : 0.5
  }
}

/** All numbers of a column have as many digits. */
export function digitsOf(own: Cells): number {
  const most = own.values.filter(known).reduce((a, b) => Math.max(a, Math.abs(b)), 0)
  if (own.values.every((value) => value === null || Number.isInteger(value))) return 0
  return most >= 1000 ? 0 : most >= 100 ? 1 : most >= 0.5 ? 2 : 4
}

/** How the numbers of a column are written. */
export function figuresOf(own: Cells, column: BoardColumn) {
  const digits = column.digits ?? digitsOf(own)
  return (value: number) => fixed(value, digits)
}
/** What stands in a cell. */
export function textOf(own: Cells, row: number, figure: (value: number) => string) {
  const value = own.values[row]
  if (!known(value)) return ''
  return own.truth ? (value ? 'yes' : 'no') : figure(value)
}

/** What a column is called. */
export const label = (own: BoardColumn) => `${own.label || own.formula} on ${own.bars}`

/** A cell in words. */
export function told(own: Cells, row: number, column: BoardColumn, figure: (v: number) => string) {
  const [now, before] = [own.values[row], own.before[row]]
  if (!known(now)) return 'not known'
  const words = own.truth ? [now ? 'yes' : 'no'] : [figure(now), own.zones[row]!]
  if (known(before)) {
    const then = own.truth ? (before ? 'yes' : 'no') : figure(before)
    words.push(`${plural(column.back, 'bar')} ago ${then}`)
  }
  const turned = own.turned[row]!
  if (turned >= 0)
    words.push(turned ? `turned ${plural(turned, 'bar')} ago` : 'turned on the newest bar')
  return [words.join(', '), ...counted(own, row, column)].join('\n')
}

const HELD: Record<string, string> = { '1': 'yes', '0': 'no' }
/** Which of the conditions that a number adds up hold, and which held then, a line each. */
function counted(own: Cells, row: number, column: BoardColumn): string[] {
  const [now, then] = [own.held[row], own.held_before[row]]
  if (!now || !then) return []
  return own.parts.map((part, n) => {
    const [is, was] = [HELD[now[n]!] ?? 'not known', HELD[then[n]!] ?? 'not known']
    return `${part}: ${is}${is === was ? '' : `, ${was} ${plural(column.back, 'bar')} ago`}`
  })
}
