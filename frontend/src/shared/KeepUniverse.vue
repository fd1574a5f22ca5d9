<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useAct } from './act'
import { answer } from './api'
import { plural, whole } from './format'
import { useKeys } from './keys'
import { NO_RULE } from './rules'
import Failed from './Failed.vue'
import { done } from './undo'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/**
 * What was marked becomes a universe, and a sieve in it where that is wanted; all that are shown are marked
 * at once. Where `many` are not at hand, `read` gets their codes.
 */
const props = withDefaults(
  defineProps<{
    codes?: readonly string[]
    many?: number
    read?: () => Promise<string[]>
    /** Those that are shown, where they can be marked. */
    shown?: readonly string[]
    what?: string
  }>(),
  {
    codes: () => [],
    many: undefined,
    read: undefined,
    shown: undefined,
    what: 'A universe of the marked',
  },
)
const emit = defineEmits<{ kept: [name: string]; mark: [codes: string[]]; none: [] }>()
const count = computed(() => props.many ?? props.codes.length)
const router = useRouter()
const { act, busy, failure } = useAct()
const naming = ref<string>()
const field = ref<HTMLInputElement>()
async function begin() {
  if (!count.value) return emit('none')
  naming.value = ''
  await nextTick()
  field.value?.focus()
}
/** All that are shown are marked beside what is; where they all are, they no longer are. */
const everyone = computed(() => {
  const now = new Set(props.codes)
  return Boolean(props.shown?.length) && props.shown!.every((code) => now.has(code))
})
function markAll() {
  const next = new Set(props.codes)
  for (const code of props.shown ?? []) {
    if (everyone.value) next.delete(code)
    else next.add(code)
  }
  emit('mark', [...next])
}
const keep = (sift = false) =>
  act('Not kept', async () => {
    const called = naming.value?.trim()
    if (!called) return
    const codes = props.read ? await props.read() : [...props.codes]
    const universe = { name: called, rule: { ...NO_RULE, codes } }
    await answer(server.POST('/api/universes', { body: { universe } }))
    await readAnew(keys.universes)
    done(`${called} holds ${plural(codes.length, 'instrument')} now.`)
    naming.value = undefined
    emit('kept', called)
    if (sift)
      await router.push({
        path: '/sieves/new',
        query: { universe: called },
        state: { write: true },
      })
  })
useKeys([
  {
    key: 'u',
    does: props.read ? 'a universe of them' : 'a universe of what is marked',
    run: () => void begin(),
  },
  ...(props.shown
    ? [{ key: 'm', does: 'mark all that are shown, or none of them', run: markAll }]
    : []),
])
</script>

<template>
  <button v-if="shown" class="button" :disabled="!shown.length" @click="markAll">
    {{ everyone ? 'Mark none' : `Mark all ${whole(shown.length)}` }} <kbd>m</kbd>
  </button>
  <button class="button" :disabled="!count" @click="begin">{{ what }} <kbd>u</kbd></button>
  <span v-if="naming !== undefined">
    <input
      ref="field"
      v-model="naming"
      class="field"
      placeholder="its name"
      aria-label="Name of the universe"
      maxlength="80"
      @keydown.enter="keep($event.shiftKey)"
      @keydown.esc="naming = undefined"
    />
    <button class="button primary" :disabled="busy || !naming.trim()" @click="keep()">Keep</button>
    <button class="button" :disabled="busy || !naming.trim()" @click="keep(true)">
      and a sieve in it <kbd>⇧ ⏎</kbd>
    </button>
  </span>
  <Failed :failure="failure" />
</template>
