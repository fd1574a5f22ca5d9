<script setup lang="ts">
import { computed, watch } from 'vue'
import { answer, type Schemas, type Sieve } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { asSentence } from '@/shared/format'
import { useLatest } from '@/shared/latest'
import { useMoment, useServer } from '@/shared/moment'

/** What followed on the signals of the sieve on the page, against what usually follows, in one line. */
const props = defineProps<{
  sieve: Sieve
  /** The page on which all of it stands. */
  at: string
  /** Nothing that is computed has changed on the page since. */
  fresh: boolean
}>()
const server = useServer()
const moment = useMoment()
interface Question {
  sieve: Sieve
  from: string | undefined
}
const latest = useLatest<Question, Schemas['EvidenceLine']>(0, ({ sieve }, signal) =>
  answer(server.POST('/api/preview/evidence', { body: { sieve }, signal })),
)
const question = () => ({ sieve: props.sieve, from: moment.value })
const ask = () => latest.ask(question())
watch([() => props.sieve, moment], ask, { immediate: true })
const line = computed(() => latest.reply.value)
/** Answered about something else than what stands on the page. */
const isOld = computed(
  () =>
    !props.fresh ||
    latest.about.value?.from !== moment.value ||
    latest.about.value?.sieve !== props.sieve,
)
const notes = computed(() => [
  'Results count from the open of the bar after the signal. In brackets the range in which the share lies with 95 % confidence; anybody then: all members of the universe at the same moments.',
  ...(line.value?.notes ?? []).map(asSentence),
])
</script>

<template>
  <ErrorNote
    v-if="latest.error.value"
    :error="latest.error.value"
    what="What followed can't be told"
    :again="ask"
  />
  <p v-else class="quiet evidence" :class="{ old: isOld }" aria-live="polite">
    <template v-if="line?.sentence">
      <span :title="notes.join('\n')">{{ line.sentence }}</span>{{ ' ' }}
      <RouterLink :to="at" title="What followed, in full">all of it <kbd>i</kbd></RouterLink>
    </template>
    <template v-else-if="!line">what followed…</template>
  </p>
</template>

<style scoped>
.evidence {
  margin: 0 0 6px;
}
.old {
  opacity: 0.45;
}
</style>
