import { StateEffect, StateField } from '@codemirror/state'
import { EditorView, hoverTooltip, keymap, showTooltip, type Tooltip } from '@codemirror/view'
import type { FunctionEntry, PhraseEntry, Vocabulary } from '@/shared/api'
import { pictureOf } from './picture'

export type Told = { title: string; name: string; lines: [string, string][] }

const ofFunction = (own: FunctionEntry): Told => ({
  title: `${own.signature} — ${own.label}`,
  name: own.name,
  lines: [
    ['', own.meaning],
    ['Read', own.reading],
    ['Beware', own.pitfalls],
    ['Formula', own.formula],
    ['Source', own.source],
  ],
})
const ofPhrase = (own: PhraseEntry): Told => ({
  title: own.pattern,
  name: own.pattern,
  lines: [
    ['', own.meaning],
    ['Read', own.reading],
    ['Beware', own.pitfalls],
    ['Such as', own.example],
  ],
})

/** What there is to say of a word of a formula: a function, a word of the language, a sign. */
export function toldOf(word: string, vocabulary: Vocabulary | undefined): Told[] {
  if (!vocabulary || !word) return []
  const called = vocabulary.functions.find((own) => own.name === word.toLowerCase())
  if (called) return [ofFunction(called)]
  const { relations, phrases } = vocabulary
  const whole = [...relations, ...phrases].find((own) => own.pattern === word)
  if (whole) return [ofPhrase(whole)]
  const said = word.toLowerCase()
  return phrases.filter((own) => own.pattern.split(' ').includes(said)).map(ofPhrase)
}

const figure = (title: string, ...lines: [string, string][]): Told => ({ title, name: '', lines })
/** What the counts beside a condition say. */
export const FIGURES: Readonly<Record<string, Told>> = {
  alone: figure(
    'alone',
    ['', 'Instruments that this condition lets through on its own, whatever the others say.'],
    ['Read', 'A small one cuts hard; nearly all of them, and it hardly decides.'],
    ['Beware', 'An instrument for which it is unknown is not among them.'],
  ),
  'so far': figure(
    'so far',
    ['', 'Instruments left after this condition and those above it, on one and the same bar.'],
    ['Read', 'Where it falls most from one row to the next, there most is lost.'],
    ['Beware', 'It depends on the order of the rows; what passes in the end does not.'],
  ),
  'without it': figure(
    'without it',
    ['', 'Instruments that would pass if only this condition were not there.'],
    ['Read', 'Far more than pass now: this is the one to loosen. As many: it decides nothing.'],
    [
      'Beware',
      'Two conditions that say nearly the same hide each other: without either nothing changes.',
    ],
  ),
  'keeps out': figure(
    'keeps out',
    ['', 'Instruments that this veto keeps out on its own, or that it can not judge.'],
    [
      'Beware',
      'A veto on something that the data do not hold of an instrument does not apply to it.',
    ],
  ),
}

/** A paragraph of help, with the picture drawn from the desk's own bars when it has come. */
export function paragraphOf(told: readonly Told[]): HTMLElement {
  const box = document.createElement('div')
  box.className = 'help'
  for (const own of told) {
    const part = document.createElement('section')
    const title = document.createElement('b')
    title.textContent = own.title
    part.append(title)
    for (const [name, text] of own.lines) {
      if (!text) continue
      const line = document.createElement('div')
      if (name) {
        const label = document.createElement('i')
        label.textContent = `${name}: `
        line.append(label)
      }
      line.append(text)
      part.append(line)
    }
    if (own.name) void pictureOf(own.name).then((picture) => picture && part.append(picture))
    box.append(part)
  }
  return box
}

/** The word or sign at a place of a text, and where it stands. */
export function wordAt(text: string, at: number): { word: string; from: number; to: number } {
  for (const kind of [/\w/, /[<>=!]/]) {
    let [from, to] = [at, at]
    while (from > 0 && kind.test(text[from - 1]!)) from--
    while (to < text.length && kind.test(text[to]!)) to++
    if (from < to) return { word: text.slice(from, to), from, to }
  }
  return { word: '', from: at, to: at }
}

const open = StateEffect.define<Tooltip | null>()
const asked = StateField.define<Tooltip | null>({
  create: () => null,
  update(tooltip, transaction) {
    for (const effect of transaction.effects) if (effect.is(open)) return effect.value
    return transaction.docChanged || transaction.selection ? null : tooltip
  },
  provide: (field) => showTooltip.from(field),
})

/** Help where the hand is: a pause of the pointer on a word, or F1 at the cursor. */
export function help(vocabulary: () => Vocabulary | undefined) {
  const tooltip = (text: string, at: number): Tooltip | null => {
    const { word, from, to } = wordAt(text, at)
    const told = toldOf(word, vocabulary())
    if (!told.length) return null
    return { pos: from, end: to, above: false, create: () => ({ dom: paragraphOf(told) }) }
  }
  return [
    asked,
    hoverTooltip((view, at) => tooltip(view.state.doc.toString(), at), { hoverTime: 500 }),
    keymap.of([
      {
        key: 'F1',
        run: (view: EditorView) => {
          const found = tooltip(view.state.doc.toString(), view.state.selection.main.head)
          view.dispatch({ effects: open.of(found) })
          return true
        },
      },
      {
        key: 'Escape',
        run: (view: EditorView) => {
          if (!view.state.field(asked)) return false
          view.dispatch({ effects: open.of(null) })
          return true
        },
      },
    ]),
  ]
}
