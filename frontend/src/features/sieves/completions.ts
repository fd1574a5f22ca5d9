import type { Completion } from '@codemirror/autocomplete'
import { snippet } from '@codemirror/autocomplete'
import type { FunctionEntry, Vocabulary } from '@/shared/api'

/** What the editor offers: sources, functions with their paragraph, and words of the language. */
export function completions(vocabulary: Vocabulary, own: readonly string[] = []): Completion[] {
  return [
    ...own.map((label) => ({ label, detail: ' saved formula', boost: 3 })),
    ...vocabulary.sources.map((label) => ({ label, detail: ' source', boost: 2 })),
    ...vocabulary.functions.map(ofFunction),
    ...vocabulary.words.map((label) => ({ label, detail: ' word', boost: -1 })),
  ]
}

function ofFunction(entry: FunctionEntry): Completion {
  return {
    label: entry.name,
    detail: ` ${entry.label}`,
    apply: snippet(template(entry)),
    info: () => paragraph(entry),
  }
}

/** The call with its arguments to step through: `sma(${1:close}, ${2:20})`. */
export function template(entry: FunctionEntry): string {
  const inside = entry.signature.match(/\((.*)\)$/)?.[1]
  const output = entry.outputs.length > 1 ? `.\${9:${entry.outputs[0]}}` : ''
  if (!inside) return entry.name + output
  const fields = inside.split(', ').map((part, n) => `\${${n + 1}:${part.split(' = ')[1] ?? part}}`)
  return `${entry.name}(${fields.join(', ')})${output}`
}

function paragraph(entry: FunctionEntry): Node {
  const node = document.createElement('div')
  const line = (text: string, bold = false) => {
    const p = document.createElement(bold ? 'b' : 'div')
    p.textContent = text
    node.append(p)
  }
  line(entry.signature, true)
  line(entry.meaning)
  line(`Read: ${entry.reading}`)
  line(`Beware: ${entry.pitfalls}`)
  return node
}
