import type { Chart, Schemas } from '@/shared/api'
import type { Inks } from './looks'

export type Layout = Schemas['ChartLayout']
export type Layer = Schemas['Layer']
export type State = Schemas['InkedState']
export type Ink = State['ink']

export const LAYER: Layer = {
  formula: '',
  place: '',
  ink: '',
  width: 1.4,
  dash: false,
  levels: [],
  states: [],
  hidden: false,
}
export const PLAIN: Layout = {
  layers: [],
  painted: [],
  otherwise: '',
  strip: [],
  strip_bars: 34,
  forming: false,
  scale: 'linear',
  drawing: 'candles',
  kinds: [],
  timeframes: [],
}
/** A layout with one entry in every list, which those of strangers are read by. */
export const LIKE: Layout = {
  ...PLAIN,
  layers: [{ ...LAYER, levels: [0], states: [{ when: '', ink: '' }] }],
  painted: [{ when: '', ink: '' }],
  strip: [''],
  kinds: [''],
  timeframes: [''],
}
export const INKS: [Ink, string][] = [
  ['', 'its usual colour'],
  ['1', 'slate'],
  ['2', 'teal'],
  ['3', 'ochre'],
  ['4', 'indigo'],
  ['5', 'moss'],
  ['6', 'violet'],
  ['rise', 'as rising'],
  ['fall', 'as falling'],
  ['flat', 'flat'],
  ['ink', 'ink'],
]
export const PLACES: [Layer['place'], string][] = [
  ['', 'where it fits'],
  ['price', 'over the price'],
  ['own', 'in a pane of its own'],
  ['before', 'with the one before it'],
]

/** Measures of a bar that are offered for the strip, and what they are called there. */
export const STRIP_NAMES: ReadonlyMap<string, string> = new Map([
  ['abs(body)', 'body'],
  ['bar_range', 'range'],
  ['form_seconds', 'time to form'],
  ['volume', 'volume'],
  ['buy_volume', 'bought'],
  ['sell_volume', 'sold'],
  ['delta', 'delta'],
])

/** Formulas as layers: those that are drawn already stay as they are. */
export const layersOf = (formulas: readonly string[], now: readonly Layer[] = []): Layer[] =>
  formulas.map((formula) => now.find((own) => own.formula === formula) ?? { ...LAYER, formula })

export const shownLayers = (layout: Layout) => layout.layers.filter((own) => !own.hidden)

/** Conditions that something is drawn by. */
export const statesOf = (layout: Layout): string[] => {
  const all = [...shownLayers(layout).flatMap((own) => own.states), ...layout.painted]
  return [...new Set(all.map((own) => own.when.trim()).filter(Boolean))]
}

/** What an ink is on the sheet; nothing for the one that a place gives. */
export function colourOf(ink: Ink, inks: Inks): string | undefined {
  if (ink === '') return
  if (ink === 'flat') return inks.quiet
  if (ink === 'rise' || ink === 'fall' || ink === 'ink') return inks[ink]
  return inks.lines[Number(ink) - 1]
}

const columnOf = (chart: Chart, state: State) =>
  chart.states.find((column) => column.text === state.when.trim())?.values

/** The colour a line is drawn in where nothing else is said of a bar: its own, else that of its place. */
export const colourOfLine = (n: number, layer: Layer | undefined, inks: Inks) =>
  colourOf(layer?.ink ?? '', inks) ?? inks.lines[n % inks.lines.length]

/** The colour of a line at a bar: of the first of its states that holds there. */
export function colourAt(chart: Chart, n: number, bar: number, inks: Inks, layout?: Layout) {
  const layer = layout && shownLayers(layout)[chart.lines[n]!.asked]
  const state = layer?.states.find((own) => columnOf(chart, own)?.[bar] === 1)
  return (state && colourOf(state.ink, inks)) ?? colourOfLine(n, layer, inks)
}

/** In which of some states each bar is, by their places: the first that holds; −1 for none. */
export function stateAt(chart: Chart, states: readonly State[]): number[] {
  const columns = states.map((own) => columnOf(chart, own))
  return chart.times.map((_, bar) => columns.findIndex((column) => column?.[bar] === 1))
}

/** A part of a line in one state: with the bar before it, so that the way into it is seen. */
export const inState = (
  values: readonly (number | null)[],
  at: readonly number[],
  state: number,
): (number | null)[] =>
  values.map((value, bar) => (at[bar] === state || at[bar + 1] === state ? value : null))

/** A chart with its lines where the layout has them, and with the layout's levels. */
export function arranged(chart: Chart, layout: Layout): Chart {
  const layers = shownLayers(layout)
  let before = 'price'
  const lines = chart.lines.map((line) => {
    const layer = layers[line.asked]
    const own = line.pane === 'price' ? line.text : line.pane
    const pane = { price: 'price', own, before, '': line.pane }[layer?.place ?? '']
    before = pane
    const levels = layer?.levels.length ? layer.levels : line.levels
    return { ...line, pane, levels: [...levels] }
  })
  return { ...chart, lines }
}
