/** Digits behind the point that a tick size asks for. */
export const decimals = (tick: number) => Math.max(0, Math.min(8, Math.round(-Math.log10(tick))))

const numberFormats = new Map<number, Intl.NumberFormat>()

/** Formats are made once: making one takes longer than using it a thousand times. */
function numberFormat(digits: number): Intl.NumberFormat {
  let format = numberFormats.get(digits)
  if (!format) {
    const both = { minimumFractionDigits: digits, maximumFractionDigits: digits }
    format = new Intl.NumberFormat('en-GB', both)
    numberFormats.set(digits, format)
  }
  return format
}

export const price = (value: number, tick = 0.01) => numberFormat(decimals(tick)).format(value)

/** A number of unknown kind in about four digits; large ones shortened. */
export function figure(value: number | null | undefined): string {
  if (value == null || Number.isNaN(value)) return '–'
  const size = Math.abs(value)
  if (size >= 1e9) return `${(value / 1e9).toFixed(2)} bn`
  if (size >= 1e6) return `${(value / 1e6).toFixed(2)} m`
  if (size >= 1e4) return numberFormat(0).format(value)
  if (Number.isInteger(value)) return String(value)
  return value.toFixed(size >= 100 ? 1 : size >= 0.1 ? 2 : 4)
}

const zone = 'UTC'

const dayFormat = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  timeZone: zone,
})
const momentFormat = new Intl.DateTimeFormat('en-GB', {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
  timeZone: zone,
})

export const day = (seconds: number) => dayFormat.format(seconds * 1000)

const clockFormat = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
  timeZone: zone,
})

/** When a bar opened: the day, and within a day the clock too. */
export const barTime = (seconds: number) =>
  seconds % 86_400 === 0 ? day(seconds) : `${clockFormat.format(seconds * 1000)} UTC`

/** A length of bar in words: 86400 is 1d, 900 is 15m. */
export function span(seconds: number): string {
  if (seconds === 0) return 'trades'
  if (seconds % 86_400 === 0) return `${seconds / 86_400}d`
  if (seconds % 3600 === 0) return `${seconds / 3600}h`
  return seconds % 60 === 0 ? `${seconds / 60}m` : `${seconds}s`
}

/** A moment with its zone: all times here are of UTC. */
export const moment = (iso: string) =>
  `${momentFormat.format(new Date(iso)).replaceAll(',', '')} UTC`

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
  `${numberFormat(0).format(count)} ${noun}${count === 1 ? '' : 's'}`

/** What to do about something, as a sentence of its own. */
export const asSentence = (text: string | null | undefined) =>
  text ? `${text[0]!.toUpperCase()}${text.slice(1)}${/[.?!]$/.test(text) ? '' : '.'}` : ''
