import { fixed, signed, whole } from '@/shared/format'

/** Figures of evidence as they are written: a dash where there is none. */
type Figure = number | null | undefined
const isNone = (value: Figure): value is null | undefined => value === null || value === undefined

export const percent = (value: Figure, digits = 2) =>
  isNone(value) ? '–' : `${signed(value, digits)} %`
export const share = (value: Figure) => (isNone(value) ? '–' : `${whole(100 * value)} %`)
export const far = (value: Figure) => (isNone(value) ? '–' : `${fixed(value, 2)} %`)
export const chance = (p: Figure) => (isNone(p) ? '–' : p < 0.001 ? '< 0.001' : p.toFixed(3))
export const inUnit = (unit: string) => (value: Figure) =>
  isNone(value) ? '–' : `${signed(value, 2)} ${unit === 'r' ? 'R' : '%'}`
export const between = (
  [low, high]: readonly (number | null)[],
  tell: (value: Figure) => string,
) => (isNone(low) || isNone(high) ? '' : `${tell(low).replace(/ [%R]$/, '')} to ${tell(high)}`)

const WHEN = { session: 'end of the session' } as Record<string, string>
export const when = (text: string) =>
  WHEN[text] ?? (text.includes(' ') ? text : `${text} bar${text === '1' ? '' : 's'}`)

/** As it comes of a read: pairs are lists there. */
export type Read<T> = {
  [K in keyof T]: T[K] extends [infer A, infer B] ? readonly (A | B)[] : T[K]
}
