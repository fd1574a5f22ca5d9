<script setup lang="ts">
import { instrumentAt, reviewAt } from '@/shared/addresses'
import { ElProgress } from 'element-plus'
import { watchDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer, type HitColumn, type HitView } from '@/shared/api'
import Codes from '@/shared/Codes.vue'
import { useOwnMoment } from '@/shared/asOf'
import ErrorNote from '@/shared/ErrorNote.vue'
import Failed from '@/shared/Failed.vue'
import { asSentence, barTime, figure, moment, plural, price, sides, whole } from '@/shared/format'
import { BY_PLACE, useHits, type Asked, type Sort } from '@/shared/hits'
import KeepUniverse from '@/shared/KeepUniverse.vue'
import { useKeys } from '@/shared/keys'
import ListOut from '@/shared/ListOut.vue'
import Mesh from '@/shared/Mesh.vue'
import PriceTail from '@/shared/PriceTail.vue'
import { useMembers, useRun } from '@/shared/queries'
import { useSight } from '@/shared/sight'
import { useWork } from '@/shared/work'
import WhyNot from '@/parts/why/WhyNot.vue'
import Funnel from './Funnel.vue'
import { useStartRun } from '@/shared/startRun'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** What came out, what is new, why not others? */
const route = useRoute()
const router = useRouter()
const id = computed(() => Number(route.params.id))
const view = useRun(id)
const run = computed(() => view.data.value?.run)
useOwnMoment(() => run.value)
const running = computed(() => ['queued', 'running'].includes(run.value?.state ?? ''))
const working = useWork(
  () => (running.value ? [`run-${id.value}`] : []),
  () => readAnew(keys.run(id.value), keys.hits(id.value), keys.runs, keys.thread),
)
const progress = computed(() => working.get(`run-${id.value}`))
const startRun = useStartRun()
const PAUSE = 180

const words = ref('')
const asked = ref<Asked>({ ...BY_PLACE })
const hits = useHits(id, () => run.value?.state === 'done', asked)
watchDebounced(words, (now) => (asked.value = { ...asked.value, words: now.trim() }), {
  debounce: PAUSE,
})
/** The codes of all hits that fit the filter, also of those that were not read yet. */
const codesOfThem = () => {
  const params = { path: { run_id: id.value }, query: { words: asked.value.words } }
  return answer(server.GET('/api/runs/{run_id}/codes', { params }))
}
const names = computed(() => run.value?.sieve.conditions.map((c) => c.formula) ?? [])
const at = ref(0)
watch(hits.matching, (count) => (at.value = Math.min(at.value, Math.max(0, (count ?? 1) - 1))))
const chosen = computed(() => hits.rows.value[at.value])

const outcome = computed(() => run.value?.outcome)
const undecided = computed(() =>
  (outcome.value?.undecided ?? []).reduce((sum, group) => sum + group.codes.length, 0),
)
/** The file of all hits as they are sorted and filtered. */
const file = computed(() => {
  const { sort, down, words } = asked.value
  const query = new URLSearchParams({ sort, down: String(down), words })
  return `/api/runs/${id.value}/hits.file?${query}`
})
const tab = ref<'hits' | 'undecided' | 'stale' | 'gone'>('hits')
const tabs = computed(() => {
  const v = view.data.value
  const count = (list?: readonly unknown[]) => list?.length ?? ''
  return [
    { key: 'hits', name: `Hits ${run.value?.hit_count ?? ''}` },
    { key: 'undecided', name: `Undecided ${undecided.value}` },
    { key: 'stale', name: `Stale ${count(outcome.value?.stale)}` },
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
  () => (tab.value === 'stale' ? outcome.value?.stale : view.data.value?.gone) ?? [],
)
/** Columns before and after the two that are drawn. */
const columns = computed(() =>
  (view.data.value?.columns ?? []).filter((c) => c.in_table && (sided.value || c.key !== 'side')),
)
const sided = computed(() => (run.value?.sieve.sides.length ?? 1) > 1)
const cut = computed(() => columns.value.findIndex((c) => c.key === 'name') + 1)
const isNumber = (c: HitColumn) => ['count', 'figure', 'price'].includes(c.shown)
const titleOf = (c: HitColumn) => (c.key === 'rank' ? rankName.value : c.title)
const helpOf = (c: HitColumn) =>
  c.key === 'rank'
    ? `Ranked by ${run.value?.sieve.rank || 'nothing but the score'}, the largest first`
    : c.told
function told(hit: HitView, c: HitColumn): string {
  if (c.key === 'verdict') return hit.verdict?.verdict ?? ''
  if (c.key === 'parts') return hit.parts.join(', ') || '–'
  const value = hit[c.key as keyof HitView] as string | number | null
  if (c.shown === 'price') return value === null ? '–' : price(value as number, hit.tick)
  if (c.shown === 'figure') return figure(value as number | null)
  return String(value ?? '') || '–'
}
/** The formula ranked by, as far as a column has room for it. */
const rankName = computed(() => {
  const text = run.value?.sieve.rank ?? ''
  return text.length > 22 ? `${text.slice(0, 20)}…` : text || 'no rank'
})
function sortBy(c: HitColumn) {
  const { sort, down } = asked.value
  asked.value = { ...asked.value, sort: c.key as Sort, down: sort === c.key ? !down : c.down }
}
const sortState = (c: HitColumn) =>
  asked.value.sort !== c.key ? 'none' : asked.value.down ? 'descending' : 'ascending'

const ROW = 31
const scroll = ref<HTMLElement>()
const { virtual, seen } = useSight(hits, scroll, ROW, ROW)
const above = computed(() => (seen.value[0]?.start ?? ROW) - ROW)
const below = computed(() => virtual.value.getTotalSize() - (seen.value.at(-1)?.end ?? ROW) + ROW)

const field = ref<HTMLInputElement>()
function step(by: number) {
  at.value = Math.max(0, Math.min((hits.matching.value ?? 1) - 1, at.value + by))
  virtual.value.scrollToIndex(at.value)
}
const review = (hit?: number) => router.push(reviewAt(id.value, hit))
const { act, busy, failure } = useAct()
const cancel = () =>
  act('Not cancelled', async () => {
    const path = { params: { path: { run_id: id.value } } }
    await answer(server.POST('/api/runs/{run_id}/cancel', path))
    await readAnew(keys.run(id.value))
  })
const again = () =>
  act("The run can't begin", async () => run.value && startRun(run.value.sieve_id))
useKeys([
  { key: 'ArrowDown', does: 'next hit', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'hit before', repeats: true, run: () => step(-1) },
  { key: 'Enter', does: 'review the hit', run: () => chosen.value && review(chosen.value.id) },
  { key: '/', does: 'filter', run: () => field.value?.focus() },
  { key: 'r', does: 'run again', run: again },
  { key: 'w', does: 'why not: what an instrument lacks', run: () => why.value?.focus() },
])
const whom = ref('')
const why = ref<InstanceType<typeof WhyNot>>()
const everyone = useMembers(() => run.value?.sieve.universe)
const askWhy = (code: string, signal: AbortSignal) => {
  const path = { run_id: id.value, code }
  return answer(server.GET('/api/runs/{run_id}/why/{code}', { params: { path }, signal }))
}
const pick = (n: number) => (at.value = n)
</script>

<template>
  <main class="page">
    <Reply :of="view" what="The run can't be shown"
      ><template v-if="run">
        <div class="head">
          <div v-if="run.state === 'done'" class="sentence">
            <b>{{ run.hit_count }}</b> of {{ outcome?.instruments }} in
            {{ run.sieve.universe }} pass
            <RouterLink :to="`/sieves/${run.sieve_id}`">{{ run.sieve.name }}</RouterLink>
            (<RouterLink
              :to="{ path: `/sieves/${run.sieve_id}`, query: { version: run.version } }"
              title="The version that this run used"
              >version {{ run.version }}</RouterLink
            >) {{ sides(run.sieve.sides) }} on {{ run.sieve.timeframes[0] }} bars<template
              v-if="run.sieve.forming"
              >, the forming one included</template
            >, as of {{ moment(run.as_of) }}.
            <template v-if="view.data.value?.compared_with">
              {{ view.data.value.new }} new since {{ moment(view.data.value.compared_with) }},
              {{ view.data.value.gone.length }} gone.
            </template>
            <span v-else class="quiet"
              >Nothing to compare with: {{ view.data.value?.not_compared }}.</span
            >
            <span v-if="undecided">
              {{ ` ${undecided} ${undecided === 1 ? 'is' : 'are'} undecided.` }}
            </span>
            <details v-if="outcome?.mended.length" class="mended">
              <summary>{{ plural(outcome.mended.length, 'correction') }} of bars in force.</summary>
              <p v-for="told in outcome.mended" :key="told">{{ told }}</p>
            </details>
            <details v-if="outcome?.hindsight.length" class="mended warn">
              <summary>Partly by what is known now, not by what was known then.</summary>
              <p v-for="told in outcome.hindsight" :key="told">{{ asSentence(told) }}</p>
            </details>
            <span v-if="view.data.value?.changed_since.length" class="warn">
              Since this run the sieve was changed: {{ view.data.value.changed_since.join(', ') }}.
            </span>
          </div>
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
          <button v-if="run.hit_count" class="button primary" @click="review(chosen?.id)">
            Review <kbd>⏎</kbd>
          </button>
        </div>
        <Failed :failure="failure" />
        <ErrorNote
          v-if="hits.error.value"
          :error="hits.error.value"
          what="The hits can't be shown"
          :again="hits.retry"
        />
        <template v-if="run.state === 'done' && view.data.value">
          <Funnel :view="view.data.value" />
          <WhyNot
            ref="why"
            v-model="whom"
            class="whynot"
            :offered="everyone"
            :ask="askWhy"
            :about="id"
            :names="names"
            :sided="sided"
          />
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
            <RouterLink
              v-if="tab === 'hits' && run.hit_count"
              class="button plain"
              :to="{ path: '/scatter', query: { run: id } }"
              >as a scatter</RouterLink
            >
            <KeepUniverse
              v-if="tab === 'hits' && run.hit_count"
              :many="hits.matching.value ?? 0"
              :read="codesOfThem"
              :what="`A universe of the ${whole(hits.matching.value ?? 0)}`"
            />
            <ListOut
              v-if="tab === 'hits' && run.hit_count"
              :name="`Hits of run ${id}`"
              :from="file"
            />
          </div>
          <template v-if="tab === 'hits'">
            <p v-if="run.hit_count === 0" class="empty">
              Nothing passed. The funnel shows which condition cut most;
              <RouterLink :to="`/sieves/${run.sieve_id}`">loosen it</RouterLink> and run again.
            </p>
            <p v-else-if="hits.matching.value === 0" class="empty">No hit fits the filter.</p>
            <div v-else class="both">
              <div ref="scroll" class="scroll">
                <table class="ledger" :aria-rowcount="(hits.matching.value ?? 0) + 1">
                  <thead>
                    <tr aria-rowindex="1">
                      <template v-for="(c, n) in columns" :key="c.key">
                        <template v-if="n === cut">
                          <th>Mesh</th>
                          <th>60 bars</th>
                        </template>
                        <th :class="{ number: isNumber(c) }" :aria-sort="sortState(c)">
                          <button class="sort" :title="helpOf(c)" @click="sortBy(c)">
                            {{ titleOf(c) }}
                          </button>
                        </th>
                      </template>
                    </tr>
                  </thead>
                  <tbody>
                    <tr v-if="above" class="room" aria-hidden="true">
                      <td :style="{ height: `${above}px` }"></td>
                    </tr>
                    <template v-for="item in seen" :key="item.index">
                      <tr
                        v-for="hit in [hits.rows.value[item.index]]"
                        :key="hit?.id ?? item.index"
                        class="open"
                        :class="{ chosen: item.index === at }"
                        :aria-selected="item.index === at"
                        :aria-rowindex="item.index + 2"
                        @click="pick(item.index)"
                        @dblclick="hit && review(hit.id)"
                      >
                        <template v-for="(c, n) in columns" :key="c.key">
                          <template v-if="n === cut">
                            <td>
                              <Mesh v-if="hit" :cells="hit.cells" :names="names" :within="112" />
                            </td>
                            <td>
                              <PriceTail
                                v-if="hit"
                                :closes="hit.tail"
                                :signal="hit.fired_in_tail"
                              />
                            </td>
                          </template>
                          <td v-if="!hit" class="quiet">{{ c.key === 'code' ? '…' : '' }}</td>
                          <td v-else-if="c.key === 'code'" class="mono">
                            <RouterLink :to="reviewAt(id, hit.id)">{{ hit.code }}</RouterLink>
                          </td>
                          <td v-else-if="c.key === 'side'">
                            <abbr :title="hit.side" :aria-label="hit.side">{{
                              sides([hit.side])[0]
                            }}</abbr>
                          </td>
                          <td
                            v-else
                            :class="{
                              number: isNumber(c),
                              quiet: c.key === 'place',
                              name: c.key === 'name',
                              rise: c.key === 'news' && hit.news === 'new',
                            }"
                          >
                            <abbr
                              v-if="c.key === 'close' && hit.provisional"
                              title="Provisional: it rests on a bar that has not closed, and may change until it does"
                              >~</abbr
                            >{{ told(hit, c) }}
                          </td>
                        </template>
                      </tr>
                    </template>
                    <tr v-if="below > 0" class="room" aria-hidden="true">
                      <td :style="{ height: `${below}px` }"></td>
                    </tr>
                  </tbody>
                </table>
              </div>
              <aside v-if="chosen" aria-label="The chosen hit">
                <h2>
                  <RouterLink class="mono" :to="instrumentAt(chosen.code)">{{
                    chosen.code
                  }}</RouterLink>
                  {{ chosen.name }} <span v-if="sided">{{ sides([chosen.side]) }}</span>
                </h2>
                <p class="quiet">
                  <template v-if="chosen.parts.length"
                    >of <b>{{ chosen.parts.join(', ') }}</b>;
                  </template>
                  {{ chosen.begun ? 'fired' : 'held when first known,' }}
                  {{ barTime(chosen.fired_at) }}, {{ plural(chosen.age, 'bar') }} ago; looked at on
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
                  <li
                    v-for="(sentence, n) in chosen.sentences"
                    v-show="chosen.cells[n] !== 'other'"
                    :key="n"
                  >
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
              <p v-for="c in outcome?.undecided" :key="`${c.condition} ${c.words}`">
                <b>{{ c.cause }}</b>: {{ c.words }},
                <template v-if="c.condition !== null">
                  for <code>{{ names[c.condition] }}</code></template
                >
                <Codes :codes="c.codes" />
              </p>
              <p v-if="!undecided" class="empty">None.</p>
            </template>
            <template v-else>
              <p v-if="tab === 'gone' && !view.data.value.compared_with" class="empty">
                Nothing to compare with: {{ view.data.value.not_compared }}.
              </p>
              <p v-else-if="!codesShown.length" class="empty">None.</p>
              <Codes :codes="codesShown" />
            </template>
          </template>
        </template> </template
    ></Reply>
  </main>
</template>

<style scoped>
.whynot {
  max-width: 90ch;
  margin-top: 6px;
}
.mended {
  display: inline-block;
  margin-left: 6px;
  vertical-align: top;
}
.mended p {
  margin: 0;
  font-size: 13px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 10px;
}
.head .sentence {
  flex: 1;
  margin-bottom: 6px;
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
.room td {
  padding: 0;
  border: 0;
}
.scroll tbody tr.open {
  height: 31px;
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
