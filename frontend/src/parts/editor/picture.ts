import { answer, present, type Picture, type Trace } from '@/shared/api'
import './picture.css'

const WIDTH = 320
const PANE = 74
const GAP = 8
/** How high the mark of a bar is on which a condition holds. */
const MARK = 12
const kept = new Map<string, Promise<SVGElement | undefined>>()

/** The picture of a function on an instrument of the desk; none where it says nothing there. */
export async function pictureOf(name: string): Promise<SVGElement | undefined> {
  const known = kept.get(name) ?? asked(name)
  kept.set(name, known)
  const found = await known.catch(() => void kept.delete(name))
  return found?.cloneNode(true) as SVGElement | undefined
}

async function asked(name: string) {
  const path = { function: name }
  const picture = await answer(
    present.GET('/api/functions/{function}/picture', { params: { path } }),
  )
  return picture.closes.length ? drawn(picture) : undefined
}

/** Closes with what is drawn over them, and below a pane for all that is measured otherwise. */
export function drawn(picture: Picture): SVGElement {
  const over = picture.traces.filter((trace) => trace.over)
  const below = picture.traces.filter((trace) => !trace.over)
  const height = PANE + (below.length ? GAP + (below.every((t) => t.truth) ? MARK : PANE) : 0)
  const svg = element('svg', { viewBox: `0 0 ${WIDTH} ${height + 14}`, class: 'picture' })
  svg.setAttribute('role', 'img')
  svg.setAttribute('aria-label', `${picture.formula} on ${picture.code}, bars of ${picture.bars}`)
  const prices = span([picture.closes, ...over.map((trace) => trace.values)])
  svg.append(path(picture.closes, prices, 0, 'closes'))
  const own = span(below.map((trace) => trace.values))
  picture.traces.forEach((trace, n) => {
    const kind = `trace-${n + 1}`
    svg.append(trace.over ? path(trace.values, prices, 0, kind) : lower(trace, own, kind))
  })
  svg.append(caption(picture, height + 11))
  return svg
}

/** The formula and where it was reckoned; outputs by name, each in its colour. */
function caption(picture: Picture, y: number): SVGElement {
  const text = element('text', { x: '0', y: String(y) })
  text.append(`${picture.formula} · ${picture.code} ${picture.bars}`)
  if (picture.traces.length > 1)
    picture.traces.forEach((trace, n) => {
      const name = element('tspan', { class: `trace-${n + 1}`, dx: '6' })
      name.textContent = trace.name
      text.append(name)
    })
  return text
}

function lower(trace: Trace, own: Span, kind: string): SVGElement {
  const top = PANE + GAP
  if (!trace.truth) return path(trace.values, own, top, kind)
  const group = element('g', { class: kind })
  const step = WIDTH / trace.values.length
  trace.values.forEach((value, bar) => {
    if (value !== 1) return
    const x = (bar * step).toFixed(1)
    group.append(
      element('rect', { x, y: String(top), width: step.toFixed(1), height: String(MARK) }),
    )
  })
  return group
}

type Span = { low: number; high: number }
type Values = readonly (number | null)[]

function span(columns: readonly Values[]): Span {
  const known = columns.flat().filter((value) => value !== null)
  if (!known.length) return { low: 0, high: 1 }
  const low = Math.min(...known)
  const high = Math.max(...known)
  return low === high ? { low: low - 1, high: high + 1 } : { low, high }
}

function path(values: Values, { low, high }: Span, top: number, kind: string): SVGElement {
  let pen = 'M'
  const parts = values.map((value, bar) => {
    if (value === null) {
      pen = 'M'
      return ''
    }
    const x = ((bar / (values.length - 1 || 1)) * WIDTH).toFixed(1)
    const y = (top + PANE - 1 - ((value - low) / (high - low)) * (PANE - 2)).toFixed(1)
    const part = `${pen}${x} ${y}`
    pen = 'L'
    return part
  })
  return element('path', { d: parts.join(''), class: kind })
}

function element(name: string, attributes: Record<string, string>): SVGElement {
  const made = document.createElementNS('http://www.w3.org/2000/svg', name)
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value)
  return made
}
