<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, type Schemas } from '@/shared/api'
import { instrumentAt } from '@/shared/addresses'
import { asSentence, barTime, fixed, plural, signed, whole, wholeWithin } from '@/shared/format'
import InlineText from '@/shared/InlineText.vue'
import { useKeys } from '@/shared/keys'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'
import { plain, useDraft } from './draft'
import Spread from './Spread.vue'
import WayThere from './WayThere.vue'

/** What did this sieve do, and how far can it be relied on? */
const route = useRoute()
const router = useRouter()
const id = computed(() => String(route.params.id))
const { draft, ready, loaded, changed } = useDraft(id)

type Settings = Schemas['EvidenceSettings']
const COUNTED = ['began', 'every', 'apart'] as const
const STARTS = ['next_open', 'close'] as const
/** The horizons that are told beside the one that is looked at. */
const BESIDE = ['5', '10', 'session', '3 sessions']
const oneOf = <T extends string>(all: readonly T[], text: unknown): T =>
  all.find((own) => own === text) ?? all[0]!
const counted = computed(() => oneOf(COUNTED, route.query.counted))
const starts = computed(() => oneOf(STARTS, route.query.from))
const apart = computed(() => wholeWithin(String(route.query.apart ?? ''), 1, 10_000) ?? 5)
const horizon = computed(() => String(route.query.ahead ?? '10'))
const later = computed(() =>
  horizon.value === 'session' ? 'session' : horizon.value.includes(' ') ? 'sessions' : 'bars',
)
const many = computed(() => parseInt(horizon.value, 10) || 3)
const settings = computed<Settings>(() => ({
  counted: counted.value,
  apart: counted.value === 'apart' ? apart.value : 0,
  from: starts.value,
  horizons: [...new Set([horizon.value, ...BESIDE])],
  format: 'zealous-sieve/evidence/1',
  seed: 11,
  resamples: 2000,
  trade: null,
}))
function change(query: Record<string, string>) {
  void router.replace({ query: { ...route.query, ...query } })
}
const selected = (event: Event) => (event.target as HTMLSelectElement).value
function lookAhead(kind: string, count: number) {
  const text = { bars: `${count}`, session: 'session', sessions: `${count} sessions` }[kind]
  change({ ahead: text ?? '10' })
}
function setMany(text: string) {
  const count = wholeWithin(text, 1, 10_000)
  if (count) lookAhead(later.value, count)
}
function setApart(text: string) {
  const count = wholeWithin(text, 1, 10_000)
  if (count) change({ apart: String(count) })
}

const question = computed(() => ({ sieve: plain(draft.value), settings: settings.value }))
const page = useRead(() => ({
  of: keys.evidence(question.value),
  enabled: ready.value,
  keeps: true,
  read: (server, signal) =>
    answer(server.POST('/api/preview/evidence/page', { body: question.value, signal })),
}))
const told = computed(() => page.data.value)
const isOld = computed(() => page.isPlaceholderData.value)

const words = ref('')
type Column = 'code' | 'time' | 'side' | 'percent' | 'far_for' | 'far_against'
const COLUMNS: { name: Column; title: string }[] = [
  { name: 'code', title: 'Code' },
  { name: 'time', title: 'Bar' },
  { name: 'side', title: 'Side' },
  { name: 'percent', title: 'Result' },
  { name: 'far_for', title: 'Furthest for' },
  { name: 'far_against', title: 'Furthest against' },
]
const sorted = ref<{ by: Column; up: boolean }>({ by: 'time', up: false })
const AT_ONCE = 100
const room = ref(AT_ONCE)
function sortBy(by: Column) {
  sorted.value = { by, up: sorted.value.by === by ? !sorted.value.up : by === 'code' }
  room.value = AT_ONCE
}
const fitting = computed(() => {
  const wanted = words.value.trim().toLowerCase()
  const list = told.value?.cases.filter((own) => own.code.toLowerCase().includes(wanted)) ?? []
  const { by, up } = sorted.value
  // What has no number comes last, whichever way.
  return [...list].sort((a, b) => {
    const [x, y] = [a[by], b[by]]
    if (x === null || y === null) return Number(x === null) - Number(y === null)
    const order = typeof x === 'string' ? x.localeCompare(String(y)) : x - Number(y)
    return up ? order : -order
  })
})
const sortState = (by: Column) =>
  sorted.value.by !== by ? undefined : sorted.value.up ? 'ascending' : 'descending'
const percent = (value: number | null | undefined, digits = 2) =>
  value === null || value === undefined ? '–' : `${signed(value, digits)} %`
const share = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : `${whole(100 * value)} %`
const between = (
  [low, high]: readonly (number | null)[],
  tell: (value: number | null | undefined) => string,
) =>
  low === null || low === undefined || high === undefined
    ? ''
    : `${tell(low).replace(' %', '')} to ${tell(high)}`
const chance = (p: number | null) => (p === null ? '–' : p < 0.001 ? '< 0.001' : p.toFixed(3))
const far = (value: number | null) => (value === null ? '–' : `${fixed(value, 2)} %`)
const ofAll = computed(() => {
  const { cases, signals } = told.value ?? { cases: [], signals: 0 }
  return cases.length < signals ? `, of the newest ${whole(cases.length)} of ${whole(signals)}` : ''
})
const WHEN = { session: 'end of the session' } as Record<string, string>
const when = (text: string) =>
  WHEN[text] ?? (text.includes(' ') ? text : `${text} bar${text === '1' ? '' : 's'}`)
const filter = ref<HTMLInputElement>()
useKeys([
  { key: '/', does: 'find a signal by its code', run: () => filter.value?.focus() },
  { key: 'i', does: 'back to the sieve', run: () => void router.push(`/sieves/${id.value}`) },
])
</script>

<template>
  <main class="page">
    <Reply v-if="id !== 'new'" :of="loaded" what="The sieve can't be shown" />
    <p class="sentence">
      Of
      <RouterLink :to="`/sieves/${id}`" title="Back to the sieve">{{
        draft.name || 'a sieve without a name'
      }}</RouterLink>
      <span v-if="changed" class="quiet" title="As it stands on its page, not saved">
        (changed)</span
      >
      count
      <select
        class="inline-part"
        aria-label="Which signals count"
        :value="counted"
        @change="change({ counted: selected($event) })"
      >
        <option value="began">each signal as it begins</option>
        <option value="every">every bar on which it holds</option>
        <option value="apart">signals some bars apart</option></select
      ><template v-if="counted === 'apart'"
        >, at least
        <InlineText :value="String(apart)" :least="3" aria-label="Bars apart" @take="setApart" />
        bars </template
      >; look
      <InlineText
        v-if="later !== 'session'"
        :value="String(many)"
        :least="3"
        aria-label="How far ahead"
        @take="setMany"
      />
      <select
        class="inline-part"
        aria-label="Ahead by"
        :value="later"
        @change="lookAhead(selected($event), many)"
      >
        <option value="bars">bars ahead</option>
        <option value="session">to the end of the session</option>
        <option value="sessions">sessions ahead</option>
      </select>
      from
      <select
        class="inline-part"
        aria-label="Results count from"
        :value="starts"
        @change="change({ from: selected($event) })"
      >
        <option value="next_open">the open of the next bar</option>
        <option value="close">its own close, which nobody could have traded</option></select
      >.
    </p>
    <Reply :of="page" what="What followed can't be told" reading="Looking at all signals …">
      <div v-if="told" :class="{ old: isOld }" :aria-busy="isOld">
        <h2 class="answer">{{ told.sentence }}</h2>
        <p v-for="note in told.notes" :key="note" class="quiet note">{{ asSentence(note) }}</p>
        <template v-if="told.signals">
          <div v-if="told.followed[0]?.count" class="drawings">
            <section>
              <h2>Results after {{ when(told.followed[0].horizon) }}</h2>
              <Spread :of="told.distribution" label="How results are spread" />
            </section>
            <section>
              <h2>The way there</h2>
              <WayThere :of="told.path" label="Mean and middle half of results, bar by bar" />
            </section>
          </div>
          <table class="ledger figures">
            <caption class="visually-hidden">
              What followed, by how far is looked ahead
            </caption>
            <thead>
              <tr>
                <th>Ahead</th>
                <th class="number">Results</th>
                <th
                  class="number"
                  title="Independent cases that they are worth: signals come together"
                >
                  Worth
                </th>
                <th class="number way">{{ told.way }}</th>
                <th class="number">Between</th>
                <th class="number">Anybody then</th>
                <th class="number">Mean</th>
                <th class="number">Between</th>
                <th class="number">Anybody then</th>
                <th class="number">More by</th>
                <th class="number">Between</th>
                <th class="number" title="How often chance alone makes as large a difference">p</th>
                <th class="number" title="Mean of the furthest that prices went for the side">
                  For
                </th>
                <th class="number" title="Mean of the furthest that prices went against it">
                  Against
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="f in told.followed" :key="f.horizon" :class="{ few: !f.is_enough }">
                <td>{{ when(f.horizon) }}</td>
                <td class="number" :title="f.open ? `${whole(f.open)} are not over yet` : ''">
                  {{ whole(f.count) }}
                </td>
                <td class="number">{{ f.cases === null ? '–' : whole(f.cases) }}</td>
                <td class="number">{{ share(f.rate) }}</td>
                <td class="number quiet">{{ between(f.rate_interval, share) }}</td>
                <td class="number">{{ share(f.anybody_rate) }}</td>
                <td class="number">{{ percent(f.mean) }}</td>
                <td class="number quiet">{{ between(f.mean_interval, percent) }}</td>
                <td class="number">{{ percent(f.anybody_mean) }}</td>
                <td class="number">{{ percent(f.difference) }}</td>
                <td class="number quiet">{{ between(f.difference_interval, percent) }}</td>
                <td class="number">{{ chance(f.p) }}</td>
                <td class="number">{{ far(f.far_for) }}</td>
                <td class="number">{{ far(f.far_against) }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="told.followed.some((f) => !f.is_enough)" class="quiet note">
            Grey: too few to tell, under 20 independent cases.
          </p>
          <div class="bar">
            <h2>{{ plural(fitting.length, 'signal') }}{{ ofAll }}</h2>
            <input
              ref="filter"
              v-model="words"
              class="field"
              placeholder="Find by code  /"
              aria-label="Find a signal by its code"
            />
          </div>
          <table class="ledger cases">
            <thead>
              <tr>
                <th
                  v-for="c in COLUMNS"
                  :key="c.name"
                  :class="{ number: c.name !== 'code' && c.name !== 'side' }"
                  :aria-sort="sortState(c.name)"
                >
                  <button class="sort" @click="sortBy(c.name)">{{ c.title }}</button>
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="c in fitting.slice(0, room)" :key="`${c.code} ${c.time} ${c.side}`">
                <td>
                  <RouterLink
                    class="mono"
                    :to="{
                      path: instrumentAt(c.code),
                      query: { bars: draft.timeframes[0], at: c.time },
                    }"
                    >{{ c.code }}</RouterLink
                  >
                </td>
                <td class="number">{{ barTime(c.time) }}</td>
                <td>{{ c.side === 'long' ? '▲ long' : '▼ short' }}</td>
                <td
                  class="number"
                  :title="c.percent === null ? 'not over yet, or without a price' : ''"
                >
                  {{ percent(c.percent) }}
                </td>
                <td class="number">{{ far(c.far_for) }}</td>
                <td class="number">{{ far(c.far_against) }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="!fitting.length" class="empty">No signal fits “{{ words }}”.</p>
          <button v-if="fitting.length > room" class="button" @click="room += AT_ONCE">
            {{ whole(Math.min(AT_ONCE, fitting.length - room)) }} more
          </button>
        </template>
      </div>
    </Reply>
  </main>
</template>

<style scoped>
.way::first-letter {
  text-transform: uppercase;
}
h2 {
  font-size: 14px;
  margin: 6px 0;
}
h2.answer {
  font-size: 19px;
  font-weight: 600;
  margin: 10px 0 4px;
}
.old {
  opacity: 0.45;
}
.note {
  margin: 0 0 2px;
}
.drawings {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 24px;
  margin: 8px 0;
}
@media (max-width: 900px) {
  .drawings {
    grid-template-columns: minmax(0, 1fr);
  }
}
.figures {
  display: block;
  overflow-x: auto;
}
.few td {
  color: var(--quiet);
}
.bar {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin-top: 14px;
}
.cases {
  width: auto;
}
.cases td,
.cases th {
  padding-right: 22px;
}
</style>
