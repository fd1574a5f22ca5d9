import type { Completion } from '@codemirror/autocomplete'
import { snippet } from '@codemirror/autocomplete'
import type { FunctionEntry, PhraseEntry, Vocabulary } from '@/shared/api'

const FIELD = /([A-Za-z_]\w*)\s*(?:\((?:[^()]|\([^()]*\))*\))?\s*\.\s*\w*$/
const BARS = /\bon\s+[\w(), ]*$/i
const AFTER_VALUE = /(?:[\w)"%])\s+[A-Za-z]*$/
const WORD = /([A-Za-z_]\w*)\s+[A-Za-z]*$/
const RELATIONS = ['>', '<', '>=', '<=', '==', '!=']

/**
 * What the editor offers at a place, given the text before it: outputs after a dot, what a bar may be after
 * `on`, relations and words after a value; else what a value may be, sources and saved formulas first.
 */
export function completions(
  vocabulary: Vocabulary,
  own: readonly string[] = [],
  before = '',
): Completion[] {
  const called = FIELD.exec(before)?.[1]
  const outputs = vocabulary.functions.find((f) => f.name === called)?.outputs
  if (outputs) return outputs.map((label, n) => ({ label, detail: ' output', boost: -n }))
  if (BARS.test(before))
    return vocabulary.bars.map(({ value, told }, n) => ({
      label: value,
      detail: ` ${told}`,
      boost: -n,
    }))
  const word = WORD.exec(before)?.[1]?.toLowerCase() ?? ''
  const value = AFTER_VALUE.test(before) && !vocabulary.reserved.includes(word)
  const phrases = vocabulary.phrases.filter((p) => p.begins !== value).map(ofPhrase)
  if (value)
    return [
      ...RELATIONS.map((label, n) => ({ label, detail: ' relation', boost: 9 - n })),
      ...phrases,
    ]
  return [
    ...own.map((label) => ({ label, detail: ' saved formula', boost: 3 })),
    ...vocabulary.sources.map((label) => ({ label, detail: ' source', boost: 2 })),
    ...vocabulary.functions.map(ofFunction),
    ...phrases,
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
