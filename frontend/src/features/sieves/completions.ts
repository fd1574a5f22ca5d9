import type { Completion } from '@codemirror/autocomplete'
import { snippet } from '@codemirror/autocomplete'
import type { FunctionEntry, PhraseEntry, Vocabulary } from '@/shared/api'

/** What the editor offers: sources, functions with their paragraph, and words of the language. */
export function completions(vocabulary: Vocabulary, own: readonly string[] = []): Completion[] {
  return [
    ...own.map((label) => ({ label, detail: ' saved formula', boost: 3 })),
    ...vocabulary.sources.map((label) => ({ label, detail: ' source', boost: 2 })),
    ...vocabulary.functions.map(ofFunction),
    ...vocabulary.phrases.map(ofPhrase),
  ]
}

/** `at least … of … bars`, with its gaps to step through. */
function ofPhrase({ pattern, example, meaning }: PhraseEntry): Completion {
  let gap = 0
  const filled = pattern.replaceAll('…', () => `\${${++gap}:…}`)
  return {
    label: pattern,
    detail: ' word',
    boost: -1,
    apply: gap ? snippet(filled) : pattern,
    info: () => lines(meaning, `As in: ${example}`),
  }
}

function ofFunction(entry: FunctionEntry): Completion {
  return {
    label: entry.name,
    detail: ` ${entry.label}`,
    apply: snippet(template(entry)),
    info: () =>
      lines(entry.signature, entry.meaning, `Read: ${entry.reading}`, `Beware: ${entry.pitfalls}`),
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

/** The first line stands out. */
function lines(...texts: string[]): Node {
  const node = document.createElement('div')
  texts.forEach((text, n) => {
    const line = document.createElement(n ? 'div' : 'b')
    line.textContent = text
    node.append(line)
  })
  return node
}
