<script setup lang="ts">
import { computed, onBeforeUnmount, ref, useId, watch } from 'vue'
import { answer, type Schemas } from '@/shared/api'
import { told } from '@/shared/format'
import { useServer } from '@/shared/moment'

const server = useServer()

/**
 * A formula that is written where it stands in a sentence. Enter or leaving the field takes it once it can be
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
const field = ref<HTMLInputElement>()
const id = useId()
const shown = computed(() => written.value ?? props.value)
const width = computed(() => Math.min(props.most, Math.max(props.least, shown.value.length + 3)))
/** What is said is of the text that stands there. */
const said = computed(() => (wrong.value?.text === written.value?.trim() ? wrong.value : undefined))
/** What is written here and was not taken is told, so that nothing goes on as if it were. */
watch(
  () => written.value !== undefined && written.value.trim() !== props.value,
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
  written.value = wrong.value = undefined
  if (text !== props.value) emit('take', text)
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
  const [first] = offers.value
  if (first) return done(first.text)
  if (said.value && !said.value.reading) wrong.value = undefined
  void take()
  // Where another may be added the cursor stays.
  if (props.value || !written.value) field.value?.blur()
}
/** With nothing written the key is that of what the field stands in. */
function leave(event: KeyboardEvent) {
  if (written.value !== undefined) event.stopPropagation()
  asking?.abort()
  about = undefined
  written.value = wrong.value = undefined
  field.value?.blur()
}
defineExpose({
  focus() {
    field.value?.focus()
    field.value?.select()
  },
  take,
})
</script>

<template>
  <span class="formula-text" :class="$attrs.class">
    <input
      v-bind="{ ...$attrs, class: undefined }"
      ref="field"
      class="inline-part mono"
      :class="{ fall: said }"
      :value="shown"
      :style="{ width: `${width}ch` }"
      :placeholder="placeholder"
      :title="title"
      :aria-label="label"
      :aria-invalid="Boolean(said)"
      :aria-describedby="said ? id : undefined"
      maxlength="2000"
      spellcheck="false"
      @input="written = ($event.target as HTMLInputElement).value"
      @change="take"
      @keydown.enter.prevent="enter"
      @keydown.esc="leave"
    />
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
