import type { CustomSeriesRenderItemAPI, CustomSeriesRenderItemParams } from 'echarts'
import type { EChartsCoreOption } from 'echarts/core'
import type { Chart } from '@/shared/api'
import { barTime, figure, price } from '@/shared/format'
import { ticksOf, type Tick } from './timeAxis'

/** Colours resolved for canvas. */
export interface Inks {
  ink: string
  quiet: string
  hair: string
  sheet: string
  accent: string
  rise: string
  fall: string
  lines: string[]
}

export interface Pane {
  name: string
  top: number
  height: number
}

const LEFT = 8
const RIGHT = 70
const GAP = 18
const FOOT = 24

/** Names of the panes below the price, in the order in which lines ask for them. */
export function paneNames(chart: Chart, scale: Scale = 'linear'): string[] {
  const own = chart.lines
    .map((line) => paneOf(line, scale === 'percent'))
    .filter((pane) => pane !== 'price' && pane !== 'volume')
  return ['price', 'volume', ...new Set(own)]
}

/** Heights: the price takes what the panes leave, at least half of all. */
export function layPanes(names: string[], height: number): Pane[] {
  const room = height - FOOT - 6 - GAP * (names.length - 1)
  const below = names.length - 1
  const each = Math.min(84, (room * 0.46) / below)
  let top = 6
  return names.map((name, n) => {
    const tall = n === 0 ? room - each * below : each
    const pane = { name, top, height: tall }
    top += tall + GAP
    return pane
  })
}

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

type Draw = (params: CustomSeriesRenderItemParams, api: CustomSeriesRenderItemAPI) => unknown

const span = (api: CustomSeriesRenderItemAPI) =>
  Math.max(1, ((api.size!([1, 0]) as number[])[0] ?? 4) * 0.64)

/** The bars inside the sheet, by the places of the first two. */
function visible(
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

/** What stands for a bar. */
export type Drawing = 'candles' | 'bars' | 'line' | 'smoothed'
export const DRAWINGS: Drawing[] = ['candles', 'bars', 'line', 'smoothed']

interface Prices {
  open: readonly (number | null)[]
  high: readonly (number | null)[]
  low: readonly (number | null)[]
  close: readonly (number | null)[]
}

/** One path for all bars of a direction: rising bodies are hollow, falling ones filled. */
function drawBars(own: Prices, bars: number, rising: boolean, stems: boolean, inks: Inks): Draw {
  return (params, api) => {
    const width = span(api)
    const half = Math.round(width) / 2
    const [from, to] = visible(params, api, bars)
    const y = (i: number, value: number) => (api.coord([i, value]) as number[])[1]!
    let path = ''
    for (let i = from; i < to; i++) {
      const [o, h, l, c] = [own.open[i], own.high[i], own.low[i], own.close[i]]
      if (o == null || h == null || l == null || c == null || c >= o !== rising) continue
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
    const colour = rising ? inks.rise : inks.fall
    const fill = stems ? 'none' : rising ? inks.sheet : colour
    return {
      type: 'path',
      shape: { pathData: path || 'M0 0' },
      style: { stroke: colour, fill, lineWidth: stems ? 1.4 : 1 },
    }
  }
}

function drawVolume(chart: Chart, rising: boolean, inks: Inks): Draw {
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

/** What is in sight: so many bars, the last of them so many before the newest. */
export interface Sight {
  shown: number
  back: number
}
export type Scale = 'linear' | 'log' | 'percent'

export function windowOf(bars: number, { shown, back }: Sight) {
  const end = Math.max(Math.min(shown, bars), bars - back)
  return { startValue: Math.max(0, end - shown), endValue: end - 1 }
}

/** How a chart is looked at beside what is in sight. */
export interface Manner {
  scale: Scale
  drawing: Drawing
  /** Labels for which the axis of time has room. */
  room: number
  /** Whose clock tells the time. */
  zone?: string
  /** The first and last bar in sight just now, while wheel and drag move it. */
  inSight?: () => readonly [number, number] | undefined
}
const PLAIN: Manner = { scale: 'linear', drawing: 'candles', room: 10 }

/** Where a price stands at the axis: there, or so many percent away from where it began. */
export const toAxis = (scale: Scale, begin: number) => (value: number) =>
  scale === 'percent' ? 100 * (value / begin - 1) : value
/** The price that stands at a place of the axis. */
export const fromAxis = (scale: Scale, begin: number) => (value: number) =>
  scale === 'percent' ? begin * (1 + value / 100) : value

const each = (values: readonly (number | null)[], change: (value: number) => number) =>
  values.map((value) => (value === null ? null : change(value)))

/** What a line is at the axis of its pane: another instrument begins where this one does. */
function placed(line: Chart['lines'][number], scale: Scale, start: number, begin: number) {
  if (scale !== 'percent' || paneOf(line, true) !== 'price') return line.values
  const own = line.beside ? line.values.slice(start).find((value) => value !== null) : begin
  return own ? each(line.values, toAxis(scale, own)) : line.values
}

/** The whole chart as ECharts wants it. A pure function of the reply. */
export function chartOption(
  chart: Chart,
  inks: Inks,
  panes: Pane[],
  sight: Sight,
  manner: Manner = PLAIN,
): EChartsCoreOption {
  const { scale, drawing } = manner
  const dates = chart.times.map(barTime)
  const index = (pane: string) => panes.findIndex((p) => p.name === pane)
  const signal = chart.fired_at === null ? -1 : chart.times.indexOf(chart.fired_at)
  const label = { color: inks.quiet, fontSize: 11 }
  const reaches = reachOf(chart)
  const seen = windowOf(chart.times.length, sight)
  const logs = (pane: number) => pane === 0 && scale === 'log'
  const start = chart.close[seen.startValue] ?? 1
  const percent = scale === 'percent'
  const own: Prices = drawing === 'smoothed' && chart.smoothed ? chart.smoothed : chart
  const ticks = ticker(chart.times, seen, manner)
  const at = toAxis(scale, start)
  const prices: Prices = percent
    ? {
        open: each(own.open, at),
        high: each(own.high, at),
        low: each(own.low, at),
        close: each(own.close, at),
      }
    : own
  const priced = (v: number) => (percent ? `${v.toFixed(1)} %` : price(v, chart.tick))
  /** A single item that spans all bars, so that it is drawn once and never filtered away. */
  const custom = (renderItem: Draw, pane: number) => ({
    type: 'custom',
    renderItem,
    xAxisIndex: pane,
    yAxisIndex: pane,
    data: [[0, chart.times.length - 1]],
    encode: { x: [0, 1], y: [] },
    clip: true,
    silent: true,
    animation: false,
  })
  /** Not seen: gives the axis the reach of the bars in the window. */
  const reach = (data: readonly number[], pane: number) => ({
    type: 'line',
    data,
    xAxisIndex: pane,
    yAxisIndex: pane,
    symbol: 'none',
    silent: true,
    lineStyle: { opacity: 0 },
  })
  return {
    animation: false,
    // All panes as wide as each other, however long their labels: bars stand above their volume.
    grid: panes.map((p) => ({
      left: LEFT,
      right: RIGHT,
      top: p.top,
      height: p.height,
      outerBoundsMode: 'none',
    })),
    xAxis: panes.map((_, n) => ({
      type: 'category',
      gridIndex: n,
      data: dates,
      axisLine: { lineStyle: { color: inks.hair } },
      axisTick: { show: false },
      axisLabel: {
        ...label,
        show: n === panes.length - 1,
        interval: (at: number) => ticks().found.has(at),
        // The place that is told here counts from the first bar in sight.
        formatter: (_: string, place: number) => {
          const tick = ticks().found.get(ticks().from + place)
          return tick ? `{${'hhdmy'[tick.rank]}|${tick.text}}` : ''
        },
        rich: {
          y: { color: inks.ink, fontSize: 11, fontWeight: 'bold' },
          m: { color: inks.ink, fontSize: 11 },
          d: label,
          h: label,
        },
      },
      axisPointer: {
        show: true,
        triggerEmphasis: false,
        label: { ...flag(inks), show: n === panes.length - 1, margin: 2 },
        lineStyle: { color: inks.quiet, type: 'dotted' },
      },
    })),
    yAxis: panes.map((pane, n) => {
      const fixed = scaleOf(chart, pane.name)
      return {
        type: logs(n) ? 'log' : 'value',
        logBase: 1.02,
        scale: n !== 1,
        gridIndex: n,
        position: 'right',
        min: fixed ? fixed[0] : n === 1 ? 0 : logs(n) ? 'dataMin' : undefined,
        max: fixed ? fixed[1] : logs(n) ? 'dataMax' : undefined,
        splitNumber: n === 0 ? 6 : 2,
        splitLine: { show: n === 0, lineStyle: { color: inks.hair, opacity: 0.6 } },
        axisLine: { show: false },
        axisLabel: {
          ...label,
          formatter: (v: number) => (n === 0 ? priced(v) : figure(v)),
          showMinLabel: n === 0,
        },
        axisPointer: {
          show: n === 0,
          snap: false,
          triggerEmphasis: false,
          triggerTooltip: false,
          lineStyle: { color: inks.quiet, type: 'dotted' },
          label: {
            ...flag(inks),
            show: true,
            margin: 3,
            formatter: (p: { value: unknown }) => priced(Number(p.value)),
          },
        },
      }
    }),
    axisPointer: { link: [{ xAxisIndex: 'all' }], triggerOn: 'mousemove' },
    tooltip: { show: true, trigger: 'axis', showContent: false },
    dataZoom: [
      {
        type: 'inside',
        xAxisIndex: panes.map((_, n) => n),
        filterMode: 'weakFilter',
        throttle: 0,
        minValueSpan: 20,
        ...seen,
      },
    ],
    series: [
      {
        ...reach(reaches.high.map(at), 0),
        markPoint: cuts(reaches.cut, chart, inks, panes[0]!, at),
      },
      {
        ...reach(reaches.low.map(at), 0),
        markLine: lastPrice(chart.close.length ? at(chart.close.at(-1)!) : undefined, inks, priced),
      },
      dayMarks(chart, inks),
      gapMarks(chart, inks),
      reach(chart.volume, 1),
      custom(drawEvents(chart, inks), 0),
      ...(drawing === 'line'
        ? [{ ...reach(chart.close.map(at), 0), lineStyle: { width: 1.4, color: inks.ink } }]
        : [true, false].map((rising) =>
            custom(drawBars(prices, chart.times.length, rising, drawing === 'bars', inks), 0),
          )),
      custom(drawVolume(chart, true, inks), 1),
      custom(drawVolume(chart, false, inks), 1),
      ...panes.map((_, n) => signalMark(n, signal, inks)),
      ...chart.lines.map((line, n) => ({
        type: 'line',
        name: line.label,
        xAxisIndex: index(paneOf(line, percent)),
        yAxisIndex: index(paneOf(line, percent)),
        data: placed(line, scale, seen.startValue, start),
        step: stepOf(line),
        symbol: 'none',
        silent: true,
        lineStyle: { width: 1.4, color: inks.lines[n % inks.lines.length] },
        markLine: levels(line.pane === 'price' ? line.levels.map(at) : line.levels, inks),
      })),
    ],
  }
}

/** Which bars are labelled, worked out anew only when others have come into sight. */
function ticker(
  times: readonly number[],
  seen: { startValue: number; endValue: number },
  manner: Manner,
) {
  let known = ''
  let last = { from: 0, found: new Map<number, Tick>() }
  return () => {
    const [from, to] = manner.inSight?.() ?? [seen.startValue, seen.endValue]
    if (known !== `${from} ${to}`) {
      known = `${from} ${to}`
      last = { from, found: ticksOf(times, from, to, manner.room, manner.zone) }
    }
    return last
  }
}

/** A value at an axis under the cursor. */
const flag = (inks: Inks) => ({
  color: inks.sheet,
  backgroundColor: inks.accent,
  padding: [2, 4],
  fontSize: 11,
})

/** Beside the prices of an instrument those of others are drawn where all are told in percent. */
export const paneOf = (line: Chart['lines'][number], percent: boolean) =>
  line.beside && percent ? 'price' : line.pane

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

function signalMark(pane: number, at: number, inks: Inks) {
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
function stepOf(line: Chart['lines'][number]) {
  if (line.unit === 'yes or no') return 'middle'
  return line.span?.[0] === -1 && line.span[1] === 1 ? 'end' : undefined
}

/** The last price, as a small flag at the axis. */
function lastPrice(last: number | undefined, inks: Inks, told: (value: number) => string) {
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
function dayMarks(chart: Chart, inks: Inks) {
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
function drawEvents(chart: Chart, inks: Inks): Draw {
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

/** A dashed line where the data check misses bars, with what is missing. */
function gapMarks(chart: Chart, inks: Inks) {
  return {
    ...carrier(0),
    markLine: {
      ...STILL,
      label: {
        position: 'insideEndTop',
        rotate: 90,
        color: inks.fall,
        fontSize: 10,
        formatter: (p: { name: string }) => p.name,
      },
      lineStyle: { color: inks.fall, type: 'dashed', width: 1 },
      data: chart.gaps.map((gap) => ({ xAxis: gap.at, name: gap.detail })),
    },
  }
}

/** Arrows with the true price, at the edge of the pane beyond which a bar goes on. */
function cuts(
  found: readonly Cut[],
  chart: Chart,
  inks: Inks,
  pane: Pane,
  at: (value: number) => number,
) {
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
      formatter: (p: { name: string }) => p.name,
    },
    data: found.map((cut) => ({
      coord: [cut.at, at(cut.shown)],
      y: cut.price > cut.shown ? pane.top + 5 : pane.top + pane.height - 5,
      name: price(cut.price, chart.tick),
      symbolRotate: cut.price > cut.shown ? 0 : 180,
    })),
  }
}

function levels(values: readonly number[], inks: Inks) {
  return {
    ...STILL,
    label: {
      position: 'end',
      distance: 6,
      color: inks.ink,
      backgroundColor: inks.sheet,
      padding: [1, 2],
      fontSize: 11,
      formatter: (p: { value: unknown }) => figure(Number(p.value)),
    },
    lineStyle: { color: inks.quiet, type: 'dashed', width: 1, opacity: 0.7 },
    data: values.map((yAxis) => ({ yAxis })),
  }
}

export interface Reading {
  name: string
  text: string
  colour?: string
  pane: string
}

/** The values under the cursor: the bar's and the price lines' in one line, the others by pane. */
export function readings(
  chart: Chart,
  i: number,
  inks: Inks,
  scale: Scale = 'linear',
  start = 0,
): Reading[] {
  const p = (value: number | null | undefined) => (value == null ? '–' : price(value, chart.tick))
  const own = (name: string, text: string) => ({ name, text, pane: 'price' })
  return [
    own('', barTime(chart.times[i]!)),
    own('O', p(chart.open[i])),
    own('H', p(chart.high[i])),
    own('L', p(chart.low[i])),
    own('C', p(chart.close[i])),
    ...chart.events.filter((event) => event.at === i).map((event) => own('due', event.kind)),
    { name: 'Volume', text: figure(chart.volume[i]), pane: 'volume' },
    ...chart.lines.map((line, n) => ({
      name: line.beside || line.label,
      text:
        line.beside && scale === 'percent'
          ? risen(line.values, start, i)
          : line.unit === 'price'
            ? p(line.values[i])
            : figure(line.values[i]),
      colour: inks.lines[n % inks.lines.length],
      pane: paneOf(line, scale === 'percent'),
    })),
  ]
}

/** How far a value has risen since a bar, in percent. */
function risen(values: readonly (number | null)[], start: number, i: number): string {
  const first = values.slice(start).find((value) => value !== null)
  const now = values[i]
  if (first == null || now == null) return '–'
  const percent = 100 * (now / first - 1)
  return `${percent < 0 ? '−' : '+'}${Math.abs(percent).toFixed(1)} %`
}
