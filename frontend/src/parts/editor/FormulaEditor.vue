<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Offer, Problem, Vocabulary } from '@/shared/api'
import { useEditing } from './editing'
import './editing.css'

/** A formula as text, on as many lines as it takes. */
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

const editing = useEditing({
  label: () => props.label,
  hint: props.hint ?? 'close > sma(close, 45)',
  vocabulary: () => props.vocabulary,
  own: () => props.own ?? [],
  ends: props.steps,
  keys: [
    { key: 'Alt-Enter', run: () => take(props.offers?.[0]) || (props.steps && told('another')) },
    ...(props.small ? [{ key: 'Enter', run: () => true }] : []),
    ...(props.steps ? [{ key: 'Enter', run: () => take(props.offers?.[0]) || told('next') }] : []),
    { key: 'Escape', run: leave },
  ],
  written: (now) => {
    text.value = now
  },
})
onMounted(() => {
  editing.begin(host.value!, text.value)
  editing.underline(props.problems)
})
onBeforeUnmount(editing.end)
watch(text, editing.write)
watch(() => props.problems, editing.underline)

/** What was meant in place of what was written. */
function take(offer?: Offer) {
  if (!offer) return false
  editing.write(offer.text)
  editing.focus()
  return true
}
function told(what: 'next' | 'another') {
  if (what === 'next') emit('next')
  else emit('another')
  return true
}
function leave() {
  editing.leave()
  return true
}
defineExpose({ focus: editing.focus, choose: editing.choose, leave: editing.leave })
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
