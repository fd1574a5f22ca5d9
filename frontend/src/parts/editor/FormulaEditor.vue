<script setup lang="ts">
import { autocompletion, completionKeymap, type CompletionContext } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, insertNewline } from '@codemirror/commands'
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language'
import { setDiagnostics } from '@codemirror/lint'
import { EditorState, Prec } from '@codemirror/state'
import { EditorView, keymap, placeholder } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { answer, type Offer, type Problem, type Vocabulary } from '@/shared/api'
import { shown } from './completions'
import { diagnostics } from './diagnostics'
import { help } from './help'
import { useServer } from '@/shared/moment'

const server = useServer()

/** A formula as text: completion from the catalogue, errors underlined at their place. */
const props = defineProps<{
  label: string
  hint?: string
  problems?: readonly Problem[]
  /** Texts that may have been meant, where what stands there can't be read. */
  offers?: readonly Offer[]
  /** What works and is nearest, where nothing may have been meant. */
  nearest?: readonly Offer[]
  vocabulary?: Vocabulary
  own?: readonly string[]
  /** One operand on one line: Enter leaves it as it is. */
  small?: boolean
  /** One of several: Enter takes what was meant or goes on to the next, Shift+Enter begins a line. */
  steps?: boolean
}>()
const emit = defineEmits<{ next: []; another: [] }>()
const text = defineModel<string>({ required: true })
const host = ref<HTMLElement>()
let view: EditorView | undefined

const language = StreamLanguage.define({
  token(stream) {
    if (stream.match(/^#.*/)) return 'comment'
    if (stream.match(/^"[^"]*"?/)) return 'string'
    if (stream.match(/^\d+((\.\d+)?%|(mo|[smhdw])\b|\.\d+)?/i)) return 'number'
    const word = stream.match(/^[A-Za-z_]\w*/) as RegExpMatchArray | null
    if (word) {
      if (props.vocabulary?.reserved.includes(word[0])) return 'keyword'
      return stream.match(/^\s*\(/, false) ? 'typeName' : 'name'
    }
    stream.next()
    return null
  },
})
const look = HighlightStyle.define([
  { tag: tags.comment, color: 'var(--quiet)', fontStyle: 'italic' },
  { tag: tags.keyword, color: 'var(--accent)' },
  { tag: tags.typeName, color: 'var(--line-4)' },
  { tag: tags.number, color: 'var(--line-2)' },
])

/** What may be written here, asked of the server; one answer late is given up by the editor. */
async function complete(context: CompletionContext) {
  const asks = context.explicit || context.matchBefore(/[\w.("',= ]$/)
  if (!asks) return null
  const giveUp = new AbortController()
  context.addEventListener('abort', () => giveUp.abort())
  const body = { text: context.state.doc.toString(), at: context.pos, own: [...(props.own ?? [])] }
  const offered = await answer(
    server.POST('/api/completions', { body, signal: giveUp.signal }),
  ).catch(() => null)
  // What comes once the editor was left would cover what is pressed now.
  if (!view?.hasFocus) return null
  if (!offered?.options.length || (!offered.wanted && !typing(context))) return null
  return shown(offered)
}
/** Whether a word has been begun, or help is asked for. */
function typing(context: CompletionContext) {
  return context.explicit || context.matchBefore(/[A-Za-z_]\w*$/)
}

onMounted(() => {
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: text.value,
      extensions: [
        history(),
        language,
        syntaxHighlighting(look),
        autocompletion({ override: [complete], icons: false }),
        help(() => props.vocabulary),
        // Ctrl+Enter belongs to the page: it runs, and types nothing.
        Prec.highest(
          keymap.of([
            { key: 'Mod-Enter', run: () => true },
            {
              key: 'Alt-Enter',
              run: () => take(props.offers?.[0]) || (props.steps && told('another')),
            },
          ]),
        ),
        keymap.of([
          ...completionKeymap,
          ...(props.small ? [{ key: 'Enter', run: () => true }] : []),
          ...(props.steps
            ? [
                { key: 'Enter', run: () => take(props.offers?.[0]) || told('next') },
                { key: 'Shift-Enter', run: insertNewline },
              ]
            : []),
          { key: 'Escape', run: leave },
          ...historyKeymap,
          ...defaultKeymap,
        ]),
        placeholder(props.hint ?? 'close > sma(close, 45)'),
        EditorView.lineWrapping,
        EditorView.contentAttributes.of({ 'aria-label': props.label, spellcheck: 'false' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) text.value = update.state.doc.toString()
        }),
      ],
    }),
  })
  showProblems()
})
onBeforeUnmount(() => view?.destroy())

watch(text, (value) => {
  if (!view || view.state.doc.toString() === value) return
  view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: value } })
})
/** What was meant in place of what was written; the editor's own undo takes it back. */
function take(offer?: Offer) {
  if (!view || !offer) return false
  const { length } = view.state.doc
  const selection = { anchor: offer.text.length }
  view.dispatch({ changes: { from: 0, to: length, insert: offer.text }, selection })
  view.focus()
  return true
}
function showProblems() {
  if (view) view.dispatch(setDiagnostics(view.state, diagnostics(view.state.doc, props.problems)))
}
watch(() => props.problems, showProblems)
function told(what: 'next' | 'another') {
  if (what === 'next') emit('next')
  else emit('another')
  return true
}
/** The keys are those of the page again. */
function leave(own: EditorView) {
  own.contentDOM.blur()
  return true
}
/** The cursor goes in with all of the text chosen: what is typed takes its place. */
function choose() {
  view?.focus()
  view?.dispatch({ selection: { anchor: 0, head: view.state.doc.length } })
}
defineExpose({ focus: () => view?.focus(), choose, leave: () => view?.contentDOM.blur() })
</script>

<template>
  <div>
    <div ref="host" class="formula"></div>
    <ul v-if="offers?.length" class="offers" aria-label="Did you mean">
      <li class="quiet" aria-hidden="true">Did you mean</li>
      <li v-for="(offer, n) in offers" :key="offer.text">
        <button class="button" :title="`Write ${offer.text}`" @click="take(offer)">
          <code>{{ offer.text }}</code> <kbd v-if="n === 0">{{ steps ? '⏎' : 'Alt ⏎' }}</kbd>
        </button>
        <span>{{ offer.sentence }}</span>
      </li>
    </ul>
    <ul v-else-if="nearest?.length" class="offers" aria-label="Nearest that work">
      <li class="quiet" aria-hidden="true">Nearest that work</li>
      <li v-for="near in nearest" :key="near.text">
        <button class="button plain" :title="`Write ${near.text}`" @click="take(near)">
          <code>{{ near.text }}</code>
        </button>
        <span class="quiet">{{ near.sentence }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.offers {
  display: grid;
  gap: 3px;
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
}
.offers li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
}
.offers code {
  white-space: pre-wrap;
  text-align: left;
}
</style>

<style>
.formula .cm-editor {
  font: 13px/1.5 var(--mono);
  background: var(--sheet);
  border: 1px solid var(--hair);
  border-radius: 3px;
}
.formula .cm-editor.cm-focused {
  outline: 2px solid var(--accent);
}
.formula .cm-scroller {
  font-family: var(--mono);
}
.formula .cm-content {
  caret-color: var(--ink);
  padding: 3px 0;
}
.formula .cm-cursor {
  border-left-color: var(--ink);
}
.formula .cm-placeholder {
  color: var(--quiet);
}
.formula .cm-lintRange-error {
  background: none;
  text-decoration: underline wavy var(--fall);
  text-underline-offset: 3px;
}
.cm-tooltip {
  background: var(--sheet) !important;
  border: 1px solid var(--hair) !important;
  color: var(--ink);
}
.cm-tooltip-autocomplete ul {
  font-family: var(--mono) !important;
}
.cm-tooltip-autocomplete ul li[aria-selected] {
  background: var(--accent) !important;
  color: var(--on-accent) !important;
}
.cm-tooltip.help,
.cm-tooltip .help {
  max-width: 420px;
  max-height: 340px;
  overflow: auto;
  padding: 6px 10px;
  font: 12px/1.45 var(--sans);
  white-space: pre-wrap;
}
.help section + section {
  border-top: 1px solid var(--hair);
  margin-top: 4px;
  padding-top: 4px;
}
.help i {
  font-style: normal;
  color: var(--quiet);
}
.cm-completionInfo {
  max-width: 360px;
  font: 12px/1.45 var(--sans);
  padding: 6px 10px !important;
}
.cm-completionDetail {
  font-style: normal !important;
  opacity: 0.75;
}
</style>
