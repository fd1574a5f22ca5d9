import type { EChartsCoreOption } from 'echarts/core'
import type { Chart, Firing } from '@/shared/api'
import { barTime, figure, fixed, price } from '@/shared/format'
import { drawBars, drawVolume, reachOf, type Draw, type Prices } from './bars'
import { edge, type Place } from './edge'
import { each, toAxis, windowOf, type Drawing, type Inks, type Scale, type Sight } from './looks'
import { colourOf, colourOfLine, inState, shownLayers, stateAt, type Layout } from './layout'
import {
  cuts,
  dayMarks,
  drawDoubts,
  drawEvents,
  drawFired,
  drawStrip,
  gapMarks,
  lastPrice,
  levels,
  signalMark,
  stepOf,
} from './marks'
import { LEFT, paneOf, placed, RIGHT, scaleOf, STRIP, type Pane } from './panes'
import { ticksOf, type Tick } from './timeAxis'
import { drawTrade, reachOfTrade, type TradeDrawn } from './trade'

/** How a chart is looked at beside what is in sight. */
export interface Manner {
  scale: Scale
  drawing: Drawing
  /** Labels for which the axis of time has room. */
  room: number
  /** Whose clock tells the time. */
  zone?: string
  /** Moments at which a setup began to hold, and the one of them that is looked at. */
  fired?: readonly Firing[]
  lookedAt?: number
  /** A trade that is drawn over the price. */
  trade?: TradeDrawn
  /** How the lines and bars are drawn; without one as their places have it. */
  layout?: Layout
  /** The first and last bar in sight just now, while wheel and drag move it. */
  inSight?: () => readonly [number, number] | undefined
  /** Thresholds that can be moved, which have labels of their own. */
  handles?: readonly { pane: string; value: number }[]
  /** Where values and bars stand, while it is drawn. */
  place?: Place
}
const PLAIN: Manner = { scale: 'linear', drawing: 'candles', room: 10 }
/** By how much a line is wider where it is in a state: its inks are told apart at that width. */
const BOLDER = 1

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
  const volume = index('volume')
  const looked = manner.lookedAt ?? chart.fired_at
  const signal = looked === null ? -1 : chart.times.indexOf(looked)
  const fired = (manner.fired ?? []).map((own) => ({ ...own, at: chart.times.indexOf(own.at) }))
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
  const priced = (v: number) => (percent ? `${fixed(v, 1)} %` : price(v, chart.tick))
  const last = chart.close.length ? at(chart.close.at(-1)!) : undefined
  const edges = panes.map((pane, n) => {
    const own = chart.lines.filter((line) => line.pane === pane.name).flatMap((line) => line.levels)
    const dear = n === 0 ? [...(last === undefined ? [] : [last]), ...own.map(at)] : own
    const handles = (manner.handles ?? []).filter((handle) => handle.pane === pane.name)
    const labelled = handles.map((handle) => handle.value)
    return edge(n, pane, dear, manner.place, labelled)
  })
  /** Levels that several lines of a pane have are drawn once. */
  const levelled = new Set<string>()
  const ownLevels = (line: Chart['lines'][number]) =>
    line.levels
      .filter(
        (level) => !levelled.has(`${line.pane} ${level}`) && levelled.add(`${line.pane} ${level}`),
      )
      .map(line.pane === 'price' ? at : Number)
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
  const reach = (data: readonly (number | undefined)[], pane: number) => ({
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
        label: { show: false },
        lineStyle: { color: inks.quiet, type: 'dotted' },
      },
    })),
    yAxis: panes.map((pane, n) => {
      const fixed = scaleOf(chart, pane.name)
      return {
        type: logs(n) ? 'log' : 'value',
        logBase: 1.02,
        scale: pane.name !== 'volume',
        gridIndex: n,
        position: 'right',
        min: fixed ? fixed[0] : pane.name === 'volume' ? 0 : logs(n) ? 'dataMin' : undefined,
        max: fixed ? fixed[1] : logs(n) ? 'dataMax' : undefined,
        splitNumber: n === 0 ? 6 : 2,
        splitLine: { show: n === 0, lineStyle: { color: inks.hair, opacity: 0.6 } },
        axisLine: { show: false },
        axisLabel: {
          ...label,
          formatter: (v: number) => (edges[n]!.isFree(v) ? (n === 0 ? priced(v) : figure(v)) : ''),
          showMinLabel: n === 0,
          show: pane.name !== STRIP,
        },
        axisPointer: {
          show: n === 0,
          snap: false,
          triggerEmphasis: false,
          triggerTooltip: false,
          lineStyle: { color: inks.quiet, type: 'dotted' },
          label: { show: false },
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
        markPoint: cuts(reaches.cut, chart, inks, panes[0]!, at, manner.place),
      },
      {
        ...reach(reaches.low.map(at), 0),
        markLine: lastPrice(last, inks, priced),
      },
      dayMarks(chart, inks),
      gapMarks(chart, inks, manner.place),
      ...(volume < 0 ? [] : [reach(chart.volume, volume)]),
      custom(drawEvents(chart, inks), 0),
      ...(fired.length ? [custom(drawFired(chart, fired, inks), 0)] : []),
      custom(drawDoubts(chart, reaches.low.map(at), inks), 0),
      ...(drawing === 'line'
        ? [{ ...reach(chart.close.map(at), 0), lineStyle: { width: 1.4, color: inks.ink } }]
        : barGroups(chart, inks, manner.layout).flatMap((some) =>
            [true, false].map((rising) =>
              custom(
                drawBars(prices, chart.times.length, rising, drawing === 'bars', inks, some),
                0,
              ),
            ),
          )),
      ...(manner.trade
        ? [
            ...reachOfTrade(chart, manner.trade).map((own) =>
              reach(
                own.map((value) => (value === undefined ? value : at(value))),
                0,
              ),
            ),
            custom(drawTrade(chart, manner.trade, inks, at), 0),
          ]
        : []),
      ...(index(STRIP) < 0 ? [] : [custom(drawStrip(chart, inks), index(STRIP))]),
      ...(volume < 0
        ? []
        : [true, false].map((rising) => custom(drawVolume(chart, rising, inks), volume))),
      ...panes.map((_, n) => signalMark(n, signal, inks)),
      ...chart.lines.flatMap((line, n) => {
        // Its pane is folded.
        if (index(paneOf(line, percent)) < 0) return []
        const layer = manner.layout && shownLayers(manner.layout)[line.asked]
        const values = placed(line, scale, seen.startValue, start)
        const base = {
          type: 'line',
          name: line.label,
          xAxisIndex: index(paneOf(line, percent)),
          yAxisIndex: index(paneOf(line, percent)),
          step: stepOf(line),
          symbol: 'none',
          silent: true,
        }
        const style = {
          width: layer?.width ?? 1.4,
          type: layer?.dash ? 'dashed' : 'solid',
          color: colourOfLine(n, layer, inks),
        }
        const states = layer?.states ?? []
        const bars = states.length ? stateAt(chart, states) : []
        return [
          {
            ...base,
            data: states.length ? inState(values, bars, -1) : values,
            lineStyle: style,
            markLine: levels(
              ownLevels(line),
              inks,
              edges[panes.findIndex((pane) => pane.name === line.pane)]?.isShown,
            ),
          },
          ...states.map((own, state) => ({
            ...base,
            data: inState(values, bars, state),
            lineStyle: {
              ...style,
              width: style.width + BOLDER,
              color: colourOf(own.ink, inks) ?? style.color,
            },
          })),
        ]
      }),
    ],
  }
}

/** Bars by the colour they are painted in: all together where nothing paints them. */
function barGroups(chart: Chart, inks: Inks, layout?: Layout) {
  if (!layout?.painted.length) return [undefined]
  const at = stateAt(chart, layout.painted)
  return [...layout.painted.map((own) => own.ink), layout.otherwise].map((ink, n, all) => ({
    are: (bar: number) => at[bar] === (n === all.length - 1 ? -1 : n),
    colour: colourOf(ink, inks),
  }))
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
