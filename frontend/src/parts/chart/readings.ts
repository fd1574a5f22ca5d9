import type { Chart } from '@/shared/api'
import { barTime, figure, price, signed } from '@/shared/format'
import { colourAt, type Layout } from './layout'
import type { Inks, Scale } from './looks'
import { paneOf } from './panes'

export interface Reading {
  name: string
  text: string
  colour?: string
  pane: string
  /** What it is the value of, where conditions can be made of it. */
  formula?: string
}

/** The values under the cursor: the bar's and the price lines' in one line, the others by pane. */
export function readings(
  chart: Chart,
  i: number,
  inks: Inks,
  scale: Scale = 'linear',
  start = 0,
  layout?: Layout,
): Reading[] {
  const p = (value: number | null | undefined) => (value == null ? '–' : price(value, chart.tick))
  const own = (name: string, text: string) => ({ name, text, pane: 'price' })
  return [
    own('', barTime(chart.times[i]!)),
    { ...own('O', p(chart.open[i])), formula: 'open' },
    { ...own('H', p(chart.high[i])), formula: 'high' },
    { ...own('L', p(chart.low[i])), formula: 'low' },
    { ...own('C', p(chart.close[i])), formula: 'close' },
    ...chart.events.filter((event) => event.at === i).map((event) => own('due', event.kind)),
    ...chart.doubts.filter((doubt) => doubt.at === i).map((doubt) => own('doubted', doubt.detail)),
    { name: 'Volume', text: figure(chart.volume[i]), pane: 'volume', formula: 'volume' },
    ...chart.lines.map((line, n) => ({
      name: line.beside || line.label,
      text:
        line.beside && scale === 'percent'
          ? risen(line.values, start, i)
          : line.unit === 'price'
            ? p(line.values[i])
            : figure(line.values[i]),
      formula: line.text,
      colour: colourAt(chart, n, i, inks, layout),
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
  return `${signed(percent, 1)} %`
}
