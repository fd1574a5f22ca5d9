/** How a chart is looked at: what stands for a bar, on which scale, and what is in sight. */

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

/** What stands for a bar. */
export type Drawing = 'candles' | 'bars' | 'line' | 'smoothed'
export const DRAWINGS: Drawing[] = ['candles', 'bars', 'line', 'smoothed']

/** What is in sight: so many bars, the last of them so many before the newest. */
export interface Sight {
  shown: number
  back: number
}
export type Scale = 'linear' | 'log' | 'percent'
export const SCALES: Scale[] = ['linear', 'log', 'percent']

export function windowOf(bars: number, { shown, back }: Sight) {
  const end = Math.max(Math.min(shown, bars), bars - Math.max(0, back))
  return { startValue: Math.max(0, end - shown), endValue: end - 1 }
}

/** Where a price stands at the axis: there, or so many percent away from where it began. */
export const toAxis = (scale: Scale, begin: number) => (value: number) =>
  scale === 'percent' ? 100 * (value / begin - 1) : value
/** The price that stands at a place of the axis. */
export const fromAxis = (scale: Scale, begin: number) => (value: number) =>
  scale === 'percent' ? begin * (1 + value / 100) : value

export const each = (values: readonly (number | null)[], change: (value: number) => number) =>
  values.map((value) => (value === null ? null : change(value)))
