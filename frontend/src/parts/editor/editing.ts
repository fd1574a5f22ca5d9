import {
  autocompletion,
  closeCompletion,
  completionKeymap,
  selectedCompletion,
  type CompletionContext,
} from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, insertNewline } from '@codemirror/commands'
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language'
import { setDiagnostics } from '@codemirror/lint'
import { EditorState, Prec } from '@codemirror/state'
import { EditorView, keymap, placeholder, type KeyBinding } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { answer, type Problem, type Vocabulary } from '@/shared/api'
import { useServer } from '@/shared/moment'
import { shown } from './completions'
import { diagnostics } from './diagnostics'
import { help } from './help'

const colours = HighlightStyle.define([
  { tag: tags.comment, color: 'var(--quiet)', fontStyle: 'italic' },
  { tag: tags.keyword, color: 'var(--accent)' },
  { tag: tags.typeName, color: 'var(--line-4)' },
  { tag: tags.number, color: 'var(--line-2)' },
])

export interface Editing {
  /** What is read aloud of the field, and what stands in it while nothing does. */
  label: () => string
  hint: string
  vocabulary: () => Vocabulary | undefined
  /** Names of a sieve's own formulas, beside those of the desk. */
  own?: () => readonly string[]
  /** Keys that mean something here, before those of every field. */
  keys: readonly KeyBinding[]
  /** Enter ends the writing, so that Shift+Enter begins a line. */
  ends?: boolean
  written: (text: string) => void
  /** What else is told of the field just now. */
  attributes?: () => Record<string, string> | undefined
}

/**
 * What every field has in which a formula is written, a line in a sentence or a page: completion and help
 * from the server's catalogue, the colours of the words, errors underlined at their place.
 */
export function useEditing(editing: Editing) {
  const server = useServer()
  let view: EditorView | undefined

  const language = StreamLanguage.define({
    token(stream) {
      if (stream.match(/^#.*/)) return 'comment'
      if (stream.match(/^"[^"]*"?/)) return 'string'
      if (stream.match(/^\d+((\.\d+)?%|(mo|[smhdw])\b|\.\d+)?/i)) return 'number'
      const word = stream.match(/^[A-Za-z_]\w*/) as RegExpMatchArray | null
      if (word) {
        if (editing.vocabulary()?.reserved.includes(word[0])) return 'keyword'
        return stream.match(/^\s*\(/, false) ? 'typeName' : 'name'
      }
      stream.next()
      return null
    },
  })

  /** What may be written here, asked of the server; one answer late is given up by the editor. */
  async function complete(context: CompletionContext) {
    const asks = context.explicit || context.matchBefore(/[\w.("',= ]$/)
    if (!asks) return null
    const giveUp = new AbortController()
    context.addEventListener('abort', () => giveUp.abort())
    const own = [...(editing.own?.() ?? [])]
    const body = { text: context.state.doc.toString(), at: context.pos, own }
    const offered = await answer(
      server.POST('/api/completions', { body, signal: giveUp.signal }),
    ).catch(() => null)
    // What comes once the field was left would cover what is pressed now.
    if (!view?.hasFocus) return null
    if (!offered?.options.length || (!offered.wanted && !typing(context))) return null
    return shown(offered)
  }
  /** Whether a word has been begun, or help is asked for. */
  function typing(context: CompletionContext) {
    return context.explicit || context.matchBefore(/[A-Za-z_]\w*$/)
  }

  /** Enter on an offer that stands there already is one on what is written. */
  function pass(from: EditorView) {
    const label = selectedCompletion(from.state)?.label
    const at = from.state.selection.main.head
    if (label && from.state.sliceDoc(at - label.length, at) === label) closeCompletion(from)
    return false
  }

  function begin(parent: HTMLElement, text: string) {
    view = new EditorView({
      parent,
      state: EditorState.create({
        doc: text,
        extensions: [
          history(),
          language,
          syntaxHighlighting(colours),
          autocompletion({ override: [complete], icons: false }),
          help(editing.vocabulary),
          // Ctrl+Enter belongs to the page: it runs, and types nothing.
          Prec.highest(
            keymap.of([
              { key: 'Mod-Enter', run: () => true },
              ...(editing.ends ? [{ key: 'Enter', run: pass }] : []),
            ]),
          ),
          keymap.of([
            ...completionKeymap,
            ...editing.keys,
            ...(editing.ends ? [{ key: 'Shift-Enter', run: insertNewline }] : []),
            ...historyKeymap,
            ...defaultKeymap,
          ]),
          placeholder(editing.hint),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of(() => ({
            'aria-label': editing.label(),
            spellcheck: 'false',
            ...editing.attributes?.(),
          })),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) editing.written(update.state.doc.toString())
          }),
        ],
      }),
    })
  }
  /** Another text, with the cursor behind it; the editor's own undo takes it back. */
  function write(text: string) {
    if (!view || view.state.doc.toString() === text) return
    const { length } = view.state.doc
    view.dispatch({
      changes: { from: 0, to: length, insert: text },
      selection: { anchor: text.length },
    })
  }
  function underline(problems: readonly Problem[] | undefined) {
    if (view) view.dispatch(setDiagnostics(view.state, diagnostics(view.state.doc, problems)))
  }
  /** The cursor goes in with all of the text chosen: what is typed takes its place. */
  function choose() {
    view?.focus()
    view?.dispatch({ selection: { anchor: 0, head: view.state.doc.length } })
  }
  return {
    begin,
    write,
    underline,
    choose,
    focus: () => view?.focus(),
    /** What is offered goes, and what was asked for with it. */
    hush: () => view && closeCompletion(view),
    /** The keys are those of the page again. */
    leave: () => view?.contentDOM.blur(),
    end: () => view?.destroy(),
  }
}
