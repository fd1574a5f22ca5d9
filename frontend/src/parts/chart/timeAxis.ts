/** How much begins with a bar: a year, a month, a day, an hour, or nothing more than the bar. */
export type Rank = 4 | 3 | 2 | 1 | 0

export interface Tick {
  rank: Rank
  text: string
}

export const MONTHS = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ')
const two = (n: number) => String(n).padStart(2, '0')

/** Seconds that the clock of a zone is ahead of UTC, looked up once an hour. */
const offsets = new Map<string, number>()
function ahead(time: number, zone: string): number {
  if (zone === 'UTC') return 0
  const key = `${zone} ${Math.floor(time / 3600)}`
  let found = offsets.get(key)
  if (found === undefined) {
    const hour = Math.floor(time / 3600) * 3600
    const shown = new Date(hour * 1000).toLocaleString('sv-SE', { timeZone: zone })
    found = Date.parse(`${shown.replace(' ', 'T')}Z`) / 1000 - hour
    offsets.set(key, found)
  }
  return found
}

function begins(before: number | undefined, now: number): Rank {
  if (before === undefined) return 0
  const [a, b] = [new Date(before * 1000), new Date(now * 1000)]
  if (a.getUTCFullYear() !== b.getUTCFullYear()) return 4
  if (a.getUTCMonth() !== b.getUTCMonth()) return 3
  if (a.getUTCDate() !== b.getUTCDate()) return 2
  return a.getUTCHours() !== b.getUTCHours() ? 1 : 0
}

function told(time: number, rank: Rank): string {
  const moment = new Date(time * 1000)
  if (rank === 4) return String(moment.getUTCFullYear())
  if (rank === 3) return MONTHS[moment.getUTCMonth()]!
  if (rank === 2) return String(moment.getUTCDate())
  const minutes = `${two(moment.getUTCHours())}:${two(moment.getUTCMinutes())}`
  return time % 60 ? `${minutes}:${two(time % 60)}` : minutes
}

/** In what order bars are labelled: what begins with them, and within an hour the rounder minute first. */
const ROUND = [1800, 900, 300, 60]
const ORDERS = [8, 7, 6, 5, 4, 3, 2, 1, 0]
function orderOf(time: number, rank: Rank): number {
  if (rank > 0) return rank + ROUND.length
  const round = ROUND.findIndex((seconds) => time % seconds === 0)
  return round < 0 ? 0 : ROUND.length - round
}

interface Shown {
  zone: string
  local: number[]
  ranks: Rank[]
  orders: number[]
}
const known = new WeakMap<readonly number[], Shown>()
/** What the clock of a zone shows at each bar, and what begins with it; days keep their own date. */
function shownBy(times: readonly number[], zone: string): Shown {
  const before = known.get(times)
  if (before?.zone === zone) return before
  const daily = times.every((time) => time % 86_400 === 0)
  const local = daily ? [...times] : times.map((time) => time + ahead(time, zone))
  const ranks = local.map((time, n) => begins(local[n - 1], time))
  const own = { zone, local, ranks, orders: local.map((time, n) => orderOf(time, ranks[n]!)) }
  known.set(times, own)
  return own
}

/**
 * Which bars from one to another are labelled at an axis with room for so many labels: first those with
 * which a year begins, then months, days, hours, and where room is left, bars, those of round minutes first.
 */
export function ticksOf(
  times: readonly number[],
  from: number,
  to: number,
  room: number,
  zone = 'UTC',
): Map<number, Tick> {
  const apart = Math.max(1, Math.ceil((to - from + 1) / Math.max(1, room)))
  const { local, ranks, orders } = shownBy(times, zone)
  // A label at the very edge would be cut off.
  const first = Math.max(0, from + (to > from ? Math.floor(apart / 3) : 0))
  const placed: number[] = []
  const found = new Map<number, Tick>()
  const end = Math.min(to, times.length - 1)
  for (const order of ORDERS) {
    const before = [...placed]
    // Minutes that have no room for all of them are left out: those between would be round no more.
    if (order <= ROUND.length && placed.length > 1) {
      let all = 0
      for (let at = first; at <= end; at++) if (orders[at]! >= order) all++
      if (all * apart > 1.1 * (end - first + 1)) continue
    }
    let last = -Infinity
    let next = 0
    for (let at = first; at <= end; at++) {
      while (next < before.length && before[next]! < at) last = Math.max(last, before[next++]!)
      if (orders[at] !== order || at - last < apart) continue
      if (next < before.length && before[next]! - at < apart) continue
      found.set(at, { rank: ranks[at]!, text: told(local[at]!, ranks[at]!) })
      placed.push(at)
      last = at
    }
    placed.sort((a, b) => a - b)
  }
  return found
}
