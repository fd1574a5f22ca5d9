<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import FormulaEditor from '@/parts/editor/FormulaEditor.vue'
import { useAct } from '@/shared/act'
import { amount } from '@/shared/amount'
import { answer, ApiError, type Rule, type Universe } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { NO_RULE } from '@/shared/rules'
import { asSentence, plural } from '@/shared/format'
import { useFirstField } from '@/shared/firstField'
import { useLatest } from '@/shared/latest'
import { useVocabulary } from '@/shared/queries'
import { useMoment, useServer } from '@/shared/moment'

const server = useServer()
const looksFrom = useMoment()

/** A universe as a sentence: what it is made of, what its instruments have to be; who belongs to it now. */
const props = defineProps<{ own?: Universe; others: readonly string[] }>()
const emit = defineEmits<{ kept: [name: string]; close: [] }>()
const MADE = ['all instruments', 'these codes', 'any of', 'all of', 'without'] as const
const KINDS = ['share', 'cross', 'future', 'index', 'gauge', 'pair', 'other'] as const
const vocabulary = useVocabulary()
const name = ref(props.own?.name ?? '')
const rule = ref<Rule>({ ...NO_RULE, ...props.own?.rule })
const made = ref<(typeof MADE)[number]>(
  rule.value.codes?.length
    ? 'these codes'
    : rule.value.parts?.length
      ? (rule.value.joined ?? 'any of')
      : 'all instruments',
)
const pasted = ref((rule.value.codes ?? []).join('\n'))
const turnover = ref(rule.value.least_turnover ? String(rule.value.least_turnover) : '')
const largest = ref(rule.value.largest ? String(rule.value.largest) : '')
const asOf = ref('')
const where = computed(() => Object.entries(rule.value.where ?? {}))

const isWrong = (text: string) => Boolean(text.trim()) && !((amount(text) ?? 0) > 0)
const wrongAmount = computed(() => isWrong(turnover.value))
const wrongCount = computed(() => isWrong(largest.value))

/** The rule as it stands on the page; codes are read by the server, which knows them. */
async function whole(signal?: AbortSignal): Promise<Rule> {
  const codes =
    made.value === 'these codes'
      ? await answer(server.POST('/api/universes/codes', { body: { text: pasted.value }, signal }))
      : []
  const joined = made.value === 'all of' || made.value === 'without' ? made.value : 'any of'
  const joins = ['any of', 'all of', 'without'].includes(made.value)
  return {
    ...rule.value,
    codes,
    parts: joins ? (rule.value.parts ?? []) : [],
    joined,
    least_turnover: amount(turnover.value) ?? null,
    largest: Math.round(amount(largest.value) ?? 0) || null,
  }
}
const turn = ref(0)
const {
  reply: preview,
  about,
  error,
  ask,
  later,
} = useLatest(250, async (_: number, signal) => {
  const as_of = asOf.value ? `${asOf.value}T23:59:59Z` : null
  const body = { name: props.own?.name ?? '', rule: await whole(signal), as_of }
  return answer(server.POST('/api/universes/preview', { body, signal }))
})
watch([rule, made, pasted, turnover, largest, asOf, looksFrom], () => later(++turn.value), {
  deep: true,
})
onMounted(() => ask(turn.value))
const form = ref<HTMLElement>()
useFirstField(form)
const stale = computed(() => about.value !== turn.value)
const problem = computed(() => (error.value instanceof ApiError ? error.value : undefined))
const formulaProblems = computed(() => problem.value?.problems.filter((p) => p.place) ?? [])

/** What a formula that can't be read was probably meant to say. */
const meant = useLatest(250, (text: string, signal) =>
  answer(server.POST('/api/formula', { body: { text, role: 'condition' }, signal })),
)
watch(
  () => rule.value.formula,
  (text) => (text?.trim() ? meant.later(text) : meant.stop()),
)
const add = (part: string) => {
  if (part) rule.value = { ...rule.value, parts: [...(rule.value.parts ?? []), part] }
}
const drop = (part: string) =>
  (rule.value = { ...rule.value, parts: (rule.value.parts ?? []).filter((p) => p !== part) })
const free = computed(() => props.others.filter((o) => !rule.value.parts?.includes(o)))
async function read(event: Event) {
  const field = event.target as HTMLInputElement
  const [file] = field.files ?? []
  if (file) pasted.value = [pasted.value, await file.text()].filter(Boolean).join('\n')
  field.value = ''
}
const { act, busy, failure } = useAct()
const keep = () =>
  act('Not kept', async () => {
    const universe = { name: name.value.trim(), rule: await whole() }
    const path = { universe_id: props.own?.id ?? 0 }
    const stored = await answer(
      props.own
        ? server.PUT('/api/universes/{universe_id}', { params: { path }, body: { universe } })
        : server.POST('/api/universes', { body: { universe } }),
    )
    emit('kept', stored.universe.name)
  })
</script>

<template>
  <form
    ref="form"
    class="form"
    aria-label="Universe"
    @submit.prevent="keep"
    @keydown.esc="emit('close')"
  >
    <p class="sentence">
      <input
        v-model="name"
        class="inline-part name"
        aria-label="Name of the universe"
        placeholder="A name"
        maxlength="120"
      />
      holds
      <select v-model="made" class="inline-part" aria-label="Made of">
        <option v-for="m in MADE" :key="m" :value="m">
          {{ m === 'without' ? 'what is left of' : m }}
        </option></select
      ><template v-if="['any of', 'all of', 'without'].includes(made)">
        <span v-for="(part, n) in rule.parts" :key="part" class="part"
          ><span v-if="made === 'without' && n === 1" class="quiet">less </span>{{ part
          }}<button type="button" :aria-label="`Leave out ${part}`" @click="drop(part)">×</button>
        </span>
        <select
          class="inline-part"
          aria-label="Add a universe"
          :value="''"
          @change="
            (add(($event.target as HTMLSelectElement).value),
            (($event.target as HTMLSelectElement).value = ''))
          "
        >
          <option value="">+ universe</option>
          <option v-for="o in free" :key="o">{{ o }}</option>
        </select></template
      >, of
      <select v-model="rule.kind" class="inline-part" aria-label="Kind">
        <option :value="null">any kind</option>
        <option v-for="k in KINDS" :key="k">{{ k }}</option></select
      ><template v-for="[fact, value] in where" :key="fact">, with {{ fact }} {{ value }}</template
      >, trading for at least
      <input
        v-model="turnover"
        class="inline-part few"
        :class="{ fall: wrongAmount }"
        aria-label="Least turnover"
        placeholder="– 5m"
        title="close times volume on a usual day, in its own currency: 250k, 5m, 1bn"
      />
      a day,
      <select v-model="rule.sound" class="inline-part" aria-label="Data">
        <option :value="false">sound or doubted</option>
        <option :value="true">not doubted by the data check</option></select
      >; of these the largest
      <input
        v-model="largest"
        class="inline-part few"
        :class="{ fall: wrongCount }"
        aria-label="Largest"
        placeholder="all"
      />
      by
      <input v-model="rule.by" class="inline-part mono by" aria-label="By the fact" />.
    </p>
    <template v-if="made === 'these codes'">
      <textarea
        v-model="pasted"
        class="field mono codes"
        rows="5"
        aria-label="Codes"
        placeholder="Paste codes: one a line, or with spaces or commas between"
      ></textarea>
      <label class="button plain"
        >or read a file of them
        <input type="file" class="visually-hidden" aria-label="File of codes" @change="read"
      /></label>
    </template>
    <p class="where">for which is true on daily bars, at each run anew:</p>
    <FormulaEditor
      v-model="rule.formula!"
      label="Formula of the universe"
      hint='fact("market_cap") > 1bn and close > sma(close, 80)'
      :problems="formulaProblems"
      :offers="meant.about.value === rule.formula ? meant.reply.value?.offers : []"
      :nearest="meant.about.value === rule.formula ? meant.reply.value?.nearest : []"
      :vocabulary="vocabulary.data.value"
    />
    <p v-if="problem" class="fall" role="alert">
      {{ asSentence(problem.message) }} {{ asSentence(problem.mend) }}
    </p>
    <div v-else-if="preview" :class="{ old: stale }" class="preview" role="status">
      <b>{{ plural(preview.instruments, 'instrument') }}</b>
      as of
      <input v-model="asOf" type="date" class="inline-part" aria-label="As of" title="empty: now" />
      <span v-if="preview.too_thin">; {{ preview.too_thin }} trade for less</span>
      <span v-if="preview.doubted">; {{ preview.doubted }} are doubted by the data check</span>
      <span v-if="preview.reason" class="fall">; {{ preview.reason }}</span>
      <span v-else-if="preview.unsized">; of {{ preview.unsized }} no size is known</span>
      <span v-if="preview.unknown.length" class="fall">
        ; {{ plural(preview.unknown.length, 'code') }} not known, kept until they are:
        {{ preview.unknown.join(' ') }}</span
      >.
      <p class="mono quiet all">{{ preview.codes.join(' ') }}</p>
    </div>
    <Failed :failure="failure" />
    <p class="do">
      <button class="button primary" :disabled="busy || !name.trim() || wrongAmount">
        {{ own ? 'Keep it' : 'Keep the universe' }}
      </button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
    </p>
  </form>
</template>

<style scoped>
.form {
  border: 1px solid var(--accent);
  padding: 4px 14px 10px;
  margin-bottom: 12px;
}
.name {
  width: 22ch;
}
.few {
  width: 8ch;
}
.by {
  width: 14ch;
}
.codes {
  width: 100%;
  box-sizing: border-box;
}
.where {
  margin: 6px 0 2px;
}
.part {
  white-space: nowrap;
  margin-left: 6px;
}
.part button {
  font: inherit;
  color: var(--quiet);
  background: none;
  border: 0;
  min-width: 24px;
  min-height: 24px;
  cursor: pointer;
}
.do {
  display: flex;
  gap: 10px;
}
.preview {
  margin: 8px 0;
}
.preview.old {
  opacity: 0.55;
}
.all {
  max-height: 64px;
  overflow: auto;
  font-size: 12px;
  margin: 4px 0;
}
</style>
