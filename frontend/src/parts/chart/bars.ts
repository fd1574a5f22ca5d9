import type { CustomSeriesRenderItemAPI, CustomSeriesRenderItemParams } from 'echarts'
import type { Chart } from '@/shared/api'
import type { Inks } from './looks'

/** So many times beyond the closes around it a price is cut off, so that it flattens nothing else. */
const FAR = 1.5

export interface Cut {
  at: number
  shown: number
  price: number
}

/** Highs and lows as far as the sheet has to reach, and the bars that are cut off. */
export function reachOf(chart: Chart): { high: number[]; low: number[]; cut: Cut[] } {
  const cut: Cut[] = []
  const around = (i: number) => [i - 1, i, i + 1].map((n) => chart.close[n] ?? chart.close[i]!)
  const high = chart.high.map((value, i) => {
    const top = Math.max(...around(i), chart.open[i]!)
    if (!(value > top * FAR) || top <= 0) return value
    cut.push({ at: i, shown: top * 1.03, price: value })
    return top * 1.03
  })
  const low = chart.low.map((value, i) => {
    const bottom = Math.min(...around(i), chart.open[i]!)
    if (!(value * FAR < bottom) || value <= 0) return value
    cut.push({ at: i, shown: bottom / 1.03, price: value })
    return bottom / 1.03
  })
  return { high, low, cut }
}

export type Draw = (params: CustomSeriesRenderItemParams, api: CustomSeriesRenderItemAPI) => unknown

const span = (api: CustomSeriesRenderItemAPI) =>
  Math.max(1, ((api.size!([1, 0]) as number[])[0] ?? 4) * 0.64)

/** The bars inside the sheet, by the places of the first two. */
export function visible(
  params: CustomSeriesRenderItemParams,
  api: CustomSeriesRenderItemAPI,
  bars: number,
): [number, number] {
  const sheet = params.coordSys as unknown as { x: number; width: number }
  const origin = (api.coord([0, 0]) as number[])[0]!
  const step = (api.coord([1, 0]) as number[])[0]! - origin || 1
  const from = Math.floor((sheet.x - origin) / step)
  const to = Math.ceil((sheet.x + sheet.width - origin) / step) + 1
  return [Math.max(0, from), Math.min(bars, to)]
}

export interface Prices {
  open: readonly (number | null)[]
  high: readonly (number | null)[]
  low: readonly (number | null)[]
  close: readonly (number | null)[]
}

/** One path for all bars of a direction: rising bodies are hollow, falling ones filled. */
export function drawBars(
  own: Prices,
  bars: number,
  rising: boolean,
  stems: boolean,
  inks: Inks,
  /** Only bars of which that holds, in a colour of their own. */
  some?: { are: (bar: number) => boolean; colour?: string },
): Draw {
  return (params, api) => {
    const width = span(api)
    const half = Math.round(width) / 2
    const [from, to] = visible(params, api, bars)
    const y = (i: number, value: number) => (api.coord([i, value]) as number[])[1]!
    let path = ''
    for (let i = from; i < to; i++) {
      const [o, h, l, c] = [own.open[i], own.high[i], own.low[i], own.close[i]]
      if (o == null || h == null || l == null || c == null || c >= o !== rising) continue
      if (some && !some.are(i)) continue
      const [x, high] = api.coord([i, h]) as [number, number]
      const low = y(i, l)
      const m = Math.round(x) + 0.5
      if (stems) {
        path += `M${m} ${high}L${m} ${low}M${m - half} ${y(i, o)}L${m} ${y(i, o)}`
        path += `M${m} ${y(i, c)}L${m + half} ${y(i, c)}`
        continue
      }
      const a = y(i, Math.max(o, c))
      const b = Math.max(y(i, Math.min(o, c)), a + 1)
      path += `M${m} ${high}L${m} ${a}M${m} ${b}L${m} ${low}`
      path += `M${m - half} ${a}L${m + half} ${a}L${m + half} ${b}L${m - half} ${b}Z`
    }
    const colour = some?.colour ?? (rising ? inks.rise : inks.fall)
    const fill = stems ? 'none' : rising ? inks.sheet : colour
    return {
      type: 'path',
      shape: { pathData: path || 'M0 0' },
      style: { stroke: colour, fill, lineWidth: stems ? 1.4 : 1 },
    }
  }
}

export function drawVolume(chart: Chart, rising: boolean, inks: Inks): Draw {
  return (params, api) => {
    const half = span(api) / 2
    const [from, to] = visible(params, api, chart.times.length)
    const foot = (api.coord([0, 0]) as number[])[1]!
    let path = ''
    for (let i = from; i < to; i++) {
      if (chart.close[i]! >= chart.open[i]! !== rising) continue
      const [x, y] = api.coord([i, chart.volume[i]!]) as [number, number]
      path += `M${x - half} ${foot}L${x - half} ${y}L${x + half} ${y}L${x + half} ${foot}Z`
    }
    const colour = rising ? inks.rise : inks.fall
    const style = rising ? { stroke: colour, fill: inks.sheet } : { stroke: colour, fill: colour }
    return { type: 'path', shape: { pathData: path || 'M0 0' }, style }
  }
}
