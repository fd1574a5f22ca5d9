import type { Chart } from '@/shared/api'
import { plural, price } from '@/shared/format'

/** A point of a chart: the place of a bar, and a price. */
export interface Point {
  at: number
  price: number
}

const DAY = 86_400

/** The way from one point to another in words: price, percent, usual ranges, bars, days. */
export function distance(chart: Chart, from: Point, to: Point): string[] {
  const moved = to.price - from.price
  const sign = moved < 0 ? '−' : '+'
  const seconds = Math.abs((chart.times[to.at] ?? 0) - (chart.times[from.at] ?? 0))
  const hours = seconds / 3600
  const range = chart.ranges[Math.min(from.at, to.at)]
  const parts = [
    `${sign}${price(Math.abs(moved), chart.tick)}`,
    `${sign}${Math.abs((100 * moved) / from.price).toFixed(2)} %`,
  ]
  if (range) parts.push(`${(Math.abs(moved) / range).toFixed(1)} average ranges`)
  parts.push(plural(Math.abs(to.at - from.at), 'bar'))
  parts.push(
    seconds >= DAY ? plural(Math.round(seconds / DAY), 'day') : `${Number(hours.toFixed(1))} hours`,
  )
  return parts
}
