import type { Pane } from './panes'

/** Where a value of a pane, or a bar, stands on the sheet while it is drawn; unknown before. */
export interface Place {
  y: (pane: number, value: number) => number | undefined
  x: (bar: number) => number | undefined
}

/** Pixels from one label to the next, so that none stands on another. */
const TALL = 16
export const WIDE = 62

/**
 * Labels at the right edge of a pane, the dearest first: those that stand too near to a dearer one are left
 * out, and so are the ticks of the axis. Values that are `labelled` otherwise have their room already.
 */
export function edge(
  pane: number,
  { top, height }: Pane,
  dear: readonly number[],
  place?: Place,
  labelled: readonly number[] = [],
) {
  const far = (y: number, taken: readonly number[]) =>
    taken.every((other) => Math.abs(y - other) >= TALL)
  /** Heights of the labels that are shown, by value. */
  function shown() {
    const found = new Map<number, number>()
    for (const value of [...labelled, ...dear]) {
      const y = place?.y(pane, value)
      if (y === undefined || y < top || y > top + height) continue
      if (far(y, [...found.values()])) found.set(value, y)
    }
    return found
  }
  return {
    isShown: (value: number) => !labelled.includes(value) && (!place || shown().has(value)),
    isFree: (tick: number) => {
      const y = place?.y(pane, tick)
      return y === undefined || far(y, [...shown().values()])
    },
  }
}

/** Of labels at bars, in their order, those that have room beside the ones before. */
export function spread(bars: readonly number[], apart: number, place?: Place): Set<number> {
  let last = -Infinity
  return new Set(
    bars.filter((bar) => {
      const x = place?.x(bar)
      if (x !== undefined && x - last < apart) return false
      last = x ?? last
      return true
    }),
  )
}
