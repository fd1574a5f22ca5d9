<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useId, watch } from 'vue'
import { answer, type Schemas } from '@/shared/api'
import { told } from '@/shared/format'
import { useServer } from '@/shared/moment'
import { useVocabulary } from '@/shared/queries'
import { useEditing } from './editing'
import './editing.css'

const server = useServer()

/**
 * A formula that is written where it stands in a sentence, with completion and help as in every field of
 * formulas; while it is written it takes the room that there is. Enter or leaving the field takes it once it can be
 * read. What can't be read stays in the field, with what is wrong and what may have been meant; Enter takes
 * the first of these. Escape leaves all as it was.
 */
type Reading = Schemas['Reading']
const props = withDefaults(
  defineProps<{
    value: string
    label: string
    least?: number
    most?: number
    role?: Schemas['FormulaBody']['role']
    placeholder?: string
    title?: string
    /** What it may not be empty for: emptied it is as it was. */
    needed?: boolean
  }>(),
  { least: 6, most: 40, role: 'any', placeholder: '', title: undefined },
)
const emit = defineEmits<{ take: [text: string]; open: [open: boolean] }>()
defineOptions({ inheritAttrs: false })
const written = ref<string>()
const wrong = ref<{ text: string; reading?: Reading }>()
const host = ref<HTMLElement>()
const id = useId()
const vocabulary = useVocabulary()
/** What is said is of the text that stands there. */
const said = computed(() => (wrong.value?.text === written.value?.trim() ? wrong.value : undefined))
/** What is written here and was not taken is told, so that nothing goes on as if it were. */
watch(
  () => written.value !== undefined,
  (open) => emit('open', open),
)
const offers = computed(() => said.value?.reading?.offers ?? [])
const nearest = computed(() => said.value?.reading?.nearest ?? [])
const problem = computed(() => {
  if (!said.value) return ''
  const [first] = said.value.reading?.problems ?? []
  return first ? told(first) : 'It can’t be read just now: press Enter to try again.'
})

let asking: AbortController | undefined
let about: string | undefined
onBeforeUnmount(() => asking?.abort())
function done(text: string) {
  const isOther = text !== props.value
  asItIs()
  if (isOther) emit('take', text)
}
/** What is written here is what the field stands for, once that has come. */
function asItIs() {
  written.value = wrong.value = undefined
  void nextTick(() => written.value === undefined && editing.write(props.value))
}
/** Take what is written if it can be read. */
async function take() {
  const text = written.value?.trim()
  if (text === undefined || (text && said.value) || text === about) return
  asking?.abort()
  if (text === props.value) return done(text)
  if (!text) return done(props.needed ? props.value : '')
  const own = (asking = new AbortController())
  about = text
  try {
    const body = { text, role: props.role }
    const reading = await answer(server.POST('/api/formula', { body, signal: own.signal }))
    if (written.value?.trim() !== text) return
    if (reading.ok) done(text)
    else wrong.value = { text, reading }
  } catch {
    if (!own.signal.aborted && written.value?.trim() === text) wrong.value = { text }
  } finally {
    if (asking === own) about = undefined
  }
}
function enter() {
  editing.hush()
  const [first] = offers.value
  if (first) {
    done(first.text)
    return true
  }
  if (said.value && !said.value.reading) wrong.value = undefined
  const stays = !props.value && written.value
  void take()
  // Where another may be added the cursor stays.
  if (!stays) editing.leave()
  return true
}
/** With nothing written the key is that of what the field stands in. */
function leave() {
  if (written.value === undefined) return false
  asking?.abort()
  about = undefined
  asItIs()
  editing.leave()
  return true
}
const editing = useEditing({
  label: () => props.label,
  hint: props.placeholder,
  vocabulary: () => vocabulary.data.value,
  ends: true,
  keys: [
    { key: 'Enter', run: enter },
    { key: 'Escape', run: leave, stopPropagation: true },
  ],
  written: (text) => {
    written.value = text === props.value ? undefined : text
  },
  attributes: () => (said.value ? { 'aria-invalid': 'true', 'aria-describedby': id } : undefined),
})
onMounted(() => editing.begin(host.value!, props.value))
onBeforeUnmount(editing.end)
watch(
  () => props.value,
  (value) => written.value === undefined && editing.write(value),
)
watch(said, (now) => editing.underline(now?.reading?.problems))
defineExpose({ focus: editing.choose, take })
</script>

<template>
  <span class="formula-text" v-bind="$attrs">
    <span
      ref="host"
      class="formula in-line"
      :class="{ wrong: said }"
      :style="{ '--least': `${least}ch`, '--most': `${most}ch` }"
      :title="title"
      @focusout="take"
    ></span>
    <span v-if="said" :id="id" class="meant">
      <span class="fall" role="alert">{{ problem }}</span>
      <span v-if="nearest.length" role="group" aria-label="Nearest that work">
        <span v-for="near in nearest" :key="near.text" class="offer quiet">
          <button
            type="button"
            class="button plain"
            :title="`Write ${near.text}`"
            @mousedown.prevent
            @click="done(near.text)"
          >
            <code>{{ near.text }}</code>
          </button>
          {{ near.sentence }}
        </span>
      </span>
      <span v-if="offers.length" role="group" aria-label="Did you mean">
        <span class="quiet">Did you mean</span>
        <span v-for="(offer, n) in offers" :key="offer.text" class="offer">
          <button
            type="button"
            class="button"
            :title="`Write ${offer.text}`"
            @mousedown.prevent
            @click="done(offer.text)"
          >
            <code>{{ offer.text }}</code> <kbd v-if="n === 0">⏎</kbd>
          </button>
          {{ offer.sentence }}
        </span>
      </span>
    </span>
  </span>
</template>

<style scoped>
.formula-text {
  position: relative;
  display: inline-block;
  max-width: 100%;
}
.in-line {
  display: block;
}
.in-line :deep(.cm-editor) {
  min-width: var(--least);
  font: inherit;
  font-family: var(--mono);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--accent);
  border-radius: 0;
}
.in-line :deep(.cm-content) {
  min-height: 24px;
  padding: 0;
  line-height: max(1.4em, 23px);
}
.in-line :deep(.cm-line) {
  padding: 0 2px;
}
.in-line :deep(.cm-scroller) {
  overflow: hidden;
}
/* Not written in, it is as short as its place in the sentence wants it. */
.in-line :deep(.cm-editor:not(.cm-focused)) {
  max-width: var(--most);
}
.in-line :deep(.cm-editor:not(.cm-focused) .cm-content) {
  color: var(--accent);
  white-space: pre;
}
.in-line :deep(.cm-focused) {
  background: var(--sheet);
}
.wrong :deep(.cm-content) {
  color: var(--fall);
}
.meant {
  position: absolute;
  z-index: 30;
  top: 100%;
  left: 0;
  display: grid;
  gap: 4px;
  width: max-content;
  max-width: min(460px, 90vw);
  padding: 6px 10px;
  font: 12px/1.45 var(--sans);
  white-space: normal;
  background: var(--sheet);
  border: 1px solid var(--hair);
  box-shadow: 0 3px 10px rgb(0 0 0 / 12%);
}
.offer {
  display: block;
  margin-top: 3px;
}
.offer code {
  white-space: pre-wrap;
  text-align: left;
}
</style>
