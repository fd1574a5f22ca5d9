import type { Chart } from '@/shared/api'
import { fixed, plural, price, signed } from '@/shared/format'

/** A point of a chart: the place of a bar, and a price; free where it is of nothing. */
export interface Point {
  at: number
  price: number
  /** What is measured at that bar: a line, or one of its prices. */
  of?: { text: string; label: string }
}

const PRICES = ['close', 'high', 'low', 'open'] as const
/** What a price or a column of a bar is called. */
export const capital = (word: string) => word[0]!.toUpperCase() + word.slice(1)
const isPrice = (text: string) => (PRICES as readonly string[]).includes(text)

/** A point moved onto what is nearest of its bar: a price of it that is drawn, or a line over the price. */
export function snapped(
  chart: Chart,
  point: Point,
  heightOf: (price: number) => number,
  closesOnly = false,
): Point {
  const here = heightOf(point.price)
  const lines = chart.lines
    .filter((line) => line.pane === 'price')
    .map((line) => ({ text: line.text, label: line.label, value: line.values[point.at] }))
  const prices = PRICES.filter((text) => text === 'close' || !closesOnly).map((text) => ({
    text,
    label: capital(text),
    value: chart[text][point.at],
  }))
  const near = [...lines, ...prices]
    .flatMap((own) => (own.value == null ? [] : [{ ...own, value: own.value }]))
    .map((own) => ({ ...own, away: Math.abs(heightOf(own.value) - here) }))
    .sort((a, b) => a.away - b.away)[0]
  if (!near) return point
  const { text, label, value } = near
  return { at: point.at, price: value, of: { text, label } }
}

/** What conditions are looked for: the value of a formula, and where that is a way, what it began at. */
export interface Meant {
  text: string
  label: string
  before?: string
}

/**
 * Whose values tell the way between two points, the earlier first: from one to the other along bars; on
 * one bar the line that is not a price. Nothing where one of them is free.
 */
export function meant(from: Point, to: Point): Meant | undefined {
  if (!from.of || !to.of) return
  if (from.at !== to.at) {
    const label = from.of.text === to.of.text ? to.of.label : `${from.of.label} to ${to.of.label}`
    return { text: to.of.text, label, before: from.of.text }
  }
  return isPrice(to.of.text) ? from.of : to.of
}

/** What a distance in percent is told of: its beginning; on one bar a line, as conditions tell it. */
function basis(from: Point, to: Point): Point {
  const isLine = (own: Point) => own.of && !isPrice(own.of.text)
  return from.at === to.at && isLine(to) && !isLine(from) ? to : from
}

const DAY = 86_400

/** The way from one point to another in words: price, percent, usual ranges, bars, days. */
export function distance(chart: Chart, from: Point, to: Point): string[] {
  const moved = to.price - from.price
  const seconds = Math.abs((chart.times[to.at] ?? 0) - (chart.times[from.at] ?? 0))
  const hours = seconds / 3600
  const range = chart.ranges[Math.max(from.at, to.at)]
  const of = basis(from, to)
  const parts = [
    `${moved > 0 ? '+' : ''}${price(moved, chart.tick)}`,
    `${signed((100 * moved) / of.price, 2)} %${of === from ? '' : ` of ${of.of?.label}`}`,
  ]
  if (range) parts.push(`${fixed(Math.abs(moved) / range, 2)} × ATR`)
  parts.push(plural(Math.abs(to.at - from.at), 'bar'))
  parts.push(
    seconds >= DAY ? plural(Math.round(seconds / DAY), 'day') : `${Number(hours.toFixed(1))} hours`,
  )
  return parts
}
