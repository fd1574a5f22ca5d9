import { brief } from '@/parts/drawings/scale'
import type { Schemas } from '@/shared/api'

export type Scatter = Schemas['Scatter']
export type ScatterSet = Schemas['ScatterSet']
export type Measure = Schemas['Measure']
export type Scale = ScatterSet['x_scale']
type Values = readonly (number | null | undefined)[]

/** A part of the plane, in the numbers of its scales. */
export interface View {
  x0: number
  x1: number
  y0: number
  y1: number
}
/** An instrument in the plane: its place in the list, its values, and where they lie on the scales. */
export interface Point {
  place: number
  x: number
  y: number
  u: number
  v: number
  size: number | null
}

const known = (value: number | null | undefined): value is number => value != null

/** Where values lie on a scale: by value, by its logarithm, or by mean rank from 0 to 100. */
export function scaled(values: Values, scale: Scale): (number | undefined)[] {
  if (scale === 'linear') return values.map((value) => value ?? undefined)
  if (scale === 'log') {
    return values.map((value) => (known(value) && value > 0 ? Math.log10(value) : undefined))
  }
  const sorted = values.filter(known).sort((a, b) => a - b)
  const last = Math.max(1, sorted.length - 1)
  return values.map((value) => {
    if (!known(value)) return
    const [from, to] = [before(sorted, value), before(sorted, value, true)]
    return (50 * (from + to - 1)) / last
  })
}

/** How many of some values in order are less than one, or not more. */
function before(sorted: readonly number[], value: number, orEqual = false): number {
  let [low, high] = [0, sorted.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (sorted[middle]! < value || (orEqual && sorted[middle] === value)) low = middle + 1
    else high = middle
  }
  return low
}

/** The points of a frame; what is not known, or has no place on a scale, is none. */
export function pointsOf(
  frame: { x: Values; y: Values; size: Values },
  scales: { x: Scale; y: Scale },
): Point[] {
  const both = frame.x.map((x, place) => known(x) && known(frame.y[place]))
  const only = (values: Values) => values.map((value, place) => (both[place] ? value : null))
  const [us, vs] = [scaled(only(frame.x), scales.x), scaled(only(frame.y), scales.y)]
  return us.flatMap((u, place) => {
    const v = vs[place]
    if (u === undefined || v === undefined) return []
    const [x, y] = [frame.x[place]!, frame.y[place]!]
    return [{ place, x, y, u, v, size: frame.size[place] ?? null }]
  })
}

/** So large a share of the values at either end may lie so many times the rest's reach outside. */
const FEW = 0.02
const OUTSIDE = 0.25
const MARGIN = 0.05

/** From where to where a scale has to reach for some values; clipped, the far ones are left outside. */
export function reach(values: readonly number[], clip: boolean): [number, number] {
  if (!values.length) return [0, 1]
  const sorted = [...values].sort((a, b) => a - b)
  let [low, high] = [sorted[0]!, sorted.at(-1)!]
  if (clip) {
    const few = Math.floor(sorted.length * FEW)
    const [near, far] = [sorted[few]!, sorted[sorted.length - 1 - few]!]
    low = Math.max(low, near - OUTSIDE * (far - near))
    high = Math.min(high, far + OUTSIDE * (far - near))
  }
  const room = MARGIN * (high - low) || Math.abs(high) * 0.1 || 1
  return [low - room, high + room]
}

export const wholeView = (points: readonly Point[], clip: boolean): View => {
  const [x0, x1] = reach(points.map((p) => p.u), clip) // prettier-ignore
  const [y0, y1] = reach(points.map((p) => p.v), clip) // prettier-ignore
  return { x0, x1, y0, y1 }
}

export const inView = (view: View, p: Point) =>
  p.u >= view.x0 && p.u <= view.x1 && p.v >= view.y0 && p.v <= view.y1

/** A view about a place of it, so many times as wide; the place stays where it is. */
export function zoomed(view: View, factor: number, u: number, v: number): View {
  const about = (low: number, high: number, at: number): [number, number] => [
    at - (at - low) * factor,
    at + (high - at) * factor,
  ]
  const [x0, x1] = about(view.x0, view.x1, u)
  const [y0, y1] = about(view.y0, view.y1, v)
  return { x0, x1, y0, y1 }
}

/** A view as it is written in an address, and read from there. */
export const viewTold = (view: View) =>
  [view.x0, view.x1, view.y0, view.y1].map((value) => Number(value.toPrecision(6))).join()
export function viewRead(text: unknown): View | undefined {
  if (typeof text !== 'string') return
  const [x0, x1, y0, y1] = text.split(',').map(Number)
  if (![x0, x1, y0, y1].every(Number.isFinite)) return
  return x1! > x0! && y1! > y0! ? { x0: x0!, x1: x1!, y0: y0!, y1: y1! } : undefined
}

/** How many values fall into each of so many equal parts of a reach. */
export function histogram(values: readonly number[], low: number, high: number, parts: number) {
  const counts = new Array<number>(parts).fill(0)
  for (const value of values) {
    if (value < low || value > high) continue
    counts[Math.min(parts - 1, Math.floor(((value - low) / (high - low)) * parts))]! += 1
  }
  return counts
}

/**
 * Points from the most extreme to the most usual: by their ranks on both scales, and by how far they lie from
 * the middle, so that a giant comes before others at the end of the ranks.
 */
export function byExtremity(points: readonly Point[]): Point[] {
  const outness = (of: (p: Point) => number) => {
    const sorted = points.map(of).sort((a, b) => a - b)
    const middle = sorted[sorted.length >> 1] ?? 0
    const most = Math.max(middle - (sorted[0] ?? 0), (sorted.at(-1) ?? 0) - middle) || 1
    return (p: Point) => {
      const rank = (before(sorted, of(p)) + before(sorted, of(p), true)) / sorted.length - 1
      return Math.abs(rank) + Math.abs(of(p) - middle) / most
    }
  }
  const [across, up] = [outness((p) => p.u), outness((p) => p.v)]
  const score = new Map(points.map((p) => [p, Math.hypot(across(p), up(p))]))
  return [...points].sort((a, b) => score.get(b)! - score.get(a)! || a.place - b.place)
}

interface Box {
  left: number
  top: number
  right: number
  bottom: number
}
export interface Label {
  place: number
  text: string
  left: number
  /** The middle of its line. */
  middle: number
}
const HIGH = 13

/**
 * Labels beside their points, none over another or outside: each is tried at the right, left, above and
 * below, the first ones first.
 */
export function labelled(
  wanted: readonly { place: number; text: string; x: number; y: number; r: number }[],
  room: Box,
  width: (text: string) => number,
): Label[] {
  const taken: Box[] = []
  const found: Label[] = []
  for (const { place, text, x, y, r } of wanted) {
    const wide = width(text)
    const tries: [number, number][] = [
      [x + r + 3, y],
      [x - r - 3 - wide, y],
      [x - wide / 2, y - r - HIGH / 2 - 1],
      [x - wide / 2, y + r + HIGH / 2 + 1],
    ]
    for (const [left, middle] of tries) {
      const own = { left, right: left + wide, top: middle - HIGH / 2, bottom: middle + HIGH / 2 }
      const outside =
        own.left < room.left || own.right > room.right || own.top < room.top || own.bottom > room.bottom // prettier-ignore
      if (outside || taken.some((other) => meet(own, other))) continue
      taken.push(own)
      found.push({ place, text, left, middle })
      break
    }
  }
  return found
}

const meet = (a: Box, b: Box) =>
  a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom

/** Whether a place lies inside a closed line, by counting the edges that a ray from it crosses. */
export function inside(line: readonly (readonly [number, number])[], x: number, y: number) {
  let within = false
  for (let n = 0, last = line.length - 1; n < line.length; last = n, n += 1) {
    const [ax, ay] = line[n]!
    const [bx, by] = line[last]!
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) within = !within
  }
  return within
}

/** What colours tell: the names of the groups, of each point its group, and whether they are steps of a number. */
export interface Groups {
  names: string[]
  of: number[]
  ordered: boolean
}

/** The groups that colours tell, in their order, and of each point its group; −1 for none. */
export function grouped(
  scatter: Scatter,
  colour: ScatterSet['colour'],
  ys: Values,
  tints: Values,
): Groups {
  if (colour === 'measure') return steps(tints)
  const words = scatter.codes.map((_, place) => {
    if (colour === 'sector') return scatter.sectors[place]!
    if (colour === 'fact') return scatter.groups[place]!
    if (colour === 'none') return ''
    const y = ys[place]
    return scatter.sides[place] || (known(y) ? (y > 0 ? 'above' : y < 0 ? 'below' : '') : '')
  })
  const names = [...new Set(words.filter(Boolean))].sort()
  return { names, of: words.map((word) => names.indexOf(word)), ordered: false }
}

/** Numbers in so many steps, each with as many points as the next where they differ. */
const STEPS = 5
function steps(values: Values): Groups {
  const sorted = values.filter(known).sort((a, b) => a - b)
  if (!sorted.length) return { names: [], of: values.map(() => -1), ordered: true }
  const cuts = Array.from({ length: STEPS - 1 }, (_, n) =>
    sorted[Math.ceil(((n + 1) * sorted.length) / STEPS) - 1]!) // prettier-ignore
  const bounds = [...new Set(cuts)].filter((cut) => cut < sorted.at(-1)!)
  const names = [...bounds.map((cut) => `to ${brief(cut)}`), bounds.length ? `over ${brief(bounds.at(-1)!)}` : brief(sorted[0]!)] // prettier-ignore
  const of = values.map((value) => {
    if (!known(value)) return -1
    const at = bounds.findIndex((cut) => value <= cut)
    return at < 0 ? bounds.length : at
  })
  return { names, of, ordered: true }
}

/** What a measure is called. */
export const named = (measure: Measure) => measure.label || measure.formula

/** How many of the instruments have no place in the plane, and why. */
export function lost(
  codes: readonly string[],
  { x: xs, y: ys }: { x: Values; y: Values },
  scales: { x: Scale; y: Scale },
) {
  const unknown = codes.filter((_, n) => !known(xs[n]) || !known(ys[n]))
  const low = (values: Values, scale: Scale, n: number) =>
    scale === 'log' && known(values[n]) && values[n] <= 0
  const notLog = codes.filter(
    (_, n) => known(xs[n]) && known(ys[n]) && (low(xs, scales.x, n) || low(ys, scales.y, n)),
  )
  return { unknown, notLog }
}
