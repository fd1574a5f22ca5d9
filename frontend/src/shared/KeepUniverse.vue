<script setup lang="ts">
import { nextTick, ref } from 'vue'
import { useAct } from './act'
import { answer } from './api'
import { plural } from './format'
import { useKeys } from './keys'
import { NO_RULE } from './rules'
import Failed from './Failed.vue'
import { done } from './undo'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** What was marked becomes a universe. */
const props = withDefaults(defineProps<{ codes: readonly string[]; what?: string }>(), {
  what: 'A universe of the marked',
})
const emit = defineEmits<{ kept: [name: string] }>()
const { act, busy, failure } = useAct()
const naming = ref<string>()
const field = ref<HTMLInputElement>()
async function begin() {
  if (!props.codes.length) return
  naming.value = ''
  await nextTick()
  field.value?.focus()
}
const keep = () =>
  act('Not kept', async () => {
    const called = naming.value?.trim()
    if (!called) return
    const universe = { name: called, rule: { ...NO_RULE, codes: [...props.codes] } }
    await answer(server.POST('/api/universes', { body: { universe } }))
    await readAnew(keys.universes)
    done(`${called} holds ${plural(props.codes.length, 'instrument')} now.`)
    naming.value = undefined
    emit('kept', called)
  })
useKeys([{ key: 'u', does: 'a universe of what is marked', run: () => void begin() }])
</script>

<template>
  <button class="button" :disabled="!codes.length" @click="begin">{{ what }} <kbd>u</kbd></button>
  <span v-if="naming !== undefined">
    <input
      ref="field"
      v-model="naming"
      class="field"
      placeholder="its name"
      aria-label="Name of the universe"
      maxlength="80"
      @keydown.enter="keep"
      @keydown.esc="naming = undefined"
    />
    <button class="button primary" :disabled="busy || !naming.trim()" @click="keep">Keep</button>
  </span>
  <Failed :failure="failure" />
</template>
