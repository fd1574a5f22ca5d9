<script setup lang="ts">
import { instrumentAt, reviewAt } from '@/shared/addresses'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, ApiError, type HitView } from '@/shared/api'
import { useOwnMoment } from '@/shared/asOf'
import ErrorNote from '@/shared/ErrorNote.vue'
import { barTime, figure, moment, plural, price, sides } from '@/shared/format'
import { useHits } from '@/shared/hits'
import { useKeys } from '@/shared/keys'
import Mesh from '@/shared/Mesh.vue'
import { useRun } from '@/shared/queries'
import { done, undoKey } from '@/shared/undo'
import { settle } from '@/shared/way'
import ChartFrame from '@/parts/frame/ChartFrame.vue'
import Rail from '@/parts/frame/Rail.vue'
import HitChart from './HitChart.vue'
import { useDecision } from './decision'
import { REASONS, VERDICTS, type VerdictName } from './reasons'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** Do I take it? */
const route = useRoute()
const router = useRouter()
const id = computed(() => Number(route.params.id))
const view = useRun(id)
const run = computed(() => view.data.value?.run)
useOwnMoment(() => run.value)
const hits = useHits(id, () => run.value?.state === 'done')
const names = computed(() => run.value?.sieve.conditions.map((c) => c.formula) ?? [])
const total = computed(() => hits.matching.value ?? 0)
const ageOf = (age: number) => (age === 0 ? 'on the newest bar' : `${plural(age, 'bar')} ago`)
const at = ref(-1)
const hit = computed<HitView | undefined>(() => hits.rows.value[at.value])
const count = computed(() => total.value - (view.data.value?.waiting ?? 0))

const linkTo = (place: number) => {
  const own = hits.rows.value[place]
  return own && reviewAt(id.value, own.id)
}

/** The hit that the address names by its number, or as earlier ones by the code of its instrument. */
async function named(): Promise<HitView | undefined> {
  const { hit, code } = route.params
  try {
    if (hit) {
      const path = { hit_id: Number(hit) }
      const own = await answer(server.GET('/api/hits/{hit_id}', { params: { path } }))
      return own.run_id === id.value ? own : undefined
    }
    if (!code) return
    const path = { run_id: id.value, code: String(code) }
    return await answer(server.GET('/api/runs/{run_id}/hits/{code}', { params: { path } }))
  } catch (problem) {
    if (!(problem instanceof ApiError && problem.code === 'not_found')) throw problem
  }
}
/** Where the hit of the address stands; without one, or with one that is none, the next open hit. */
async function find() {
  const known = hits.indexOf(Number(route.params.hit))
  if (known >= 0) return stand(known)
  const own = await named()
  if (own && route.params.hit) {
    hits.need(own.place - 1, own.place - 1)
    return stand(own.place - 1)
  }
  const next = own?.id ?? (await openAfter(0)) ?? hits.rows.value[0]?.id
  if (next) settle(router, reviewAt(id.value, next))
}
function stand(place: number) {
  at.value = place
  hits.need(place - 1, place + 1)
}
watch(
  [() => total.value > 0, () => route.params.hit, () => route.params.code],
  ([some]) => void (some && find()),
  { immediate: true },
)
const openAfter = (place: number) =>
  answer(
    server.GET('/api/runs/{run_id}/open', {
      params: { path: { run_id: id.value }, query: { after: place } },
    }),
  )

const sheet = ref<InstanceType<typeof HitChart>>()
/** The hits on both sides are read ahead. */
const near = computed(() =>
  [at.value + 1, at.value - 1].flatMap((place) => hits.rows.value[place]?.id ?? []),
)
const away = () => sheet.value?.leave() || router.push(`/runs/${id.value}`)
function go(to: number) {
  const place = Math.max(0, Math.min(total.value - 1, to))
  const next = hits.rows.value[place]
  hits.need(place - 1, place + 1)
  if (next) router.replace(reviewAt(id.value, next.id))
}

async function send(hit: number, verdict: VerdictName | null, reason: string, note: string) {
  const kept = await answer(
    server.PUT('/api/hits/{hit_id}/verdict', {
      params: { path: { hit_id: hit } },
      body: { verdict, reason, note },
    }),
  )
  hits.patch(hit, { verdict: kept ?? null })
  void readAnew(keys.run(id.value), keys.thread, keys.verdicts())
}
const SAID = { take: 'taken', watch: 'on watch', drop: 'dropped' } as const
function decided(
  of: HitView,
  verdict: VerdictName | null,
  before: HitView['verdict'],
  why: string,
) {
  const said = verdict ? SAID[verdict] : 'waits again'
  const position = of.place - 1
  done(`${of.code} ${said}${why ? `: ${why}` : ''}.`, async () => {
    await send(of.id, before?.verdict ?? null, before?.reason ?? '', before?.note ?? '')
    go(position)
  })
  if (verdict && hit.value?.id === of.id) void onwards(of)
}
/** On to the next hit that waits: the neighbour, where it is at hand and open; else the server knows. */
async function onwards(of: HitView) {
  const neighbour = hits.rows.value[of.place]
  const next = neighbour && !neighbour.verdict ? neighbour.id : await openAfter(of.place)
  if (next && hit.value?.id === of.id) settle(router, reviewAt(id.value, next))
}
const decision = useDecision(id, hit, send, decided)
const { words, busy, failure, decide, withdraw } = decision
const noteField = ref<HTMLInputElement>()

const digits = Array.from({ length: 6 }, (_, n) => ({
  key: String(n + 1),
  does: `reason ${n + 1} of the verdict in hand`,
  run: () => decision.pickNumber(n),
}))
useKeys([
  { key: 'ArrowRight', does: 'next hit', repeats: true, run: () => go(at.value + 1) },
  { key: 'ArrowLeft', does: 'hit before', repeats: true, run: () => go(at.value - 1) },
  { key: 't', does: 'take it', run: (e) => decide('take', e.timeStamp) },
  { key: 'w', does: 'watch it', run: (e) => decide('watch', e.timeStamp) },
  { key: 'd', does: 'drop it', run: (e) => decide('drop', e.timeStamp) },
  { key: 'x', does: 'take the verdict back', run: withdraw },
  { key: 'v', does: 'other reasons: of take, watch or drop', run: decision.nextKind },
  { key: 'm', does: 'write a note', run: () => noteField.value?.focus() },
  undoKey,
  { key: 'Escape', does: 'end measuring, back to the run', run: away },
  ...digits,
])
const MARK = { take: '✓', watch: '◷', drop: '✕' } as const
const spoken = computed(() => {
  const h = hit.value
  return h
    ? `Hit ${at.value + 1} of ${total.value}, ${h.code} ${h.name}, ${h.verdict?.verdict ?? 'open'}`
    : ''
})
/** The sentences of the newest bar, where the one that was judged lies before it. */
const sentencesNow = computed(() =>
  (sheet.value?.drawn?.reasons_now ?? []).map((now, n) =>
    now.sentence === hit.value?.sentences[n] ? '' : now.sentence,
  ),
)
</script>

<template>
  <main v-if="!total || view.isError.value || hits.error.value">
    <ErrorNote
      v-if="view.isError.value"
      :error="view.error.value"
      what="The run can't be shown"
      :again="view.refetch"
    />
    <ErrorNote
      v-else-if="hits.error.value"
      :error="hits.error.value"
      what="The hits can't be shown"
      :again="hits.retry"
    />
    <p v-else-if="run && run.state !== 'done'" class="empty page">
      This run is {{ run.state }}, so there is nothing to review.
      <RouterLink :to="`/runs/${id}`">See the run</RouterLink>
    </p>
    <p v-else-if="hits.matching.value === undefined" class="empty page">Reading the hits …</p>
    <p v-else class="empty page">
      This run has no hits to review. <RouterLink :to="`/runs/${id}`">Back to the run</RouterLink>
    </p>
  </main>
  <ChartFrame v-else margin="Why">
    <template #rail>
      <Rail label="Hits" :count="total" :at="at" :to="linkTo" :row="44" @seen="hits.need">
        <template #head>
          <p class="quiet decided">{{ count }} of {{ total }} decided</p>
        </template>
        <template #default="{ place }">
          <template v-for="h in [hits.rows.value[place]!]" :key="h.id">
            <span class="mono">{{ h.code }}</span>
            <span :class="['mark', h.verdict?.verdict]" :title="h.verdict?.verdict ?? 'open'">{{
              h.verdict?.verdict ? MARK[h.verdict.verdict] : ''
            }}</span>
            <Mesh class="mesh" :cells="h.cells" :names="names" :size="8" />
          </template>
        </template>
      </Rail>
    </template>
    <header v-if="hit && run">
      <h1>
        <RouterLink class="mono" :to="instrumentAt(hit.code)">{{ hit.code }}</RouterLink>
        {{ hit.name }}
      </h1>
      <span>
        {{ sides([hit.side]) }}
        <template v-if="hit.parts.length">· of {{ hit.parts.join(', ') }}</template> ·
        {{ run.sieve.timeframes[0] }} bars ·
        <RouterLink :to="`/runs/${id}`">{{ run.sieve.name }}</RouterLink> · as of
        {{ moment(run.as_of) }}
      </span>
    </header>
    <HitChart
      v-if="hit && run"
      ref="sheet"
      :hit="hit.id"
      :as-of="run.as_of"
      :sieve="run.sieve"
      :code="hit.code"
      :near="near"
    />
    <template v-if="hit && run" #margin>
      <p class="facts">
        {{ hit.begun ? 'Fired' : 'Held when first known,' }}
        <b>{{ barTime(hit.fired_at) }}</b>, {{ ageOf(hit.age) }}. The bar of
        <b>{{ barTime(hit.bar_at) }}</b> closed at <b>{{ price(hit.close, hit.tick) }}</b>;
        <template v-if="hit.now !== null"
          >now <b>{{ price(hit.now, hit.tick) }}</b>.</template
        >
        Score <b>{{ figure(hit.score) }}</b>; place {{ hit.place }} by
        <code class="by">{{ run.sieve.rank || 'score' }}</code>{{ run.sieve.rank ? ' = ' : ''
        }}<b v-if="run.sieve.rank">{{ figure(hit.rank) }}</b
        >.
        <span v-if="hit.provisional" class="fall">
          Provisional: it rests on a bar that had not closed, and may change until it does.</span
        >
        <span v-if="hit.verdict && hit.verdict.run_id !== id" class="quiet">
          This setup was decided in run {{ hit.verdict.run_id }}.</span
        >
      </p>
      <h2>Why it is here</h2>
      <ul>
        <li v-for="(sentence, n) in hit.sentences" v-show="hit.cells[n] !== 'other'" :key="n">
          <Mesh :cells="[hit.cells[n]!]" :names="[names[n] ?? '']" />
          <span>
            <i class="quiet">{{ run.sieve.conditions[n]?.role }}</i> {{ sentence }}
            <code>{{ names[n] }}</code>
            <span v-if="sentencesNow[n]" class="quiet now">Now: {{ sentencesNow[n] }}</span>
          </span>
        </li>
      </ul>
    </template>
    <template v-if="hit" #foot>
      <div class="verdict" role="group" aria-label="Verdict">
        <p class="visually-hidden" role="status">{{ spoken }}</p>
        <span class="kinds">
          <button
            v-for="v in VERDICTS"
            :key="v"
            class="button"
            :class="{ primary: hit.verdict?.verdict === v }"
            :aria-pressed="hit.verdict?.verdict === v"
            :aria-disabled="busy"
            @focus="decision.setKind(v)"
            @click="decide(v, $event.timeStamp)"
          >
            {{ v[0]!.toUpperCase() + v.slice(1) }} <kbd>{{ v[0] }}</kbd>
          </button>
        </span>
        <span class="reasons">
          <button class="button plain" @click="decision.nextKind">
            why {{ words.kind }} <kbd>v</kbd>
          </button>
          <button
            v-for="(text, n) in REASONS[words.kind]"
            :key="text"
            class="reason"
            :aria-pressed="words.reasons[words.kind] === text"
            @click="decision.pickReason(text)"
          >
            <kbd>{{ n + 1 }}</kbd> {{ text }}
          </button>
        </span>
        <input
          ref="noteField"
          :value="words.note"
          class="field"
          placeholder="Note  m"
          aria-label="Note"
          maxlength="4000"
          @input="decision.setNote(($event.target as HTMLInputElement).value)"
          @keydown.enter="noteField?.blur()"
          @keydown.esc="noteField?.blur()"
        />
        <span class="state quiet" aria-hidden="true">{{
          busy ? 'keeping…' : words.changed ? (hit.verdict ? 'keeping…' : 'draft') : ''
        }}</span>
        <RouterLink class="button plain" to="/verdicts" title="What was decided in all runs"
          >all decided</RouterLink
        >
        <span class="steps">
          <button class="button" :disabled="at <= 0" aria-label="Hit before" @click="go(at - 1)">
            ←
          </button>
          {{ at + 1 }} / {{ total }}
          <button
            class="button"
            :disabled="at >= total - 1"
            aria-label="Next hit"
            @click="go(at + 1)"
          >
            →
          </button>
        </span>
        <ErrorNote
          v-if="failure"
          class="failed"
          :error="failure.error"
          what="Not kept"
          :again="failure.again"
        />
      </div>
    </template>
  </ChartFrame>
</template>

<style scoped>
.mark.take {
  color: var(--rise);
}
.mark.drop {
  color: var(--fall);
}
header {
  display: flex;
  align-items: baseline;
  gap: 14px;
  margin-bottom: 6px;
}
h1 {
  flex: none;
  max-width: 60%;
  font-size: 17px;
  margin: 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
header > span {
  margin-left: auto;
  min-width: 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.facts {
  margin: 0 0 8px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 4px 0;
}
li {
  display: grid;
  grid-template-columns: 16px 1fr;
  gap: 6px;
  padding: 6px 0;
  border-top: 1px solid var(--hair);
}
li .mesh {
  margin-top: 4px;
}
li code {
  display: block;
  font: 11px var(--mono);
  color: var(--quiet);
  overflow-wrap: anywhere;
}
.verdict {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 14px;
  border-top: 1px solid var(--ink);
  padding: 8px 14px;
}
.kinds,
.reasons,
.steps {
  display: flex;
  align-items: center;
  gap: 6px;
  white-space: nowrap;
}
.reasons {
  flex: 1;
  flex-wrap: wrap;
}
.reason {
  font: inherit;
  font-size: 12px;
  color: inherit;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 1px 4px;
  min-height: 24px;
  cursor: pointer;
}
.reason[aria-pressed='true'] {
  border-color: var(--accent);
  background: var(--accent-wash);
}
.verdict .field {
  width: 150px;
}
.failed {
  flex-basis: 100%;
  margin: 0;
}
.state {
  width: 54px;
  font-size: 12px;
}
.by {
  font: 11px var(--mono);
}
.now {
  display: block;
  font-size: 12px;
}
.decided {
  margin: 4px 12px;
  font-size: 12px;
}
.mesh {
  flex-basis: 100%;
}
</style>
