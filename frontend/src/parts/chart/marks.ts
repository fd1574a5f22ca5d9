import type { Chart, Firing } from '@/shared/api'
import { figure, price } from '@/shared/format'
import { visible, type Cut, type Draw } from './bars'
import { spread, WIDE, type Place } from './edge'
import type { Inks } from './looks'
import type { Pane } from './panes'

/** Marks that only stand there. */
const STILL = { symbol: 'none', silent: true, animation: false }
/** A series without values of its own, which carries marks in a pane. */
const carrier = (pane: number) => ({
  type: 'line',
  data: [],
  xAxisIndex: pane,
  yAxisIndex: pane,
  silent: true,
})

export function signalMark(pane: number, at: number, inks: Inks) {
  return {
    ...carrier(pane),
    markLine: {
      ...STILL,
      label: { show: false },
      lineStyle: { color: inks.accent, type: 'solid', width: 1, opacity: 0.75 },
      data: at >= 0 ? [{ xAxis: at }] : [],
    },
  }
}

/** Directions and conditions go from one value to another, and are nothing between. */
export function stepOf(line: Chart['lines'][number]) {
  if (line.unit === 'yes or no') return 'middle'
  return line.span?.[0] === -1 && line.span[1] === 1 ? 'end' : undefined
}

/** The last price, as a small flag at the axis. */
export function lastPrice(last: number | undefined, inks: Inks, told: (value: number) => string) {
  return {
    ...STILL,
    label: {
      position: 'end',
      distance: 3,
      color: inks.sheet,
      backgroundColor: inks.ink,
      padding: [2, 4],
      fontSize: 11,
      formatter: (p: { value: unknown }) => told(Number(p.value)),
    },
    lineStyle: { color: inks.quiet, type: 'dotted', width: 1, opacity: 0.8 },
    data: last === undefined ? [] : [{ yAxis: last }],
  }
}

/** Hairlines where a day of the venue begins. */
export function dayMarks(chart: Chart, inks: Inks) {
  return {
    ...carrier(0),
    markLine: {
      ...STILL,
      label: { show: false },
      lineStyle: { color: inks.hair, type: 'solid', width: 1 },
      data: chart.days.map((at) => ({ xAxis: at })),
    },
  }
}

/** A dot at the foot of the price where something was scheduled; what it was stands in the readings. */
export function drawEvents(chart: Chart, inks: Inks): Draw {
  return (params, api) => {
    const sheet = params.coordSys as unknown as { y: number; height: number }
    const [from, to] = visible(params, api, chart.times.length)
    const y = sheet.y + sheet.height - 4
    let path = ''
    for (const { at } of chart.events) {
      if (at < from || at >= to) continue
      const x = (api.coord([at, chart.close[at]!]) as number[])[0]!
      path += `M${x - 2.5} ${y}a2.5 2.5 0 1 0 5 0a2.5 2.5 0 1 0 -5 0`
    }
    return { type: 'path', shape: { pathData: path || 'M0 0' }, style: { fill: inks.accent } }
  }
}

/** A short stroke at each bar on which a setup began to hold: long ones stand on the foot of the price, short
 * ones hang from its top. */
export function drawFired(chart: Chart, firings: readonly Firing[], inks: Inks): Draw {
  return (params, api) => {
    const sheet = params.coordSys as unknown as { y: number; height: number }
    const [from, to] = visible(params, api, chart.times.length)
    const foot = sheet.y + sheet.height
    let path = ''
    for (const { at, side } of firings) {
      if (at < from || at >= to) continue
      const x = Math.round((api.coord([at, chart.close[at]!]) as number[])[0]!)
      path += `M${x - 1.5} ${side === 'long' ? foot - 14 : sheet.y}h3v14h-3Z`
    }
    return { type: 'path', shape: { pathData: path || 'M0 0' }, style: { fill: inks.accent } }
  }
}

export const STRIP_ROW = 15
/**
 * The strip: a hairline for each measure, a tick above it where the bar's is the largest of so many, below
 * it where it is the smallest; under them how many are extremes at once, from two on.
 */
export function drawStrip(chart: Chart, inks: Inks): Draw {
  return (params, api) => {
    const sheet = params.coordSys as unknown as { x: number; y: number; width: number }
    const [from, to] = visible(params, api, chart.times.length)
    const half = Math.max(0.8, Math.min(3, ((api.size!([1, 0]) as number[])[0] ?? 4) * 0.32))
    const middle = (row: number) => sheet.y + (row + 0.5) * STRIP_ROW
    const x = (at: number) => (api.coord([at, 0]) as number[])[0]!
    const lines = chart.strip.map((_, row) => `M${sheet.x} ${middle(row)}h${sheet.width}`)
    let ticks = ''
    let counts = ''
    for (let at = from; at < to; at++) {
      let count = 0
      chart.strip.forEach((own, row) => {
        const value = own.values[at]
        if (!value) return
        count++
        const [left, y] = [x(at) - half, middle(row)]
        const top = value > 0 ? y - 6 : y + 1
        ticks += `M${left} ${top}h${2 * half}v5h${-2 * half}Z`
      })
      if (count < 2) continue
      const foot = middle(chart.strip.length) + 6
      counts += `M${x(at) - half} ${foot}h${2 * half}v${-Math.min(12, 2 * count)}h${-2 * half}Z`
    }
    const path = (pathData: string, style: object) => ({
      type: 'path',
      shape: { pathData: pathData || 'M0 0' },
      style,
    })
    return {
      type: 'group',
      children: [
        path(lines.join(''), { stroke: inks.hair, fill: 'none' }),
        path(ticks, { fill: inks.ink }),
        path(counts, { fill: inks.accent }),
      ],
    }
  }
}

/** A small pennant under each bar that the data check doubts; why stands in the readings. */
export function drawDoubts(chart: Chart, lows: readonly number[], inks: Inks): Draw {
  return (params, api) => {
    const sheet = params.coordSys as unknown as { y: number; height: number }
    const [from, to] = visible(params, api, chart.times.length)
    let path = ''
    for (const { at } of chart.doubts) {
      if (at < from || at >= to) continue
      const [x, low] = api.coord([at, lows[at]!]) as [number, number]
      const y = Math.min(low + 4, sheet.y + sheet.height - 12)
      path += `M${x} ${y}L${x} ${y + 11}M${x} ${y}L${x + 7} ${y + 3}L${x} ${y + 6}Z`
    }
    const style = { fill: inks.fall, stroke: inks.fall, lineWidth: 1.2 }
    return { type: 'path', shape: { pathData: path || 'M0 0' }, style }
  }
}

/** A dashed line where the data check misses bars, with what is missing. */
export function gapMarks(chart: Chart, inks: Inks, place?: Place) {
  const bars = chart.gaps.map((gap) => gap.at)
  return {
    ...carrier(0),
    markLine: {
      ...STILL,
      label: {
        position: 'insideEndTop',
        rotate: 90,
        color: inks.fall,
        fontSize: 10,
        formatter: (p: { name: string; dataIndex: number }) =>
          spread(bars, 14, place).has(bars[p.dataIndex]!) ? p.name : '',
      },
      lineStyle: { color: inks.fall, type: 'dashed', width: 1 },
      data: chart.gaps.map((gap) => ({ xAxis: gap.at, name: gap.detail })),
    },
  }
}

/** Arrows with the true price, at the edge of the pane beyond which a bar goes on. */
export function cuts(
  found: readonly Cut[],
  chart: Chart,
  inks: Inks,
  pane: Pane,
  at: (value: number) => number,
  place?: Place,
) {
  const sides = [true, false].map((above) =>
    found.filter((cut) => cut.price > cut.shown === above).map((cut) => cut.at),
  )
  return {
    symbol: 'triangle',
    symbolSize: 7,
    itemStyle: { color: inks.fall, opacity: 1 },
    silent: true,
    animation: false,
    label: {
      show: true,
      color: inks.fall,
      fontSize: 11,
      position: 'right',
      formatter: (p: { name: string; dataIndex: number }) =>
        sides.some((bars) => spread(bars, WIDE, place).has(found[p.dataIndex]!.at)) ? p.name : '',
    },
    data: found.map((cut) => ({
      // Beside the newest bars there is no room at the right.
      label: { position: cut.at > chart.times.length - 8 ? 'left' : 'right' },
      coord: [cut.at, at(cut.shown)],
      y: cut.price > cut.shown ? pane.top + 5 : pane.top + pane.height - 5,
      name: price(cut.price, chart.tick),
      symbolRotate: cut.price > cut.shown ? 0 : 180,
    })),
  }
}

export function levels(
  values: readonly number[],
  inks: Inks,
  isShown: (value: number) => boolean = () => true,
) {
  return {
    ...STILL,
    label: {
      position: 'end',
      distance: 6,
      color: inks.ink,
      backgroundColor: inks.sheet,
      padding: [1, 2],
      fontSize: 11,
      formatter: (p: { value: unknown }) =>
        isShown(Number(p.value)) ? figure(Number(p.value)) : '',
    },
    lineStyle: { color: inks.quiet, type: 'dashed', width: 1, opacity: 0.7 },
    data: values.map((yAxis) => ({ yAxis })),
  }
}
