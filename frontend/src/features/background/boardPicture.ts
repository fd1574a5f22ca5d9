import { ink } from '@/shared/theme'
import { figuresOf, scaleOf, textOf, type Board, type BoardColumn } from './board'

const ROW = 22
const HEAD = 64
const CODE = 90
const CELL = 112
const EDGE = 14
/** More rows make no picture that anyone looks at. */
const MOST = 200
const TINTS: Record<string, [string, number]> = {
  'far above': ['rise', 0.34],
  above: ['rise', 0.13],
  below: ['fall', 0.13],
  'far below': ['fall', 0.34],
}

/** A board as a picture, in the colours of the page: its first rows in their order, all its columns. */
export function boardPicture(
  board: Board,
  columns: readonly BoardColumn[],
  rows: readonly number[],
  title: string,
): HTMLCanvasElement {
  const shown = rows.slice(0, MOST)
  const widths = columns.map((own) => own.width ?? CELL)
  const width = 2 * EDGE + CODE + widths.reduce((a, b) => a + b, 0)
  const canvas = document.createElement('canvas')
  canvas.width = 2 * width
  canvas.height = 2 * (HEAD + ROW * shown.length + EDGE)
  const pen = canvas.getContext('2d')!
  pen.scale(2, 2)
  pen.fillStyle = ink('paper')
  pen.fillRect(0, 0, width, canvas.height)
  pen.textBaseline = 'middle'
  const write = (text: string, x: number, y: number, room: number, colour = 'ink') => {
    pen.fillStyle = ink(colour)
    pen.fillText(fitted(pen, text, room), x, y)
  }
  pen.font = `15px ${ink('sans')}`
  write(title, EDGE, 18, width - 2 * EDGE)
  let left = EDGE + CODE
  for (const [n, column] of columns.entries()) {
    const own = board.columns[n]!
    const [wide, figure, scale] = [widths[n]!, figuresOf(own, column), scaleOf(own)]
    pen.font = `11px ${ink('mono')}`
    write(column.label || column.formula, left, 40, wide - 6)
    write(`${column.bars}, ${column.back} bars`, left, 54, wide - 6, 'quiet')
    pen.font = `12px ${ink('sans')}`
    shown.forEach((row, place) => {
      const middle = HEAD + ROW * (place + 0.5)
      const tint = TINTS[own.zones[row]!]
      if (tint) {
        pen.globalAlpha = tint[1]
        pen.fillStyle = ink(tint[0])
        pen.fillRect(left, middle - ROW / 2, wide - 4, ROW - 1)
        pen.globalAlpha = 1
      }
      tail(pen, left + 6, middle, 28, scale(own.before[row]), scale(own.values[row]))
      pen.textAlign = 'right'
      write(textOf(own, row, figure), left + wide - 9, middle, wide - 46)
      pen.textAlign = 'left'
    })
    left += wide
  }
  pen.font = `12px ${ink('mono')}`
  shown.forEach((row, place) =>
    write(board.codes[row]!, EDGE, HEAD + ROW * (place + 0.5), CODE - 8),
  )
  return canvas
}

/** From where a value stood to where it stands. */
function tail(
  pen: CanvasRenderingContext2D,
  x: number,
  y: number,
  wide: number,
  before: number | undefined,
  now: number | undefined,
) {
  if (now === undefined) return
  const end = x + wide * now
  pen.strokeStyle = ink('quiet')
  pen.beginPath()
  pen.moveTo(x + wide * (before ?? now), y)
  pen.lineTo(end, y)
  pen.stroke()
  pen.fillStyle = ink('ink')
  pen.beginPath()
  pen.arc(end, y, 2.2, 0, 7)
  pen.fill()
}

function fitted(pen: CanvasRenderingContext2D, text: string, room: number): string {
  if (pen.measureText(text).width <= room) return text
  let own = text
  while (own && pen.measureText(`${own}…`).width > room) own = own.slice(0, -1)
  return `${own}…`
}
