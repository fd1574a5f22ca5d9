<script setup lang="ts">
import { computed, ref } from 'vue'
import { useFirstField } from '@/shared/firstField'
import { useAct } from '@/shared/act'
import { amount } from '@/shared/amount'
import { answer, type Schemas } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { plural } from '@/shared/format'
import { useVenues } from '@/shared/queries'
import { done } from '@/shared/undo'
import { useServer } from '@/shared/moment'
import { useReadAnew } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

type Own = Pick<
  Schemas['InstrumentSummary'],
  'code' | 'name' | 'kind' | 'sector' | 'venue' | 'currency' | 'tick'
>
type Described = Schemas['Described-Input']

/** What instruments are, said of many at once; what is left empty stays as it is. */
const props = defineProps<{ own: readonly Own[] }>()
const emit = defineEmits<{ close: []; kept: [] }>()
const KINDS = ['share', 'cross', 'future', 'index', 'gauge', 'other'] as const
const one = computed(() => (props.own.length === 1 ? props.own[0] : undefined))
const what = computed(() => one.value?.code ?? plural(props.own.length, 'instrument'))
const NOTHING: Omit<Described, 'code'> = {
  name: null,
  kind: null,
  venue: null,
  currency: null,
  tick: null,
  point_value: null,
}
/** What all of them have; empty where they differ. */
const common = (field: keyof Own) => {
  const [first, ...others] = new Set(props.own.map((own) => String(own[field])))
  return others.length ? '' : (first ?? '')
}
const before = {
  name: common('name'),
  kind: common('kind'),
  sector: common('sector'),
  venue: common('venue'),
  currency: common('currency'),
  tick: common('tick'),
  base: '',
  quote: '',
}
const said = ref({ ...before })
const venues = useVenues()
const changed = computed(() => {
  const now = said.value
  const differs = (field: keyof typeof before) => now[field].trim() !== before[field]
  const part: Omit<Described, 'code'> = { ...NOTHING }
  const facts: Record<string, string> = {}
  if (one.value && differs('name')) part.name = now.name
  if (now.kind && differs('kind')) part.kind = now.kind as Described['kind']
  if (differs('venue')) part.venue = now.venue
  if (differs('currency')) part.currency = now.currency
  if (now.tick && differs('tick')) part.tick = amount(now.tick) ?? 0
  for (const fact of ['sector', 'base', 'quote'] as const)
    if (differs(fact)) facts[fact] = now[fact].trim()
  if (Object.keys(facts).length) part.facts = facts
  return part
})
const any = computed(() => JSON.stringify(changed.value) !== JSON.stringify(NOTHING))

const { act, busy, failure } = useAct()
async function send(described: Described[]) {
  const replaced = await answer(server.PUT('/api/instruments', { body: { described } }))
  await readAnew()
  return replaced as Described[]
}
const keep = () =>
  act('Not kept', async () => {
    if (!any.value) return
    const told = `What ${what.value} ${one.value ? 'is' : 'are'} is kept.`
    const replaced = await send(props.own.map(({ code }) => ({ code, ...changed.value })))
    emit('kept')
    done(told, async () => void (await send(replaced)))
  })
const form = ref<HTMLElement>()
useFirstField(form)
</script>

<template>
  <form
    ref="form"
    class="form"
    aria-label="What they are"
    @submit.prevent="keep"
    @keydown.esc="emit('close')"
  >
    <p class="sentence">
      {{ what }} {{ one ? 'is' : 'are' }}
      <select v-model="said.kind" class="inline-part" aria-label="Kind">
        <option v-if="!before.kind" value="">what they are</option>
        <option v-if="said.kind === 'pair'">pair</option>
        <option v-for="kind in KINDS" :key="kind">{{ kind }}</option>
      </select>
      <template v-if="one"
        >, called
        <input v-model="said.name" class="inline-part wide" aria-label="Name" maxlength="120" />
      </template>
      <template v-if="said.kind === 'cross'"
        >, pricing
        <input v-model="said.base" class="inline-part" aria-label="Base currency" maxlength="20" />
        in
        <input
          v-model="said.quote"
          class="inline-part"
          aria-label="Quote currency"
          maxlength="20"
        />
      </template>
      , of the sector
      <input v-model="said.sector" class="inline-part" aria-label="Sector" maxlength="120" />,
      priced in
      <input
        v-model="said.currency"
        class="inline-part short"
        aria-label="Currency"
        maxlength="20"
      />
      by steps of
      <input
        v-model="said.tick"
        class="inline-part short"
        aria-label="Step"
        inputmode="decimal"
        maxlength="20"
      />, traded
      <select v-model="said.venue" class="inline-part" aria-label="Venue">
        <option value="">{{ before.venue || one ? 'nowhere said' : 'as they are' }}</option>
        <option v-for="venue in venues.data.value" :key="venue.name" :value="venue.name">
          at {{ venue.name }}
        </option>
      </select>
      .
      <button class="button primary" :disabled="!any || busy">Keep</button>
      <button class="button plain" type="button" @click="emit('close')">close</button>
    </p>
    <p v-if="!one" class="quiet">What is left empty stays as it is with each of them.</p>
    <Failed :failure="failure" />
  </form>
</template>

<style scoped>
input {
  width: 11ch;
}
.wide {
  width: 24ch;
}
.short {
  width: 7ch;
}
p {
  margin: 4px 0;
}
form .sentence {
  font-size: 15px;
}
</style>
