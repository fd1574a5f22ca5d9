/** Digits behind the point that a tick size asks for. */
export const decimals = (tick: number) => Math.max(0, Math.min(8, Math.round(-Math.log10(tick))))

export const price = (value: number, tick = 0.01) =>
  value.toLocaleString('en-GB', {
    minimumFractionDigits: decimals(tick),
    maximumFractionDigits: decimals(tick),
  })

/** A number of unknown kind in about four digits; large ones shortened. */
export function figure(value: number | null | undefined): string {
  if (value == null || Number.isNaN(value)) return '–'
  const size = Math.abs(value)
  if (size >= 1e9) return `${(value / 1e9).toFixed(2)} bn`
  if (size >= 1e6) return `${(value / 1e6).toFixed(2)} m`
  if (size >= 1e4) return value.toLocaleString('en-GB', { maximumFractionDigits: 0 })
  if (Number.isInteger(value)) return String(value)
  return value.toFixed(size >= 100 ? 1 : size >= 0.1 ? 2 : 4)
}

const zone = 'UTC'

export const day = (seconds: number) =>
  new Date(seconds * 1000).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    timeZone: zone,
  })

export const moment = (iso: string) =>
  new Date(iso)
    .toLocaleString('en-GB', {
      weekday: 'short',
      day: 'numeric',
      month: 'short',
      year: 'numeric',
      hour: '2-digit',
      minute: '2-digit',
      timeZone: zone,
    })
    .replace(',', '')

export const plural = (count: number, noun: string) => `${count} ${noun}${count === 1 ? '' : 's'}`
