<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { nextTick, ref, shallowRef } from 'vue'
import type { Vocabulary } from '@/shared/api'
import { paragraphOf, toldOf, type Told } from './help'

/**
 * Help for what stands in it and is no text: relations, words over time, figures. A pause of the pointer or
 * F1 opens it on what has `data-help`, a word of the vocabulary or one of `own`.
 */
const props = defineProps<{ vocabulary?: Vocabulary; own?: Readonly<Record<string, Told>> }>()
const PAUSE = 500
const WIDTH = 420
/** So high a card may become. */
const ROOM = 330
const host = ref<HTMLElement>()
const card = ref<HTMLElement>()
const open = shallowRef<Record<string, string>>()
let timer = 0

const helped = (target: EventTarget | null) =>
  target instanceof Element ? target.closest<HTMLElement>('[data-help]') : null

async function show(on: HTMLElement) {
  const word = on.dataset.help!
  const own = props.own?.[word]
  const told = own ? [own] : toldOf(word, props.vocabulary)
  if (!told.length || !host.value) return
  const place = on.getBoundingClientRect()
  // Figures stand in a column: beside them nothing of it is covered.
  const beside = !(on instanceof HTMLSelectElement)
  const top = beside ? place.top : place.bottom + 4
  const left = beside ? place.left - WIDTH - 8 : place.left
  open.value = {
    left: `${Math.max(8, Math.min(left, window.innerWidth - WIDTH - 8))}px`,
    top: `${Math.max(8, Math.min(top, window.innerHeight - ROOM))}px`,
    'max-height': `${ROOM - 8}px`,
  }
  await nextTick()
  card.value?.replaceChildren(...paragraphOf(told).childNodes)
}
function close() {
  window.clearTimeout(timer)
  open.value = undefined
}
useEventListener(host, 'pointerover', (event) => {
  window.clearTimeout(timer)
  const on = helped(event.target)
  if (on) timer = window.setTimeout(() => void show(on), PAUSE)
  else if (!card.value?.contains(event.target as Node)) close()
})
useEventListener(host, 'pointerleave', close)
useEventListener(host, 'focusout', close)
useEventListener(host, ['change', 'pointerdown'], close)
useEventListener(host, 'click', (event) => {
  const on = helped(event.target)
  if (on && !(on instanceof HTMLSelectElement)) void show(on)
})
useEventListener(host, 'keydown', (event) => {
  const on = helped(event.target)
  if (event.key === 'F1' && on) {
    event.preventDefault()
    void show(on)
  } else if (event.key === 'Escape' && open.value) {
    event.stopPropagation()
    close()
  }
})
</script>

<template>
  <div ref="host" class="host">
    <slot />
    <div v-if="open" ref="card" class="cm-tooltip help card" role="tooltip" :style="open"></div>
  </div>
</template>

<style scoped>
.host {
  min-width: 0;
}
.card {
  position: fixed;
  z-index: 30;
  width: 420px;
}
</style>
