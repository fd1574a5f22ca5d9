import { brief, ticks } from '@/parts/drawings/scale'
import { ink } from '@/shared/theme'
import {
  byExtremity,
  histogram,
  inView,
  labelled,
  named,
  type Measure,
  type Point,
  type Scale,
  type View,
} from './plane'

/** What is drawn in a plane. */
export interface Drawn {
  points: readonly Point[]
  /** Where points stood before, by their place in the list: the oldest first. */
  trails: readonly (readonly [u: number, v: number][])[]
  view: View
  /** Whether what lies outside is drawn at the edge. */
  edge: boolean
  scales: { x: Scale; y: Scale }
  measures: { x: Measure; y: Measure; size: Measure }
  /** The axes that show nothing. */
  blank: { x: boolean; y: boolean }
  codes: readonly string[]
  groups: readonly number[]
  names: readonly string[]
  /** Whether the groups are steps of a number. */
  ordered: boolean
  /** The group that alone stands out; −1 for all. */
  only: number
  chosen: number
  marked: ReadonlySet<string>
}
export interface Frame {
  width: number
  height: number
}
const LEFT = 62
const RIGHT = 58
const TOP = 46
const BOTTOM = 42
const LABELS = 26
const AT_EDGE = 14

/** Where the numbers of a view lie on the canvas, and back. */
export function placing(view: View, { width, height }: Frame) {
  const [wide, high] = [width - LEFT - RIGHT, height - TOP - BOTTOM]
  const [across, up] = [wide / (view.x1 - view.x0), high / (view.y1 - view.y0)]
  return {
    left: LEFT,
    right: LEFT + wide,
    top: TOP,
    bottom: TOP + high,
    x: (u: number) => LEFT + (u - view.x0) * across,
    y: (v: number) => TOP + high - (v - view.y0) * up,
    u: (x: number) => view.x0 + (x - LEFT) / across,
    v: (y: number) => view.y0 + (TOP + high - y) / up,
  }
}
type Placing = ReturnType<typeof placing>

/** How large points are: by area, so that the largest in sight are as large as their number leaves room. */
export function radii(points: readonly Point[], view: View, frame: Frame): (p: Point) => number {
  const seen = points.filter((p) => inView(view, p))
  const most = Math.max(0, ...seen.map((p) => p.size ?? 0))
  const largest = Math.max(
    3,
    Math.min(17, 0.42 * Math.sqrt((frame.width * frame.height) / (seen.length || 1))),
  )
  const least = Math.min(2.5, largest / 2)
  return (p) => {
    if (p.size === null || most <= 0) return Math.max(least, Math.min(4.5, largest))
    return Math.max(least, largest * Math.sqrt(Math.max(0, Math.min(1, p.size / most))))
  }
}

/** The plane with its points, as large as the canvas is. */
export function paint(pen: CanvasRenderingContext2D, drawn: Drawn, frame: Frame) {
  const place = placing(drawn.view, frame)
  pen.fillStyle = ink('paper')
  pen.fillRect(0, 0, frame.width, frame.height)
  pen.font = `11px ${ink('sans')}`
  pen.textBaseline = 'middle'
  axes(pen, drawn, place)
  edges(pen, drawn, place)
  pen.save()
  pen.beginPath()
  pen.rect(place.left, place.top, place.right - place.left, place.bottom - place.top)
  pen.clip()
  const radius = radii(drawn.points, drawn.view, frame)
  const seen = drawn.points.filter((p) => inView(drawn.view, p))
  trails(pen, drawn, place)
  bubbles(pen, drawn, seen, place, radius)
  pen.restore()
  if (drawn.edge) far(pen, drawn, place)
  sizes(pen, drawn, seen, place, radius)
  labels(pen, drawn, seen, place, radius)
}

function axes(pen: CanvasRenderingContext2D, drawn: Drawn, place: Placing) {
  const { view, scales, measures } = drawn
  const line = (x0: number, y0: number, x1: number, y1: number, colour: string) => {
    pen.strokeStyle = ink(colour)
    pen.beginPath()
    pen.moveTo(x0, y0)
    pen.lineTo(x1, y1)
    pen.stroke()
  }
  pen.lineWidth = 1
  const [wide, high] = [place.right - place.left, place.bottom - place.top]
  pen.textAlign = 'center'
  const across = drawn.blank.x ? [] : ticks(view.x0, view.x1, scales.x, Math.max(2, wide / 90))
  const up = drawn.blank.y ? [] : ticks(view.y0, view.y1, scales.y, Math.max(2, high / 60))
  for (const tick of across) {
    const x = Math.round(place.x(tick.at)) + 0.5
    line(x, place.top, x, place.bottom, tick.at === 0 && scales.x === 'linear' ? 'quiet' : 'hair')
    pen.fillStyle = ink('quiet')
    pen.fillText(tick.text, x, place.bottom + 11)
  }
  pen.textAlign = 'right'
  for (const tick of up) {
    const y = Math.round(place.y(tick.at)) + 0.5
    line(place.left, y, place.right, y, tick.at === 0 && scales.y === 'linear' ? 'quiet' : 'hair')
    pen.fillStyle = ink('quiet')
    pen.fillText(tick.text, place.left - 6, y)
  }
  line(place.left, place.bottom + 0.5, place.right, place.bottom + 0.5, 'ink')
  line(place.left + 0.5, place.top, place.left + 0.5, place.bottom, 'ink')
  pen.fillStyle = ink('ink')
  pen.textAlign = 'center'
  const told = (measure: Measure, scale: Scale) =>
    `${named(measure)}${scale === 'rank' ? ', by rank' : scale === 'log' ? ', by ratio' : ''}`
  pen.fillText(told(measures.x, scales.x), (place.left + place.right) / 2, place.bottom + 29, wide)
  pen.save()
  pen.translate(12, (place.top + place.bottom) / 2)
  pen.rotate(-Math.PI / 2)
  pen.fillText(told(measures.y, scales.y), 0, 0, high)
  pen.restore()
}

/** How the points in sight are spread, along both edges. */
function edges(pen: CanvasRenderingContext2D, drawn: Drawn, place: Placing) {
  const { view } = drawn
  const seen = drawn.points.filter((p) => inView(view, p))
  const across = histogram(seen.map((p) => p.u), view.x0, view.x1, 48) // prettier-ignore
  const up = histogram(seen.map((p) => p.v), view.y0, view.y1, 36) // prettier-ignore
  pen.fillStyle = ink('quiet')
  pen.globalAlpha = 0.45
  const [most, tall] = [Math.max(1, ...across), TOP - 12]
  const wide = (place.right - place.left) / across.length
  across.forEach((count, n) => {
    const high = (tall * count) / most
    pen.fillRect(place.left + n * wide, place.top - 3 - high, Math.max(1, wide - 1), high)
  })
  const [many, long] = [Math.max(1, ...up), RIGHT - 12]
  const step = (place.bottom - place.top) / up.length
  up.forEach((count, n) => {
    const y = place.bottom - (n + 1) * step
    pen.fillRect(place.right + 3, y, (long * count) / many, Math.max(1, step - 1))
  })
  pen.globalAlpha = 1
}

/** What the size of a point means: that of a quarter of the largest in sight, and of a sixteenth. */
function sizes(
  pen: CanvasRenderingContext2D,
  drawn: Drawn,
  seen: readonly Point[],
  place: Placing,
  radius: (p: Point) => number,
) {
  const most = seen.reduce<Point | undefined>(
    (best, p) => ((p.size ?? 0) > (best?.size ?? 0) ? p : best),
    undefined,
  )
  if (!drawn.measures.size.formula || !most) return
  const middle = place.bottom + 29
  let right = place.right
  pen.fillStyle = ink('quiet')
  pen.strokeStyle = ink('quiet')
  pen.lineWidth = 1
  pen.textAlign = 'right'
  for (const size of [most.size! / 4, most.size! / 16]) {
    const text = brief(size)
    const r = radius({ ...most, size })
    pen.fillText(text, right, middle)
    right -= pen.measureText(text).width + 4 + r
    pen.beginPath()
    pen.arc(right, middle, r, 0, 2 * Math.PI)
    pen.stroke()
    right -= r + 10
  }
  pen.fillText(named(drawn.measures.size), right, middle)
}

function trails(pen: CanvasRenderingContext2D, drawn: Drawn, place: Placing) {
  const longest = Math.max(0, ...drawn.trails.map((own) => own.length))
  pen.strokeStyle = ink('quiet')
  pen.lineWidth = 1.2
  const strong = drawn.chosen < 0 ? 1 : 0.4
  for (let part = 1; part < longest; part += 1) {
    pen.globalAlpha = strong * (0.08 + (0.5 * part) / longest)
    pen.beginPath()
    for (const [n, own] of drawn.trails.entries()) {
      if (drawn.only >= 0 && drawn.groups[n] !== drawn.only) continue
      const [from, to] = [own[own.length - longest + part - 1], own[own.length - longest + part]]
      if (!from || !to) continue
      pen.moveTo(place.x(from[0]), place.y(from[1]))
      pen.lineTo(place.x(to[0]), place.y(to[1]))
    }
    pen.stroke()
  }
  pen.globalAlpha = 1
  pen.strokeStyle = ink('accent')
  pen.lineWidth = 1.8
  pen.beginPath()
  drawn.trails[drawn.chosen]?.forEach(([u, v], n) =>
    pen[n ? 'lineTo' : 'moveTo'](place.x(u), place.y(v)),
  )
  pen.stroke()
}

const SIDES: Record<string, string> = { long: 'rise', above: 'rise', short: 'fall', below: 'fall' }
/** The colour of a group and its shape, which tells groups of one colour apart. */
export const lookOf = (names: readonly string[], group: number, ordered = false) => {
  if (ordered && group >= 0) {
    const step = names.length < 2 ? 5 : Math.round(1 + (4 * group) / (names.length - 1))
    return { colour: `step-${step}`, shape: 'round' } as const
  }
  const side = SIDES[names[group] ?? '']
  if (side) return { colour: side, shape: side === 'rise' ? 'up' : 'down' } as const
  if (group < 0) return { colour: 'quiet', shape: 'round' } as const
  const shapes = ['round', 'square', 'diamond'] as const
  return { colour: `line-${(group % 6) + 1}`, shape: shapes[Math.floor(group / 6) % 3]! }
}

function outline(pen: CanvasRenderingContext2D, shape: string, x: number, y: number, r: number) {
  if (shape === 'round') {
    pen.moveTo(x + r, y)
    pen.arc(x, y, r, 0, 2 * Math.PI)
  } else if (shape === 'square') pen.rect(x - 0.88 * r, y - 0.88 * r, 1.76 * r, 1.76 * r)
  else {
    const corners =
      shape === 'diamond'
        ? [[0, -1.25], [1.25, 0], [0, 1.25], [-1.25, 0]] // prettier-ignore
        : [[0, -1.2], [1.1, 0.75], [-1.1, 0.75]] // prettier-ignore
    const turned = shape === 'down' ? -1 : 1
    corners.forEach(([dx, dy], n) =>
      pen[n ? 'lineTo' : 'moveTo'](x + r * dx!, y + turned * r * dy!),
    )
    pen.closePath()
  }
}

function bubbles(
  pen: CanvasRenderingContext2D,
  drawn: Drawn,
  seen: readonly Point[],
  place: Placing,
  radius: (p: Point) => number,
) {
  for (let group = -1; group < drawn.names.length; group += 1) {
    const { colour, shape } = lookOf(drawn.names, group, drawn.ordered)
    const faint = drawn.only >= 0 && drawn.only !== group
    pen.beginPath()
    for (const p of seen) {
      if (drawn.groups[p.place] !== group) continue
      outline(pen, shape, place.x(p.u), place.y(p.v), radius(p))
    }
    pen.fillStyle = pen.strokeStyle = ink(colour)
    pen.globalAlpha = faint ? 0.07 : 0.42
    pen.fill()
    pen.globalAlpha = faint ? 0.2 : 1
    pen.lineWidth = 1
    pen.stroke()
  }
  pen.globalAlpha = 1
  pen.strokeStyle = ink('accent')
  pen.lineWidth = 2
  pen.beginPath()
  for (const p of seen) {
    if (!drawn.marked.has(drawn.codes[p.place]!)) continue
    outline(pen, 'round', place.x(p.u), place.y(p.v), radius(p) + 3)
  }
  pen.stroke()
}

/** What lies outside stands at the edge, as an arrowhead with its value. */
function far(pen: CanvasRenderingContext2D, drawn: Drawn, place: Placing) {
  const outside = drawn.points.filter((p) => !inView(drawn.view, p))
  pen.fillStyle = ink('accent')
  pen.textAlign = 'center'
  const taken: [number, number][] = []
  for (const p of byExtremity(outside)) {
    const x = Math.max(place.left + 5, Math.min(place.right - 5, place.x(p.u)))
    const y = Math.max(place.top + 5, Math.min(place.bottom - 5, place.y(p.v)))
    const { x0, x1, y1 } = drawn.view
    const turn = p.u > x1 ? 0 : p.u < x0 ? Math.PI : p.v > y1 ? -Math.PI / 2 : Math.PI / 2
    pen.save()
    pen.translate(x, y)
    pen.rotate(turn)
    pen.beginPath()
    pen.moveTo(5, 0)
    pen.lineTo(-4, -4)
    pen.lineTo(-4, 4)
    pen.fill()
    pen.restore()
    const flat = p.u > x1 || p.u < x0
    const text = `${drawn.codes[p.place]} ${brief(flat ? p.x : p.y)}`
    const half = pen.measureText(text).width / 2
    const middle: [number, number] = [
      Math.max(place.left + half, Math.min(place.right - half, x + (flat ? (p.u > x1 ? -1 : 1) * (half + 8) : 0))), // prettier-ignore
      y + (flat ? 0 : p.v > y1 ? 12 : -12),
    ]
    const free = taken.every(
      ([a, b]) => Math.abs(a - middle[0]) > 2 * half || Math.abs(b - middle[1]) > 12,
    )
    if (taken.length >= AT_EDGE || !free) continue
    taken.push(middle)
    pen.fillText(text, ...middle)
  }
}

function labels(
  pen: CanvasRenderingContext2D,
  drawn: Drawn,
  seen: readonly Point[],
  place: Placing,
  radius: (p: Point) => number,
) {
  const { codes, groups, only } = drawn
  const first = (p: Point) =>
    p.place === drawn.chosen ? 0 : drawn.marked.has(codes[p.place]!) ? 1 : 2
  const wanted = byExtremity(seen.filter((p) => only < 0 || groups[p.place] === only))
    .sort((a, b) => first(a) - first(b))
    .slice(0, LABELS + drawn.marked.size)
    .map((p) => ({
      place: p.place,
      text: codes[p.place]!,
      x: place.x(p.u),
      y: place.y(p.v),
      r: radius(p),
    }))
  pen.textAlign = 'left'
  pen.font = `11px ${ink('mono')}`
  const found = labelled(wanted, place, (text) => pen.measureText(text).width)
  for (const own of found) {
    pen.lineWidth = 3
    pen.strokeStyle = ink('paper')
    pen.strokeText(own.text, own.left, own.middle)
    pen.fillStyle = ink(own.place === drawn.chosen ? 'accent' : 'ink')
    pen.fillText(own.text, own.left, own.middle)
  }
  const p = drawn.points.find((own) => own.place === drawn.chosen)
  if (!p || !inView(drawn.view, p)) return
  pen.strokeStyle = ink('accent')
  pen.lineWidth = 2.5
  pen.beginPath()
  outline(pen, 'round', place.x(p.u), place.y(p.v), radius(p) + 2)
  pen.stroke()
}
