import { fixed } from '@/shared/format'

export type Scale = 'linear' | 'log' | 'rank'

export interface Tick {
  at: number
  text: string
}
/** A number in few characters, to about a step. */
export function brief(value: number, step = Math.abs(value) / 100): string {
  const size = Math.abs(value)
  const [unit, word] = size >= 1e9 ? [1e9, ' bn'] : size >= 1e6 ? [1e6, ' m'] : [1, '']
  const digits = Math.min(8, Math.max(0, -Math.floor(Math.log10(step / unit || 1) + 1e-9)))
  return fixed(value / unit, digits) + word
}

/** Round numbers along a scale, about so many of them. */
export function ticks(low: number, high: number, scale: Scale, count: number): Tick[] {
  if (!(high > low)) return []
  if (scale === 'log' && high - low > 1) return logTicks(low, high, count)
  if (scale === 'log') {
    const values = ticks(10 ** low, 10 ** high, 'linear', count)
    return values.map((tick) => ({ ...tick, at: Math.log10(tick.at) }))
  }
  const rough = (high - low) / count
  const power = 10 ** Math.floor(Math.log10(rough))
  const step = power * ([1, 2, 5].find((n) => n * power >= rough) ?? 10)
  const found: Tick[] = []
  for (let n = Math.ceil(low / step); n * step <= high && found.length < 100; n += 1) {
    const at = n * step
    if (scale === 'rank' && (at < 0 || at > 100)) continue
    found.push({ at, text: brief(at, step) })
  }
  return found
}

function logTicks(low: number, high: number, count: number): Tick[] {
  const all = (of: readonly number[]) => {
    const found: Tick[] = []
    for (let power = Math.floor(low); power <= high; power += 1) {
      for (const n of of) {
        const at = power + Math.log10(n)
        if (at >= low && at <= high)
          found.push({ at, text: brief(n * 10 ** power, 10 ** (n % 1 ? power - 1 : power)) })
      }
    }
    return found
  }
  const sets = [[1, 1.5, 2, 3, 4, 5, 6, 7, 8, 9], [1, 2, 5], [1]].map(all)
  return sets.find((set) => set.length <= 1.6 * count) ?? sets[2]!
}
