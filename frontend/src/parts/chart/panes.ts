import type { Chart } from '@/shared/api'
import { each, toAxis, type Scale } from './looks'

export interface Pane {
  name: string
  top: number
  height: number
}

/** The pane of the strip, as high as it has rows. */
export const STRIP = 'strip'
export const LEFT = 8
export const RIGHT = 70
const GAP = 18
const FOOT = 24
/** The label of a price at the very top has room. */
const HEAD = 10

/** A price pane that is lower can't be read, nor can another that is lower than that. */
const READABLE = 150
const LOWEST = 40

/** Names of the panes below the price, in the order in which lines ask for them. */
export function paneNames(chart: Chart, scale: Scale = 'linear'): string[] {
  const own = chart.lines
    .map((line) => paneOf(line, scale === 'percent'))
    .filter((pane) => pane !== 'price' && pane !== 'volume')
  return ['price', ...(chart.strip.length ? [STRIP] : []), 'volume', ...new Set(own)]
}

/** Heights: the price takes what the panes leave, at least half of all that the strip does not need. */
export function layPanes(names: string[], height: number, strip = 0): Pane[] {
  const room = height - FOOT - HEAD - GAP * (names.length - 1) - strip
  const below = names.filter((name) => name !== STRIP).length - 1
  const left = Math.max(LOWEST, (room - READABLE) / below)
  const each = Math.min(84, (room * 0.46) / below, room * 0.24, left)
  let top: number = HEAD
  return names.map((name, n) => {
    const tall = n === 0 ? room - each * below : name === STRIP ? strip : each
    const pane = { name, top, height: tall }
    top += tall + GAP
    return pane
  })
}

/**
 * The panes for which a price that can be read leaves room; the others fold, the volume first, then those
 * that come last. Those that are `kept` never do.
 */
export function unfolded(
  names: readonly string[],
  height: number,
  strip: number,
  kept: readonly string[],
): string[] {
  const giveWay = names.filter((name) => ![...kept, 'price', STRIP].includes(name)).reverse()
  const order = [...giveWay].sort((a, b) => Number(b === 'volume') - Number(a === 'volume'))
  let shown = [...names]
  for (const name of order) {
    if (layPanes(shown, height, strip)[0]!.height >= READABLE) break
    shown = shown.filter((other) => other !== name)
  }
  return shown
}

/** Beside the prices of an instrument those of others are drawn where all are told in percent. */
export const paneOf = (line: Chart['lines'][number], percent: boolean) =>
  line.beside && percent ? 'price' : line.pane

/**
 * The fixed scale of a pane: only where all of its lines have the same, and none leaves it. Others find
 * their own.
 */
export function scaleOf(chart: Chart, pane: string): readonly [number, number] | undefined {
  const lines = chart.lines.filter((line) => line.pane === pane)
  const [first] = lines
  if (!first?.span) return
  const [low, high] = first.span as [number, number]
  const fits = lines.every(
    (line) =>
      line.span?.[0] === low &&
      line.span[1] === high &&
      line.values.every((value) => value === null || (value >= low && value <= high)),
  )
  return fits ? [low, high] : undefined
}

/** What a line is at the axis of its pane: another instrument begins where this one does. */
export function placed(line: Chart['lines'][number], scale: Scale, start: number, begin: number) {
  if (scale !== 'percent' || paneOf(line, true) !== 'price') return line.values
  const own = line.beside ? line.values.slice(start).find((value) => value !== null) : begin
  return own ? each(line.values, toAxis(scale, own)) : line.values
}
