<script setup lang="ts">
import { watchDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { instrumentAt, reviewAt } from '@/shared/addresses'
import { answer, type Schemas } from '@/shared/api'
import { barTime, day, figure, moment, plural, price, sides, signed } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import ListOut, { type Columns } from '@/shared/ListOut.vue'
import type { operations } from '@/generated/api'
import { VERDICTS, type VerdictName } from './reasons'
import { useMoment, useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const looksFrom = useMoment()

/** What did I take, what do I watch, and what became of it? */
type Setup = Schemas['Decided']
type Sort = NonNullable<operations['get_verdicts']['parameters']['query']>['sort']
const SIZE = 100
const MOST = 20_000
const NAMES = { take: 'Taken', watch: 'Watched', drop: 'Dropped' } as const
interface Head {
  key: string
  name: string
  told?: string
  number?: boolean
  /** First sorted from the largest. */
  down?: boolean
}
const HEADS: Head[] = [
  { key: 'code', name: 'Code' },
  { key: 'name', name: 'Name' },
  { key: 'side', name: 'Side' },
  { key: 'sieve', name: 'Sieve' },
  { key: 'timeframe', name: 'Bars' },
  { key: 'fired_at', name: 'Fired', down: true },
  { key: 'decided_at', name: 'Decided', down: true },
  { key: 'reason', name: 'Reason and note' },
  { key: 'close', name: 'Close then', number: true, told: 'The close of the bar of the signal' },
  { key: 'now', name: 'Now', number: true, down: true },
  {
    key: 'move',
    name: 'Since %',
    number: true,
    down: true,
    told: 'From the close of the bar of the signal',
  },
  { key: 'far_for', name: 'Furthest for %', number: true, down: true, told: "The setup's way" },
  {
    key: 'far_against',
    name: 'against %',
    number: true,
    down: true,
    told: 'The other way, at its worst',
  },
  { key: 'bars', name: 'Bars since', number: true, down: true },
]
const route = useRoute()
const router = useRouter()
const one = (name: string) => String(route.query[name] ?? '')
const shown = computed<VerdictName>(
  () => VERDICTS.find((kind) => kind === route.query.show) ?? 'take',
)
const sort = computed(
  () => (HEADS.find((head) => head.key === route.query.sort)?.key ?? 'decided_at') as Sort,
)
const down = computed(() => one('down') !== 'no')
const at = computed(() => Math.max(0, Number(one('at')) || 0))
const words = ref(one('words'))
const turn = (part: Record<string, string | undefined>) =>
  router.replace({ query: { ...route.query, at: undefined, ...part } })
watchDebounced(words, (now) => turn({ words: now.trim() || undefined }), { debounce: 180 })

const query = computed(() => ({
  verdict: shown.value,
  words: one('words'),
  sort: sort.value,
  down: down.value,
  at: at.value,
  size: SIZE,
}))
const ask = (own: Omit<typeof query.value, 'size'> & { size: number }) =>
  answer(server.GET('/api/verdicts', { params: { query: own } }))
const setupsRead = useRead(() => {
  const params = { query: query.value }
  return {
    of: keys.verdicts(params.query),
    read: (server) => answer(server.GET('/api/verdicts', { params })),
    keeps: true,
    staleTime: 0,
  }
})
const { data, isError } = setupsRead
const setups = computed(() => data.value?.setups ?? [])
const decided = computed(() => VERDICTS.reduce((n, kind) => n + (data.value?.counts[kind] ?? 0), 0))

const sortBy = (head: Head) =>
  turn({
    sort: head.key,
    down: (sort.value === head.key ? !down.value : Boolean(head.down)) ? undefined : 'no',
  })
const sortState = (head: Head) =>
  sort.value !== head.key ? 'none' : down.value ? 'descending' : 'ascending'
const percent = (value: number | null) => (value === null ? '–' : signed(value, 1))
/** Whether a move went the setup's way. */
const wayOf = (own: Setup) =>
  !own.since.move ? '' : own.since.move > 0 === (own.side === 'long') ? 'rise' : 'fall'

async function columns(): Promise<Columns> {
  const all = (await ask({ ...query.value, at: 0, size: MOST })).setups
  const of = <T,>(value: (own: Setup) => T) => all.map(value)
  return {
    code: of((s) => s.code),
    name: of((s) => s.name),
    side: of((s) => s.side),
    sieve: of((s) => s.sieve),
    timeframe: of((s) => s.timeframe),
    run_id: of((s) => s.run_id),
    as_of: of((s) => s.as_of),
    fired_at: of((s) => new Date(s.fired_at * 1000).toISOString()),
    bar_at: of((s) => new Date(s.bar_at * 1000).toISOString()),
    close: of((s) => s.close),
    verdict: of((s) => s.verdict),
    reason: of((s) => s.reason),
    note: of((s) => s.note),
    decided_at: of((s) => s.decided_at),
    now: of((s) => s.since.now),
    move: of((s) => s.since.move),
    far_for: of((s) => s.since.far_for),
    far_against: of((s) => s.since.far_against),
    bars: of((s) => s.since.bars),
  }
}

const row = ref(0)
watch(setups, (now) => (row.value = Math.max(0, Math.min(row.value, now.length - 1))))
const open = (own: Setup | undefined) => own && router.push(reviewAt(own.run_id, own.id))
const field = ref<HTMLInputElement>()
const step = (by: number) => {
  row.value = Math.max(0, Math.min(setups.value.length - 1, row.value + by))
  document.querySelector(`[data-row="${row.value}"]`)?.scrollIntoView({ block: 'nearest' })
}
const page = (by: number) => {
  const to = at.value + by * SIZE
  if (to >= 0 && to < (data.value?.matching ?? 0)) void turn({ at: to ? String(to) : undefined })
}
useKeys([
  { key: 'ArrowDown', does: 'next setup', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'setup before', repeats: true, run: () => step(-1) },
  { key: 'Enter', does: 'open it on the review desk', run: () => open(setups.value[row.value]) },
  { key: '/', does: 'filter', run: () => field.value?.focus() },
  { key: 't', does: 'those taken', run: () => turn({ show: undefined }) },
  { key: 'w', does: 'those watched', run: () => turn({ show: 'watch' }) },
  { key: 'd', does: 'those dropped', run: () => turn({ show: 'drop' }) },
  { key: 'ArrowRight', does: 'the next hundred', run: () => page(1) },
  { key: 'ArrowLeft', does: 'the hundred before', run: () => page(-1) },
])
</script>

<template>
  <main class="page">
    <p class="sentence">
      <template v-if="data">
        {{ plural(decided, 'setup') }} decided in all runs; prices are those of
        {{ looksFrom ? moment(looksFrom) : 'now' }}, on the bars of each setup.
      </template>
      <template v-else-if="!isError">Reading what was decided …</template>
      <ListOut v-if="data?.matching" :name="NAMES[shown]" :columns="columns" />
    </p>
    <div class="tabs">
      <div role="tablist" class="tablist">
        <button
          v-for="kind in VERDICTS"
          :key="kind"
          role="tab"
          :aria-selected="shown === kind"
          @click="turn({ show: kind })"
        >
          {{ NAMES[kind] }} {{ data?.counts[kind] ?? '' }} <kbd>{{ kind[0] }}</kbd>
        </button>
      </div>
      <input
        ref="field"
        v-model="words"
        class="field filter"
        placeholder="Filter: code, sieve, reason, note…  /"
        aria-label="Filter setups"
        @keydown.esc="field?.blur()"
        @keydown.enter="field?.blur()"
      />
    </div>
    <Reply :of="setupsRead" what="The setups can't be shown" reading="" :empty="!data?.matching">
      <template #empty
        ><p v-if="!decided" class="empty">
          Nothing is decided yet. Hits are taken, watched and dropped when a
          <RouterLink to="/runs">run</RouterLink> is reviewed.
        </p>
        <p v-else class="empty">
          {{ words ? `None of them fits “${words}”.` : `None is ${NAMES[shown].toLowerCase()}.` }}
        </p></template
      >
      <div class="scroll">
        <table class="ledger">
          <thead>
            <tr>
              <th
                v-for="head in HEADS"
                :key="head.key"
                :class="{ number: head.number }"
                :aria-sort="sortState(head)"
              >
                <button class="sort" :title="head.told" @click="sortBy(head)">
                  {{ head.name }}
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="(own, n) in setups"
              :key="own.id"
              class="open"
              :class="{ chosen: n === row }"
              :aria-selected="n === row"
              :data-row="n"
              @click="row = n"
              @dblclick="open(own)"
            >
              <td class="mono">
                <RouterLink :to="reviewAt(own.run_id, own.id)">{{ own.code }}</RouterLink>
              </td>
              <td class="name">
                <RouterLink class="plainly" :to="instrumentAt(own.code)">{{ own.name }}</RouterLink>
              </td>
              <td>
                <abbr :title="own.side" :aria-label="own.side">{{ sides([own.side])[0] }}</abbr>
              </td>
              <td class="wrap">{{ own.sieve }}</td>
              <td class="mono">{{ own.timeframe }}</td>
              <td>{{ barTime(own.fired_at) }}</td>
              <td :title="moment(own.decided_at)">{{ day(Date.parse(own.decided_at) / 1000) }}</td>
              <td class="wrap words" :title="own.note">
                {{ own.reason }} <span class="quiet">{{ own.note }}</span>
              </td>
              <td class="number">{{ price(own.close, own.tick) }}</td>
              <td class="number">
                {{ own.since.now === null ? '–' : price(own.since.now, own.tick) }}
              </td>
              <td class="number" :class="wayOf(own)">{{ percent(own.since.move) }}</td>
              <td class="number">{{ percent(own.since.far_for) }}</td>
              <td class="number">
                {{ own.since.far_against === null ? '–' : percent(-own.since.far_against) }}
              </td>
              <td class="number">{{ figure(own.since.bars) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="data && data.matching > SIZE" class="pages">
        <button class="button" :disabled="at === 0" @click="page(-1)">← before</button>
        {{ at + 1 }} to {{ at + setups.length }} of {{ data.matching }}
        <button class="button" :disabled="at + SIZE >= data.matching" @click="page(1)">
          next →
        </button>
      </p>
    </Reply>
  </main>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.words {
  min-width: 180px;
  max-width: 320px;
}
.name {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.plainly {
  color: inherit;
  text-decoration: none;
}
.pages {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
</style>
