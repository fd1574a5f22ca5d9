import type { Chart } from '@/shared/api'
import { visible, type Draw } from './bars'
import type { Inks } from './looks'

/** A price from a bar on, by the opening of that bar in seconds since 1970. */
export interface From {
  time: number
  price: number
}

/** A trade as it is drawn: in, the stop as it moved, targets, and what left when and with which result. */
export interface TradeDrawn {
  entry: From
  stops: readonly From[]
  targets: readonly number[]
  exits: readonly (From & { told: string })[]
  /** The bar on which it ended, or the newest it is on. */
  until: number
}

/** The bar of a moment, or the first one after it. */
export function barAt(chart: Chart, time: number): number {
  const at = chart.times.findIndex((own) => own >= time)
  return at < 0 ? chart.times.length : at
}

/** Of each bar the prices that a trade adds to what must be in sight there. */
export function reachOfTrade(chart: Chart, trade: TradeDrawn) {
  const [from, to] = [barAt(chart, trade.entry.time), barAt(chart, trade.until)]
  const within = (value: number | undefined) =>
    chart.times.map((_, bar) => (bar >= from && bar <= to ? value : undefined))
  const prices = [trade.entry.price, ...trade.stops.map((own) => own.price), ...trade.targets]
  return [within(Math.min(...prices)), within(Math.max(...prices))]
}

/** Entry and targets as lines, the stop in steps, a mark where a part left. */
export function drawTrade(
  chart: Chart,
  trade: TradeDrawn,
  inks: Inks,
  toScale: (value: number) => number,
): Draw {
  const bar = (time: number) => barAt(chart, time)
  return (params, api) => {
    const [from, to] = visible(params, api, chart.times.length)
    const half = Math.max(2, ((api.size!([1, 0]) as number[])[0] ?? 4) / 2)
    const place = (at: number, value: number) => api.coord([at, toScale(value)]) as [number, number]
    const [begins, ends] = [bar(trade.entry.time), bar(trade.until)]
    const across = (value: number) => {
      const [x, y] = place(begins, value)
      return `M${x - half} ${y}H${place(ends, value)[0] + half}`
    }
    const path = (pathData: string, style: object) => ({
      type: 'path',
      shape: { pathData: pathData || 'M0 0' },
      style: { fill: 'none', lineWidth: 1.6, ...style },
    })
    const steps = trade.stops.map(({ time, price: value }, n) => {
      const [x, y] = place(bar(time), value)
      const next = trade.stops[n + 1]
      const right = next ? place(bar(next.time), value)[0] - half : place(ends, value)[0] + half
      return `${n ? 'L' : 'M'}${x - half} ${y}H${right}`
    })
    const seen = trade.exits.filter((own) => bar(own.time) >= from && bar(own.time) < to)
    const marks = seen.map((own) => {
      const [x, y] = place(bar(own.time), own.price)
      return `M${x - 4} ${y}L${x} ${y - 4}L${x + 4} ${y}L${x} ${y + 4}Z`
    })
    /** Beside its bar, on the side on which there is room. */
    const text = (told: string, x: number, y: number, isLate: boolean) => ({
      type: 'text',
      style: {
        text: told,
        x: isLate ? x - 7 : x + 7,
        y,
        fill: inks.ink,
        align: isLate ? 'right' : 'left',
        verticalAlign: 'middle',
        font: '11px sans-serif',
        backgroundColor: inks.sheet,
        padding: [1, 3],
      },
    })
    return {
      type: 'group',
      children: [
        path(across(trade.entry.price), { stroke: inks.ink }),
        path(steps.join(''), { stroke: inks.fall }),
        path(trade.targets.map(across).join(''), { stroke: inks.rise, lineDash: [5, 4] }),
        path(marks.join(''), { stroke: inks.ink, fill: inks.sheet }),
        ...seen.map((own) => {
          const [x, y] = place(bar(own.time), own.price)
          return text(own.told, x, y, bar(own.time) > chart.times.length - 8)
        }),
      ],
    }
  }
}
