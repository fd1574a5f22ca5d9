<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answer, type Schemas, type Sieve } from '@/shared/api'
import { useKeys } from '@/shared/keys'
import { provideMoment, useMoment } from '@/shared/moment'
import { written } from '@/shared/asOf'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'
import CaseChart from './CaseChart.vue'

/** One signal at its moment: what followed is hidden, until bars are gone through or all is asked for. */
const props = defineProps<{
  sieve: Sieve
  settings: Schemas['EvidenceSettings']
  code: string
  time: number
  side: 'long' | 'short'
  /** Where it stands among those that are gone through. */
  place: string
  hasBefore: boolean
  hasNext: boolean
}>()
const emit = defineEmits<{ go: [by: number]; close: [] }>()
const question = computed(() => ({
  sieve: props.sieve,
  settings: props.settings,
  code: props.code,
  time: props.time,
  side: props.side,
}))
const whole = useRead(() => ({
  of: keys.case(question.value),
  read: (server, signal) =>
    answer(server.POST('/api/preview/evidence/case', { body: question.value, signal })),
}))
const closes = computed(() => whole.data.value?.closes ?? [])
/** So many bars after the signal are shown; all that is known with nothing. */
const ahead = ref<number | undefined>(0)
watch([() => props.code, () => props.time, () => props.side], () => (ahead.value = 0), {
  flush: 'sync',
})
const outside = useMoment()
const moment = computed(() =>
  ahead.value === undefined || !closes.value.length
    ? outside.value
    : written(1000 * closes.value[Math.min(ahead.value, closes.value.length - 1)]!),
)
provideMoment(moment)
const last = computed(() => Math.max(0, closes.value.length - 1))
function step(by: number) {
  const to = (ahead.value ?? (by < 0 ? last.value : last.value + 1)) + by
  if (to > last.value) ahead.value = undefined
  else ahead.value = Math.max(0, to)
}
const turn = () => (ahead.value = ahead.value === undefined ? 0 : undefined)
useKeys([
  { key: 'ArrowRight', does: 'the next signal', repeats: true, run: () => emit('go', 1) },
  { key: 'ArrowLeft', does: 'the signal before', repeats: true, run: () => emit('go', -1) },
  { key: 'ArrowDown', does: 'a bar further', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'a bar back', repeats: true, run: () => step(-1) },
  { key: 'w', does: 'what followed, or hide it', run: turn },
  { key: 'Escape', does: 'back to all signals', run: () => emit('close') },
])
</script>

<template>
  <Reply :of="whole" what="The signal can't be shown" reading="Looking at the signal …">
    <CaseChart
      :question="question"
      :whole="whole.data.value!"
      :ahead="ahead"
      @step="step"
      @turn="turn"
      @go="(by) => emit('go', by)"
      @close="emit('close')"
      :place="place"
      :has-before="hasBefore"
      :has-next="hasNext"
    />
  </Reply>
</template>
