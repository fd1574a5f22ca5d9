const SCALES: Record<string, number> = {
  k: 1e3,
  thousand: 1e3,
  m: 1e6,
  mn: 1e6,
  mio: 1e6,
  million: 1e6,
  millions: 1e6,
  b: 1e9,
  bn: 1e9,
  billion: 1e9,
  billions: 1e9,
}
const WRITTEN = /^([+−-]?)(\d{1,3}(?:[, ’']\d{3})+(?:\.\d+)?|\d+(?:[.,]\d+)?|[.,]\d+)\s*([a-z]*)$/i

/**
 * A number as people write it: 5m, 5 million, 1.2bn, 5,000,000, 5 000 000, 1,5; nothing where a text is none.
 * Three digits after a comma are thousands, as they are written everywhere here.
 */
export function amount(text: string): number | undefined {
  const found = WRITTEN.exec(text.trim())
  if (!found) return undefined
  const [, sign, digits, scale] = found as unknown as [string, string, string, string]
  const factor = scale ? SCALES[scale.toLowerCase()] : 1
  if (!factor) return undefined
  const grouped = /^(?!0)\d{1,3}(?:[, ’']\d{3})+(?:\.\d+)?$/.test(digits)
  const value = Number(grouped ? digits.replace(/[, ’']/g, '') : digits.replace(',', '.'))
  const whole = Number((value * factor).toPrecision(15))
  return Number.isFinite(whole) ? (sign && sign !== '+' ? -whole : whole) : undefined
}
