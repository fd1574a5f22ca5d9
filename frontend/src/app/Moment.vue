<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer } from '@/shared/api'
import { asOf, lookFrom, written } from '@/shared/asOf'
import { moment, plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { useThread } from '@/shared/queries'
import { useServer } from '@/shared/moment'
import MomentField from './MomentField.vue'

const server = useServer()

/** The moment that all pages look from: set back and forth by keys or by the calendar, and told when past. */
type Step = 'bar' | 'session' | 'week'
const route = useRoute()
const router = useRouter()
const { data: counts } = useThread()
const open = ref(false)
const box = ref<HTMLElement>()
const button = ref<HTMLElement>()
const { act, busy, failure } = useAct()
const now = computed(() => asOf.value ?? counts.value?.now)
const present = computed(() => counts.value?.present)

/** Steps that were asked for while one was under way. Held down, a key waits instead. */
const waiting: [Step, boolean][] = []
async function move(step: Step, back: boolean, held = false) {
  // Pressed before it is known what time it is, it is done as soon as that is.
  if (busy.value || !now.value) {
    if (!held) waiting.push([step, back])
    return
  }
  await act('Not moved', async () => {
    const from = now.value
    if (!from || (!back && !asOf.value)) return
    const bars = String(route.query.bars ?? '1d')
    const code = route.name === 'instrument' ? String(route.params.code) : ''
    const query = { moment: from, step, back, bars, code }
    const to = await answer(server.GET('/api/moment', { params: { query } }))
    await lookFrom(router, to.present ? undefined : written(Date.parse(to.moment)))
  })
  const next = waiting.shift()
  if (failure.value) waiting.length = 0
  else if (next) await move(...next)
}
watch(now, (known, before) => {
  const next = known && !before ? waiting.shift() : undefined
  if (next) void move(...next)
})
const toPresent = () => act('Not moved', () => lookFrom(router, undefined))
function choose(to: { moment: string; present: boolean }, done: boolean) {
  if (done) close()
  void act('Not moved', () =>
    lookFrom(router, to.present ? undefined : written(Date.parse(to.moment))),
  )
}
/** Where one goes on once the field is closed. */
let before: HTMLElement | null = null
function show() {
  if (open.value) return close()
  before = document.activeElement as HTMLElement | null
  open.value = true
}
function close() {
  open.value = false
  void nextTick(() => (before?.isConnected ? before : button.value)?.focus())
}
watch(
  () => route.path,
  () => (open.value = false),
)
useEventListener(document, 'pointerdown', (event) => {
  if (!box.value?.contains(event.target as Node)) open.value = false
})
const STEPS: [Step, string, string][] = [
  ['bar', '[', ']'],
  ['session', '(', ')'],
  ['week', '<', '>'],
]
useKeys(
  [
    { key: 'h', does: 'look from another moment', run: show },
    ...STEPS.flatMap(([step, back, on]) => [
      {
        key: back,
        does: `look from a ${step} earlier`,
        repeats: true,
        run: (event: KeyboardEvent) => void move(step, true, event.repeat),
      },
      {
        key: on,
        does: `look from a ${step} later`,
        repeats: true,
        run: (event: KeyboardEvent) => void move(step, false, event.repeat),
      },
    ]),
    { key: '0', does: 'look from the present', run: toPresent },
  ],
  undefined,
  'the moment',
)
</script>

<template>
  <span v-if="now" ref="box" class="moment" :class="{ past: asOf }">
    <button
      ref="button"
      class="button plain told"
      title="The moment all pages look from  h"
      :aria-expanded="open"
      @click="show"
    >
      as of <b>{{ moment(now) }}</b>
    </button>
    <button v-if="asOf" class="button plain" @click="toPresent">
      <span class="wide">to the present </span><kbd>0</kbd>
    </button>
    <span
      v-if="asOf && counts?.mended_since.length"
      class="quiet"
      :title="`Made later, counts for all moments: ${counts.mended_since.join('; ')}`"
      >{{ plural(counts.mended_since.length, 'mending') }}<span class="wide"> of later</span></span
    >
    <span v-else-if="!asOf && counts?.is_demo" class="quiet"> · demo</span>
    <span v-if="open" class="choose" role="group" aria-label="Look from another moment">
      <MomentField :now="now" :present="present" @chosen="choose" @close="close" />
      <span v-for="[step, back, on] in STEPS" :key="step" class="step">
        <button class="button" @click="move(step, true)">
          <kbd>{{ back }}</kbd><span class="visually-hidden">earlier by a {{ step }}</span>
        </button>
        {{ step }}
        <button class="button" :disabled="!asOf" @click="move(step, false)">
          <kbd>{{ on }}</kbd><span class="visually-hidden">later by a {{ step }}</span>
        </button>
      </span>
    </span>
    <span v-if="failure" class="fall" role="alert">{{ failure.error.message }}</span>
  </span>
</template>

<style scoped>
.moment {
  position: relative;
}
.told {
  color: var(--ink);
}
.past {
  background: var(--accent-wash);
  box-shadow: inset 0 -2px var(--accent);
  border-radius: 3px;
  padding-right: 4px;
}
@media (max-width: 1200px) {
  .wide {
    position: absolute;
    clip-path: inset(50%);
  }
}
.choose {
  position: absolute;
  z-index: 20;
  top: 32px;
  right: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 12px;
  background: var(--sheet);
  border: 1px solid var(--ink);
}
.step {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 12px;
}
</style>
