import type { Chart } from '@/shared/api'
import { fixed, plural, price, signed } from '@/shared/format'

/** A point of a chart: the place of a bar, and a price. */
export interface Point {
  at: number
  price: number
  /** What is measured at that bar: a line that the point lies on, else the price. */
  of?: { text: string; label: string }
}

/** So many pixels from a line a point is meant to lie on it. */
const NEAR = 7

/** A point moved onto the line over the price that it lies on, as far as heights of prices tell. */
export function snapped(chart: Chart, point: Point, heightOf: (price: number) => number): Point {
  const here = heightOf(point.price)
  const lines = chart.lines
    .filter((line) => line.pane === 'price')
    .map((line) => ({ text: line.text, label: line.label, value: line.values[point.at] }))
  const all = [...lines, { text: 'close', label: 'Close', value: chart.close[point.at] }]
  const near = all
    .flatMap((own) => (own.value == null ? [] : [{ ...own, value: own.value }]))
    .map((own) => ({ ...own, away: Math.abs(heightOf(own.value) - here) }))
    .filter((own) => own.away <= NEAR)
    .sort((a, b) => a.away - b.away)[0]
  if (!near) return point
  const { text, label, value } = near
  return { at: point.at, price: value, of: { text, label } }
}

/** Whose values tell the way between two points: of a line, to another or along it. */
export function meant(from: Point, to: Point): { text: string; label: string; along: boolean } {
  const line = [to.of, from.of].find((own) => own && own.text !== 'close')
  const along = from.at !== to.at
  if (line && (!along || from.of?.text === to.of?.text)) return { ...line, along }
  return { text: 'close', label: 'Close', along }
}

const DAY = 86_400

/** The way from one point to another in words: price, percent, usual ranges, bars, days. */
export function distance(chart: Chart, from: Point, to: Point): string[] {
  const moved = to.price - from.price
  const seconds = Math.abs((chart.times[to.at] ?? 0) - (chart.times[from.at] ?? 0))
  const hours = seconds / 3600
  const range = chart.ranges[Math.min(from.at, to.at)]
  const parts = [
    `${moved > 0 ? '+' : ''}${price(moved, chart.tick)}`,
    `${signed((100 * moved) / from.price, 2)} %`,
  ]
  if (range) parts.push(`${fixed(Math.abs(moved) / range, 1)} × ATR`)
  parts.push(plural(Math.abs(to.at - from.at), 'bar'))
  parts.push(
    seconds >= DAY ? plural(Math.round(seconds / DAY), 'day') : `${Number(hours.toFixed(1))} hours`,
  )
  return parts
}
