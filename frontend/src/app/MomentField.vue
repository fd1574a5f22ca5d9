<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { answer, ApiError, type Schemas } from '@/shared/api'
import { localOf, moment, momentOf, told } from '@/shared/format'
import { useLatest } from '@/shared/latest'
import { useServer } from '@/shared/moment'

const server = useServer()

/** The moment to look from, as it is written or chosen from the calendar. */
const props = defineProps<{ now: string; present: string | undefined }>()
const emit = defineEmits<{ chosen: [to: Schemas['Moved'], done: boolean]; close: [] }>()

const text = ref('')
const field = ref<HTMLInputElement>()
onMounted(() => field.value?.focus())

const latest = useLatest<string, Schemas['Moved']>(150, (written, signal) =>
  answer(
    server.GET('/api/moment/written', {
      params: { query: { text: written, moment: props.now } },
      signal,
    }),
  ),
)
const meant = () => (latest.about.value === text.value ? latest.reply.value : undefined)
const wrong = computed(() => {
  const error = latest.error.value
  return error instanceof ApiError ? told(error) : error ? 'the server does not answer' : ''
})
/** Entered before it was understood, it goes there as soon as it is. */
const entered = ref(false)
function write() {
  entered.value = false
  if (text.value.trim()) latest.later(text.value)
  else latest.stop()
}
async function enter() {
  if (!text.value.trim()) return emit('close')
  entered.value = true
  if (!meant()) await latest.ask(text.value)
  const to = meant()
  if (entered.value && to) emit('chosen', to, true)
}
function choose(event: Event) {
  const time = momentOf((event.target as HTMLInputElement).value)
  if (time === undefined) return
  const last = props.present ?? ''
  const present = time >= Date.parse(last)
  emit('chosen', { moment: present ? last : new Date(time).toISOString(), present }, false)
}
</script>

<template>
  <form class="written" @submit.prevent="enter" @keydown.esc.stop="emit('close')">
    <input
      ref="field"
      v-model="text"
      class="field"
      aria-label="Look from"
      placeholder="16 Apr, 2 months ago, …"
      maxlength="200"
      autocomplete="off"
      spellcheck="false"
      aria-describedby="moment-meant"
      @input="write"
    />
    <input
      type="datetime-local"
      class="field"
      aria-label="Moment"
      :value="localOf(now)"
      :max="present && localOf(present)"
      @change="choose"
    />
    <div id="moment-meant" class="meant" aria-live="polite">
      <template v-if="text.trim()">
        <template v-if="meant()">
          {{ meant()!.present ? 'the present' : moment(meant()!.moment) }} <kbd>Enter</kbd>
        </template>
        <span v-else-if="wrong" :class="entered ? 'fall' : 'quiet'">{{ wrong }}</span>
      </template>
      <span v-else class="quiet">14:20 · last Friday · 16.4. 14:20 · 3 weeks earlier</span>
    </div>
  </form>
</template>

<style scoped>
.written {
  display: grid;
  grid-template-columns: 190px auto;
  gap: 8px;
}
.meant {
  grid-column: 1 / -1;
  min-height: 18px;
  max-width: 400px;
  white-space: normal;
  overflow-wrap: anywhere;
}
</style>
