<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { amount } from '@/shared/amount'
import type { Mending } from '@/shared/api'
import { useFirstField } from '@/shared/firstField'
import { barTime, span } from '@/shared/format'
import { read, written } from './mending'

/** One mending as a sentence; what came in is never changed. */
const props = defineProps<{ mending: Mending; bases: readonly number[]; busy: boolean }>()
const emit = defineEmits<{ mend: [mending: Mending]; close: [] }>()
const KINDS = ['leave out', 'correct', 'split', 'payment'] as const
const FIELDS = ['open', 'high', 'low', 'close', 'volume'] as const
const kind = ref(props.mending.kind)
const seconds = ref(props.mending.seconds)
const text = (moment: number) => (moment ? written(moment) : '')
const first = ref(text(props.mending.first))
const last = ref(text(props.mending.last))
const values = ref<Partial<Record<string, string>>>({})
const terms = ref({ new: String(props.mending.new), old: String(props.mending.old) })
const paid = ref({
  amount: String(props.mending.values?.amount ?? ''),
  close: String(props.mending.values?.close ?? ''),
})
/** Splits and payments are of a day, and change bars of every length before it. */
const ofDay = computed(() => kind.value === 'split' || kind.value === 'payment')
const reason = ref('')
const fault = ref('')
const form = ref<HTMLFormElement>()
onMounted(() => form.value?.querySelector('select, input')?.scrollIntoView({ block: 'nearest' }))
useFirstField(form)
const accepts = computed(() => props.mending.kind === 'accept')
const number = (written: string | undefined) => amount(written ?? '') ?? NaN

function send() {
  const from = accepts.value ? props.mending.first : read(first.value)
  const to = accepts.value
    ? props.mending.last
    : kind.value === 'leave out' && last.value
      ? read(last.value)
      : from
  if (from === undefined || to === undefined) {
    fault.value = 'Write moments such as 2026-03-05, or 2026-03-05 09:15 by UTC.'
    return
  }
  const corrected = Object.entries(values.value).filter(([, v]) => v?.trim())
  if (kind.value === 'correct' && corrected.some(([, v]) => !Number.isFinite(number(v)))) {
    fault.value = 'Write values as numbers; what stays is left empty.'
    return
  }
  fault.value = ''
  emit('mend', {
    ...props.mending,
    kind: kind.value,
    seconds: ofDay.value || accepts.value ? 0 : seconds.value,
    first: from,
    last: to,
    values:
      kind.value === 'correct'
        ? Object.fromEntries(corrected.map(([n, v]) => [n, number(v)]))
        : kind.value === 'payment'
          ? { amount: number(paid.value.amount) || 0, close: number(paid.value.close) || 0 }
          : {},
    new: kind.value === 'split' ? number(terms.value.new) || 0 : 1,
    old: kind.value === 'split' ? number(terms.value.old) || 0 : 1,
    reason: reason.value.trim(),
  })
}
</script>

<template>
  <form ref="form" class="mend" @submit.prevent="send" @keydown.esc.stop="emit('close')">
    <p v-if="accepts">
      Accept the {{ mending.finding }} of {{ barTime(mending.first) }}: it is as it should be.
    </p>
    <p v-else>
      <select v-model="kind" class="inline-part" aria-label="How to correct it">
        <option v-for="k in KINDS" :key="k">{{ k }}</option>
      </select>
      <template v-if="kind === 'split'">
        : <input v-model="terms.new" class="inline-part few" aria-label="New shares" /> for
        <input v-model="terms.old" class="inline-part few" aria-label="Old shares" />, from
        <input v-model="first" class="inline-part when" aria-label="Day" placeholder="2026-03-05" />
        on; prices before are divided, volumes multiplied
      </template>
      <template v-else-if="kind === 'payment'">
        of <input v-model="paid.amount" class="inline-part few" aria-label="Paid" /> on a close of
        <input v-model="paid.close" class="inline-part few" aria-label="Close before" /> the day
        before, from
        <input v-model="first" class="inline-part when" aria-label="Day" placeholder="2026-03-05" />
        on; prices before are less by that share
      </template>
      <template v-else>
        {{ kind === 'correct' ? 'the bar of' : 'the bars of' }}
        <select v-model="seconds" class="inline-part" aria-label="Bars">
          <option v-for="b in bases" :key="b" :value="b">{{ span(b) }}</option>
        </select>
        that {{ kind === 'correct' ? 'opens' : 'open from' }}
        <input
          v-model="first"
          class="inline-part when"
          aria-label="First"
          placeholder="2026-03-05"
        />
        <template v-if="kind === 'leave out'">
          to
          <input v-model="last" class="inline-part when" aria-label="Last" placeholder="the same"
        /></template>
        <template v-else>
          to
          <label v-for="f in FIELDS" :key="f">
            {{ f }} <input v-model="values[f]" class="inline-part few" placeholder="–" /></label
        ></template>
      </template>
    </p>
    <p>
      because
      <input v-model="reason" class="inline-part why" aria-label="Reason" maxlength="400" />
    </p>
    <p v-if="fault" class="fall" role="alert">{{ fault }}</p>
    <p>
      <button class="button primary" :disabled="busy || (accepts && !reason.trim())">
        {{ accepts ? 'Accept' : 'Correct' }}
      </button>
      <button type="button" class="button plain" @click="emit('close')">cancel</button>
    </p>
  </form>
</template>

<style scoped>
.mend {
  border: 1px solid var(--accent);
  padding: 6px 10px;
  margin: 6px 0;
}
.few {
  width: 7ch;
}
.when {
  width: 17ch;
}
.why {
  width: 20ch;
}
label {
  white-space: nowrap;
}
</style>
