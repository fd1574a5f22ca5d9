import { computed } from 'vue'
import { preferences } from './preferences'

/** Digits behind the point that a tick size asks for. */
export function decimals(tick: number): number {
  for (let digits = 0; digits < 8; digits++) {
    const steps = tick * 10 ** digits
    if (Math.round(steps) > 0 && Math.abs(steps - Math.round(steps)) < 1e-6) return digits
  }
  return 8
}

const numberFormats = new Map<number, Intl.NumberFormat>()

/** Formats are made once: making one takes longer than using it a thousand times. */
function numberFormat(digits: number): Intl.NumberFormat {
  let format = numberFormats.get(digits)
  if (!format) {
    format = new Intl.NumberFormat('en-GB', {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      // What rounds to nothing is neither above nor below it.
      signDisplay: 'negative' as Intl.NumberFormatOptions['signDisplay'],
    })
    numberFormats.set(digits, format)
  }
  return format
}

/** A number with so many digits behind the point, as all numbers on the pages are written: 1,234.50, −0.2. */
export const fixed = (value: number, digits: number) =>
  numberFormat(digits).format(value).replace('-', '−')
/** One whose direction counts: +1.2, −0.3, 0.0. */
export function signed(value: number, digits: number): string {
  const text = fixed(value, digits)
  return value > 0 && /[1-9]/.test(text) ? `+${text}` : text
}
export const whole = (count: number) => fixed(count, 0)
export const price = (value: number, tick = 0.01) => fixed(value, decimals(tick))

/** A number of unknown kind in about four digits; large ones shortened. */
export function figure(value: number | null | undefined): string {
  if (value == null || Number.isNaN(value)) return '–'
  const { digits } = preferences.value
  const size = Math.abs(value)
  if (digits !== null && size < 1e6) return fixed(value, digits)
  if (size >= 1e9) return `${fixed(value / 1e9, 2)} bn`
  if (size >= 1e6) return `${fixed(value / 1e6, 2)} m`
  if (size >= 1e4 || Number.isInteger(value)) return whole(value)
  return fixed(value, size >= 100 ? 1 : size >= 0.1 ? 2 : 4)
}

const dayFormat = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  timeZone: 'UTC',
})

/** Formats of moments by the zone and clock that were chosen, made anew only when these change. */
const formats = computed(() => {
  const { zone, clock } = preferences.value
  const hours: Intl.DateTimeFormatOptions = {
    hour: '2-digit',
    minute: '2-digit',
    hour12: clock === '12 hours',
    timeZone: zone,
    ...(zone === 'UTC' ? {} : { timeZoneName: 'shortOffset' }),
  }
  const date = { day: 'numeric', month: 'short' } as const
  return {
    moment: new Intl.DateTimeFormat('en-GB', {
      weekday: 'short',
      ...date,
      year: 'numeric',
      ...hours,
    }),
    clock: new Intl.DateTimeFormat('en-GB', { ...date, ...hours }),
    seconds: new Intl.DateTimeFormat('en-GB', { ...date, ...hours, second: '2-digit' }),
    // An offset is told beside the time; only UTC has to be written.
    after: zone === 'UTC' ? ' UTC' : '',
  }
})

/** A day by its own date, whatever the clock on the wall. */
export const day = (seconds: number) => dayFormat.format(seconds * 1000)

/** When a bar opened: the day, and within a day the clock too, with seconds where there are any. */
export const barTime = (seconds: number) =>
  seconds % 86_400 === 0
    ? day(seconds)
    : `${formats.value[seconds % 60 ? 'seconds' : 'clock'].format(seconds * 1000)}${formats.value.after}`

/** A length of bar in words: 86400 is 1d, 900 is 15m. */
export function span(seconds: number): string {
  if (seconds === 0) return 'trades'
  if (seconds % 86_400 === 0) return `${seconds / 86_400}d`
  if (seconds % 3600 === 0) return `${seconds / 3600}h`
  return seconds % 60 === 0 ? `${seconds / 60}m` : `${seconds}s`
}

/** A moment with its zone. */
export const moment = (iso: string) =>
  `${formats.value.moment.format(new Date(iso)).replaceAll(',', '')}${formats.value.after}`

/** What the chosen clock shows at a moment, as fields for it have it: 2026-06-09T14:20. */
export function localOf(iso: string): string {
  const parts = new Intl.DateTimeFormat('sv-SE', {
    dateStyle: 'short',
    timeStyle: 'short',
    timeZone: preferences.value.zone,
  }).format(new Date(iso))
  return parts.replace(' ', 'T')
}

/** The moment at which the chosen clock shows that, in milliseconds since 1970. */
export function momentOf(local: string): number | undefined {
  const shown = Date.parse(`${local}Z`)
  if (Number.isNaN(shown)) return
  const away = (time: number) => Date.parse(`${localOf(new Date(time).toISOString())}Z`) - time
  const guess = shown - away(shown)
  return shown - away(guess)
}

/** The clock of a moment of this machine, such as that of a draft: 14:05. */
export const clock = (milliseconds: number) =>
  new Date(milliseconds).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })

/** How much history something needs: `20 bars, 40 of 1w`. */
export const needs = (reading: {
  lookback: number
  slower: readonly { timeframe: string; bars: number }[]
}) =>
  [
    plural(reading.lookback, 'bar'),
    ...reading.slower.map((need) => `${need.bars} of ${need.timeframe}`),
  ].join(', ')

export const plural = (count: number, noun: string) =>
  `${whole(count)} ${noun}${count === 1 ? '' : 's'}`

const SIDES = { long: '▲ long', short: '▼ short' }
/** Which way a trade would go. */
export const sides = (looked: readonly ('long' | 'short')[]) =>
  looked.map((side) => SIDES[side]).join(' or ')

/** What is wrong, and how it is mended. */
export const told = (problem: { message: string; mend?: string | null }) =>
  problem.message + (problem.mend ? ` — ${problem.mend}` : '')

/** The whole number that a text writes, where it lies within bounds. */
export function wholeWithin(text: string, least: number, most: number): number | undefined {
  const value = Math.round(Number(text))
  return value >= least && value <= most ? value : undefined
}

/** What to do about something, as a sentence of its own. */
export const asSentence = (text: string | null | undefined) =>
  text ? `${text[0]!.toUpperCase()}${text.slice(1)}${/[.?!]$/.test(text) ? '' : '.'}` : ''
