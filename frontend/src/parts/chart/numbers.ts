import type { Control } from '@/shared/api'

/**
 * A formula with another value for one of its numbers, and where its numbers stand from then on; undefined
 * for a value that the number can't have.
 */
export function turned(text: string, controls: readonly Control[], place: number, value: number) {
  const own = controls[place]
  if (!own || !(value >= own.least && value <= own.most)) return
  if (own.whole && !Number.isInteger(value)) return
  const written = `${own.prefix}${value}${own.suffix}`
  const longer = written.length - (own.end - own.start)
  const start = own.start + own.prefix.length
  const end = start + String(value).length
  return {
    text: text.slice(0, own.start) + written + text.slice(own.end),
    controls: controls.map((control, n) => {
      if (n === place) return { ...own, value, start, end, prefix: '', suffix: '' }
      const later = control.start > own.start || (control.start === own.start && n > place)
      return later
        ? { ...control, start: control.start + longer, end: control.end + longer }
        : control
    }),
  }
}
