import { snippet, type Completion, type CompletionResult } from '@codemirror/autocomplete'
import type { EditorView } from '@codemirror/view'
import type { Offered, Option } from '@/shared/api'
import { pictureOf } from './picture'

/** What the server offers at a place, as the editor shows it: in its order, gaps to step through. */
export function shown(offered: Offered): CompletionResult {
  const quotes = offered.options.some((option) => /["']$/.test(option.insert))
  return {
    from: offered.start,
    options: offered.options.map((option, n) => entry(option, Math.max(-99, 99 - n))),
    validFor: offered.whole ? (quotes ? /^[^"']*$/ : /^\w*$/) : undefined,
  }
}

function entry(option: Option, boost: number): Completion {
  const told = option.info.length > 0 || option.function
  return {
    label: option.text,
    detail: ` ${option.detail}`,
    boost,
    apply: option.insert.includes('${') ? snippet(option.insert) : written(option),
    info: told ? () => paragraph(option) : undefined,
  }
}

/** What is written; a quote that stands there already is not written twice. */
function written({ text, insert }: Option) {
  if (!insert) return text
  return (view: EditorView, _: Completion, from: number, to: number) => {
    const there = view.state.sliceDoc(to, to + 1) === insert.at(-1)
    const given = there ? insert.slice(0, -1) : insert
    view.dispatch({
      changes: { from, to, insert: given },
      selection: { anchor: from + insert.length },
      userEvent: 'input.complete',
    })
  }
}

/** The first line stands out; a function has its picture below. */
function paragraph({ info, function: called }: Option): Node {
  const node = document.createElement('div')
  info.forEach((text, n) => {
    const line = document.createElement(n ? 'div' : 'b')
    line.textContent = text
    node.append(line)
  })
  if (called) void pictureOf(called).then((picture) => picture && node.append(picture))
  return node
}
