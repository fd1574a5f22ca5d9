<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ElProgress } from 'element-plus'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer, api } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { barTime, figure, moment, plural, price } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import Mesh from '@/shared/Mesh.vue'
import PriceTail from '@/shared/PriceTail.vue'
import { useHits, useRun } from '@/shared/queries'
import Funnel from './Funnel.vue'
import { useProgress } from './progress'
import { filtered, sorted, type Column } from './sorting'
import { useStartRun } from './startRun'

/** What came out, what is new, why not others? */
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const id = computed(() => Number(route.params.id))
const view = useRun(id)
const run = computed(() => view.data.value?.run)
const hits = useHits(id, () => run.value?.state === 'done')
const running = computed(() => ['queued', 'running'].includes(run.value?.state ?? ''))
const progress = useProgress(id, running)
const startRun = useStartRun()

const words = ref('')
const column = ref<Column>('place')
const down = ref(false)
const shown = computed(() =>
  sorted(filtered(hits.data.value ?? [], words.value), column.value, down.value),
)
const names = computed(() => run.value?.sieve.conditions.map((c) => c.formula) ?? [])
const at = ref(0)
watch(shown, () => (at.value = Math.min(at.value, Math.max(0, shown.value.length - 1))))
const chosen = computed(() => shown.value[at.value])

const tab = ref<'hits' | 'undecided' | 'stale' | 'gone'>('hits')
const tabs = computed(() => {
  const v = view.data.value
  const count = (list?: readonly unknown[]) => list?.length ?? ''
  return [
    { key: 'hits', name: `Hits ${count(hits.data.value)}` },
    { key: 'undecided', name: `Undecided ${count(v?.undecided)}` },
    { key: 'stale', name: `Stale ${count(v?.stale)}` },
    { key: 'gone', name: `Gone ${v?.compared_with ? count(v.gone) : '–'}` },
  ] as const
})
const TAB_HELP = {
  hits: '',
  undecided: 'A condition that decides is unknown for them, so they neither pass nor fail.',
  stale:
    'Their venue has traded for five sessions (on bars shorter than a day, two) without any data of them; not sifted.',
  gone: 'Passed in the run compared with, and does not now.',
}
const codesShown = computed(
  () => (tab.value === 'stale' ? view.data.value?.stale : view.data.value?.gone) ?? [],
)
/** Undecided instruments by what is missing, the most first. */
const causes = computed(() => {
  const found = new Map<string, { cause: string; words: string; n: number; codes: string[] }>()
  for (const one of view.data.value?.undecided ?? []) {
    const key = `${one.cause} ${one.condition} ${one.words}`
    const entry = found.get(key) ?? {
      cause: one.cause,
      words: one.words,
      n: one.condition,
      codes: [],
    }
    entry.codes.push(one.code)
    found.set(key, entry)
  }
  return [...found.values()].sort((a, b) => b.codes.length - a.codes.length)
})

const COLUMNS: { key: Column; name: string; number?: boolean; title?: string }[] = [
  { key: 'place', name: '#', number: true },
  { key: 'code', name: 'Code' },
  { key: 'name', name: 'Name' },
]
interface Head {
  key: Column
  name: string
  number?: boolean
  title?: string
}
const COLUMNS_AFTER = computed<Head[]>(() => [
  { key: 'close', name: 'Judged', number: true, title: 'Close of the bar that was judged' },
  { key: 'now', name: 'Now', number: true, title: 'Close of the newest bar' },
  { key: 'score', name: 'Score', number: true, title: 'Weights of the boosts that are yes' },
  {
    key: 'rank',
    name: rankName.value,
    number: true,
    title: `Ranked by ${run.value?.sieve.rank || 'nothing but the score'}, the largest first`,
  },
  { key: 'age', name: 'Age', number: true, title: 'Bars since the setup began to hold' },
  { key: 'news', name: 'News', title: 'Against the run compared with' },
  { key: 'verdict', name: 'Verdict' },
])
/** The formula ranked by, as far as a column has room for it. */
const rankName = computed(() => {
  const text = run.value?.sieve.rank ?? ''
  return text.length > 22 ? `${text.slice(0, 20)}…` : text || 'no rank'
})
function sortBy(key: Column) {
  down.value = column.value === key ? !down.value : ['score', 'rank', 'close'].includes(key)
  column.value = key
}
const sortState = (key: Column) =>
  column.value !== key ? 'none' : down.value ? 'descending' : 'ascending'

const field = ref<HTMLInputElement>()
function step(by: number) {
  at.value = Math.max(0, Math.min(shown.value.length - 1, at.value + by))
  nextTick(() => document.querySelector('tr.chosen')?.scrollIntoView({ block: 'nearest' }))
}
const review = (code?: string) => router.push(`/runs/${id.value}/review${code ? `/${code}` : ''}`)
const { act, busy, failure } = useAct()
const cancel = () =>
  act('Not cancelled', async () => {
    const path = { params: { path: { run_id: id.value } } }
    await answer(api.POST('/api/runs/{run_id}/cancel', path))
    await client.invalidateQueries({ queryKey: ['run', id.value] })
  })
const again = () =>
  act("The run can't begin", async () => run.value && startRun(run.value.sieve_id))
useKeys([
  { key: 'ArrowDown', does: 'next hit', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'hit before', repeats: true, run: () => step(-1) },
  { key: 'Enter', does: 'review the hit', run: () => chosen.value && review(chosen.value.code) },
  { key: '/', does: 'filter', run: () => field.value?.focus() },
  { key: 'r', does: 'run again', run: again },
])
const pick = (n: number) => (at.value = n)
</script>

<template>
  <main class="page">
    <ErrorNote
      v-if="view.isError.value"
      :error="view.error.value"
      what="The run can't be shown"
      @retry="view.refetch()"
    />
    <p v-else-if="!run" class="quiet">reading…</p>
    <template v-else>
      <div class="head">
        <p v-if="run.state === 'done'" class="sentence">
          <b>{{ hits.data.value?.length ?? '…' }}</b> of {{ view.data.value?.instruments }} in
          {{ run.sieve.universe }} pass
          <RouterLink :to="`/sieves/${run.sieve_id}`">{{ run.sieve.name }}</RouterLink>
          {{ run.sieve.side === 'long' ? '▲ long' : '▼ short' }} on
          {{ run.sieve.timeframe }} bars<template v-if="run.sieve.forming"
            >, the forming one included</template
          >, as of {{ moment(run.as_of) }}.
          <template v-if="view.data.value?.compared_with">
            {{ view.data.value.new }} new since {{ moment(view.data.value.compared_with) }},
            {{ view.data.value.gone.length }} gone.
          </template>
          <span v-else class="quiet"
            >Nothing to compare with: {{ view.data.value?.not_compared }}.</span
          >
          <template v-if="view.data.value?.undecided.length">
            {{ view.data.value.undecided.length }}
            {{ view.data.value.undecided.length === 1 ? 'is' : 'are' }} undecided.
          </template>
          <span v-if="view.data.value?.changed_since.length" class="warn">
            Since this run the sieve was changed: {{ view.data.value.changed_since.join(', ') }}.
          </span>
        </p>
        <p v-else-if="running" class="sentence" aria-live="polite">
          Sifting {{ run.sieve.universe }} with <b>{{ run.sieve.name }}</b>:
          {{ progress?.done ?? run.done }} of {{ progress?.total ?? run.total }} instruments.
          <ElProgress
            class="progress"
            :percentage="Math.round((100 * (progress?.done ?? 0)) / (progress?.total || 1))"
            aria-label="Progress"
          />
          <button class="button" :disabled="busy" @click="cancel">Cancel</button>
        </p>
        <p v-else class="sentence" role="alert">
          This run of
          <RouterLink :to="`/sieves/${run.sieve_id}`">{{ run.sieve.name }}</RouterLink> was
          <b class="fall">{{ run.state }}</b>: {{ run.reason }}.
        </p>
        <button class="button" :disabled="busy" @click="again">Run again <kbd>r</kbd></button>
        <button v-if="hits.data.value?.length" class="button primary" @click="review(chosen?.code)">
          Review <kbd>⏎</kbd>
        </button>
      </div>
      <ErrorNote
        v-if="failure"
        :error="failure.error"
        :what="failure.what"
        @retry="failure.again"
      />
      <ErrorNote
        v-if="hits.isError.value"
        :error="hits.error.value"
        what="The hits can't be shown"
        @retry="hits.refetch()"
      />
      <template v-if="run.state === 'done' && view.data.value">
        <Funnel :view="view.data.value" />
        <div class="tabs">
          <div role="tablist" class="tablist">
            <button
              v-for="t in tabs"
              :key="t.key"
              role="tab"
              :aria-selected="tab === t.key"
              @click="tab = t.key"
            >
              {{ t.name }}
            </button>
          </div>
          <input
            v-if="tab === 'hits'"
            ref="field"
            v-model="words"
            class="field filter"
            placeholder="Filter: code, name, new, open, take…  /"
            aria-label="Filter hits"
            @keydown.esc="field?.blur()"
            @keydown.enter="field?.blur()"
          />
        </div>
        <template v-if="tab === 'hits'">
          <p v-if="hits.data.value?.length === 0" class="empty">
            Nothing passed. The funnel shows which condition cut most;
            <RouterLink :to="`/sieves/${run.sieve_id}`">loosen it</RouterLink> and run again.
          </p>
          <p v-else-if="hits.data.value && !shown.length" class="empty">No hit fits the filter.</p>
          <div v-else class="both">
            <div class="scroll">
              <table class="ledger">
                <thead>
                  <tr>
                    <th
                      v-for="c in COLUMNS"
                      :key="c.key"
                      :class="{ number: c.number }"
                      :aria-sort="sortState(c.key)"
                    >
                      <button class="sort" :title="c.title" @click="sortBy(c.key)">
                        {{ c.name }}
                      </button>
                    </th>
                    <th>Mesh</th>
                    <th>60 bars</th>
                    <th
                      v-for="c in COLUMNS_AFTER"
                      :key="c.key"
                      :class="{ number: c.number }"
                      :aria-sort="sortState(c.key)"
                    >
                      <button class="sort" :title="c.title" @click="sortBy(c.key)">
                        {{ c.name }}
                      </button>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  <tr
                    v-for="(hit, n) in shown"
                    :key="hit.code"
                    class="open"
                    :class="{ chosen: n === at }"
                    :aria-selected="n === at"
                    @click="pick(n)"
                    @dblclick="review(hit.code)"
                  >
                    <td class="number quiet">{{ hit.place }}</td>
                    <td class="mono">
                      <RouterLink :to="`/runs/${id}/review/${hit.code}`">{{ hit.code }}</RouterLink>
                    </td>
                    <td class="name">{{ hit.name }}</td>
                    <td><Mesh :cells="hit.cells" :names="names" /></td>
                    <td><PriceTail :closes="hit.tail" :signal="hit.fired_in_tail" /></td>
                    <td class="number">
                      <abbr
                        v-if="hit.provisional"
                        title="Provisional: it rests on a bar that has not closed, and may change until it does"
                        >~</abbr
                      >{{ price(hit.close, hit.tick) }}
                    </td>
                    <td class="number">{{ hit.now === null ? '–' : price(hit.now, hit.tick) }}</td>
                    <td class="number">{{ figure(hit.score) }}</td>
                    <td class="number">{{ figure(hit.rank) }}</td>
                    <td class="number">{{ hit.age }}</td>
                    <td :class="{ rise: hit.news === 'new' }">{{ hit.news || '–' }}</td>
                    <td>{{ hit.verdict?.verdict ?? '' }}</td>
                  </tr>
                </tbody>
              </table>
            </div>
            <aside v-if="chosen" aria-label="The chosen hit">
              <h2>
                <span class="mono">{{ chosen.code }}</span> {{ chosen.name }}
              </h2>
              <p class="quiet">
                fired {{ barTime(chosen.fired_at) }}, {{ plural(chosen.age, 'bar') }} ago; judged on
                {{ barTime(chosen.bar_at) }} at {{ price(chosen.close, chosen.tick)
                }}<template v-if="chosen.now !== null"
                  >, now {{ price(chosen.now, chosen.tick) }}</template
                >
              </p>
              <PriceTail
                :closes="chosen.tail"
                :signal="chosen.fired_in_tail"
                :width="268"
                :height="80"
              />
              <ul>
                <li v-for="(sentence, n) in chosen.sentences" :key="n">
                  <Mesh :cells="[chosen.cells[n]!]" :names="[names[n] ?? '']" />
                  <span
                    ><i class="quiet">{{ run.sieve.conditions[n]?.role }}</i> {{ sentence }}</span
                  >
                </li>
              </ul>
            </aside>
          </div>
        </template>
        <template v-else>
          <p class="quiet">{{ TAB_HELP[tab] }}</p>
          <template v-if="tab === 'undecided'">
            <p v-for="c in causes" :key="`${c.n} ${c.words}`">
              <b>{{ c.cause }}</b>: {{ c.words }}, for <code>{{ names[c.n] }}</code>
              <span class="mono codes">{{ c.codes.join('  ') }}</span>
            </p>
            <p v-if="!causes.length" class="empty">None.</p>
          </template>
          <template v-else>
            <p v-if="tab === 'gone' && !view.data.value.compared_with" class="empty">
              Nothing to compare with: {{ view.data.value.not_compared }}.
            </p>
            <p v-else-if="!codesShown.length" class="empty">None.</p>
            <p class="mono codes">{{ codesShown.join('  ') }}</p>
          </template>
        </template>
      </template>
    </template>
  </main>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
  gap: 10px;
}
.head .sentence {
  flex: 1;
  margin-bottom: 6px;
}
.tablist {
  display: flex;
  gap: 18px;
}
.filter {
  margin-left: auto;
  width: 300px;
  margin-bottom: 3px;
}
.both {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 290px;
  gap: 20px;
}
.scroll {
  overflow: auto;
  max-height: calc(100vh - 250px);
}
.name {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
}
h2 {
  font-size: 14px;
  margin: 8px 0 0;
}
aside p {
  margin: 0 0 8px;
}
aside ul {
  list-style: none;
  padding: 0;
  margin: 10px 0;
}
aside li {
  display: grid;
  grid-template-columns: 16px 1fr;
  gap: 6px;
  padding: 4px 0;
  border-top: 1px solid var(--hair);
}
aside li .mesh {
  margin-top: 4px;
}
.warn {
  color: var(--warn);
}
.codes {
  display: block;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
@media (max-width: 1180px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
  .name {
    max-width: 110px;
  }
}
.progress {
  display: inline-flex;
  width: 220px;
}
</style>
