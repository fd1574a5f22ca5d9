<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ChartHead from '@/features/chart/ChartHead.vue'
import ChartSheet from '@/features/chart/ChartSheet.vue'
import ChartTable from '@/features/chart/ChartTable.vue'
import { DRAWINGS, type Drawing, type Scale, type Sight } from '@/features/chart/chartOption'
import { barsOf, lookQuery, useLook, type Range } from '@/features/chart/look'
import { preferences } from '@/shared/preferences'
import { answer, api, ApiError } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { day, moment, span } from '@/shared/format'
import { useKeys, type Key } from '@/shared/keys'
import { useUniverses, useVocabulary } from '@/shared/queries'
import { done, takeBack } from '@/shared/undo'
import DataCheck from './DataCheck.vue'
import Facts from './Facts.vue'

/** What do I know of it? */
const ROW = 34
const MOST = 12_000
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const code = computed(() => String(route.params.code))
const universe = computed(() => String(route.query.universe ?? preferences.value.universe))
const bars = computed(() => String(route.query.bars ?? '1d'))
const scale = computed(() => String(route.query.scale ?? 'linear') as Scale)
const drawing = computed(() => String(route.query.as ?? 'candles') as Drawing)
const lines = computed(() => [route.query.line ?? []].flat().filter((l) => l !== null))
const change = (query: Record<string, string | string[] | undefined>) =>
  router.replace({ query: { ...route.query, ...query } })

const universes = useUniverses()
const vocabulary = useVocabulary()
const listed = useQuery({
  queryKey: ['instruments', universe],
  queryFn: () =>
    answer(api.GET('/api/instruments', { params: { query: { universe: universe.value } } })),
})
const codes = computed(() => (listed.data.value ?? []).map((i) => i.code))
const at = computed(() => codes.value.indexOf(code.value))
const known = useQuery({
  queryKey: ['instrument', code],
  queryFn: () =>
    answer(api.GET('/api/instruments/{code}', { params: { path: { code: code.value } } })),
})
const own = computed(() =>
  known.data.value?.summary.code === code.value ? known.data.value : undefined,
)
const lost = computed(
  () => known.error.value instanceof ApiError && known.error.value.code === 'not_found',
)

const bases = computed(() => (own.value?.summary.coverage ?? []).map((c) => span(c.seconds)))

/** How long the bars are that are looked at, where they are kept as they stand. */
const kept = computed(
  () =>
    own.value?.summary.coverage.find((c) => c.seconds && span(c.seconds) === bars.value)?.seconds,
)

const look = computed(() => ({
  code: code.value,
  bars: bars.value,
  lines: lines.value,
  smoothed: drawing.value === 'smoothed',
}))
const { chart, reach, error, again, waiting } = useLook(look)
const shownOf = computed(() => (chart.value?.code === code.value ? chart.value : undefined))

/** What the keys ask for, and what has come into sight by wheel or drag since. */
const sight = shallowRef<Sight>({ shown: 130, back: 0 })
let seen = sight.value
function see(to: Sight) {
  const most = Math.min(MOST, chart.value?.times.length ?? MOST)
  const shown = Math.round(Math.max(20, Math.min(most, to.shown)))
  const back = Math.round(Math.max(0, Math.min(most - shown, to.back)))
  seen = sight.value = { shown, back }
  void reach(to.shown === Infinity ? MOST : seen.shown + seen.back)
}
let settle = 0
function came(into: Sight) {
  seen = into
  window.clearTimeout(settle)
  // What is told from the first bar in sight is told anew once that has come to rest.
  if (scale.value === 'percent') settle = window.setTimeout(() => (sight.value = seen), 150)
  void reach(into.shown + into.back)
}
watch(chart, () => (sight.value = seen), { flush: 'sync' })
watch([bars, code], () => (seen = sight.value = { ...seen, back: 0 }))
const zoom = (by: number) => see({ ...seen, shown: seen.shown * by })
const pan = (by: number) => see({ ...seen, back: seen.back + by * seen.shown })
async function range(wanted: Range) {
  for (let n = 0; n < 4; n++) {
    const count = barsOf(wanted, chart.value?.times ?? [])
    see({ shown: count, back: 0 })
    if (count !== Infinity || !chart.value?.earlier || chart.value.times.length >= MOST) break
    await reach(MOST)
  }
  see({ shown: Math.min(barsOf(wanted, chart.value?.times ?? []), MOST), back: 0 })
}

/** To the bars around a moment, as far back as it takes. */
async function showAt(time: number) {
  for (let n = 0; n < 8; n++) {
    const times = chart.value?.times ?? []
    if (!chart.value?.earlier || times[0]! <= time || times.length >= MOST) break
    await reach(times.length)
  }
  const times = chart.value?.times ?? []
  const place = times.findIndex((opened) => opened >= time)
  const middle = (place < 0 ? times.length : place) + Math.round(seen.shown / 2)
  see({ ...seen, back: times.length - middle })
}
/** A finding leads to its bars by the address. */
const asked = computed(() => Number(route.query.at ?? NaN))
watch(
  [() => Boolean(shownOf.value), asked],
  ([drawn, time]) => void (drawn && Number.isFinite(time) && showAt(time)),
  { immediate: true },
)

const rail = ref<HTMLElement>()
const virtual = useVirtualizer(
  computed(() => ({
    count: codes.value.length,
    getScrollElement: () => rail.value ?? null,
    estimateSize: () => ROW,
    overscan: 12,
  })),
)
watch([at, codes], () => nextTick(() => at.value >= 0 && virtual.value.scrollToIndex(at.value)), {
  immediate: true,
})
const link = (to: string) => ({
  path: `/instruments/${to}`,
  query: { ...route.query, at: undefined },
})
function step(by: number) {
  const to = codes.value[Math.max(0, Math.min(codes.value.length - 1, at.value + by))]
  if (to && to !== code.value) router.replace(link(to))
}
/** The neighbours are read ahead, so that the next instrument is drawn at once. */
watch(shownOf, (now) => {
  if (!now) return
  for (const near of [codes.value[at.value + 1], codes.value[at.value - 1]])
    if (near) client.prefetchQuery(lookQuery({ ...look.value, code: near }))
})

const tabled = ref(false)
const sheet = ref<InstanceType<typeof ChartSheet>>()
function turnTable() {
  sight.value = seen
  tabled.value = !tabled.value
}
const head = ref<InstanceType<typeof ChartHead>>()
const check = ref<InstanceType<typeof DataCheck>>()
const SCALES: Scale[] = ['linear', 'log', 'percent']
const turnScale = () => change({ scale: SCALES[(SCALES.indexOf(scale.value) + 1) % SCALES.length] })
const draw = (formula: string) => change({ line: [...new Set([...lines.value, formula])] })
const redraw = (before: string, after: string) =>
  change({ line: [...new Set(lines.value.map((l) => (l === before ? after : l)))] })
const compare = (other: string) =>
  change({ scale: 'percent', line: [...new Set([...lines.value, `close of "${other}"`])] })
const turnDrawing = () =>
  change({ as: DRAWINGS[(DRAWINGS.indexOf(drawing.value) + 1) % DRAWINGS.length] })
const full = ref(false)
async function copyLink() {
  await navigator.clipboard.writeText(location.href)
  done('The address of this chart was copied.')
}
function leave() {
  if (sheet.value?.measuring) sheet.value.endMeasure()
  else if (full.value) full.value = false
  else router.push({ path: '/instruments', query: { universe: universe.value } })
}
const remove = (formula: string) => change({ line: lines.value.filter((l) => l !== formula) })
const RANGES: [string, Range][] = [
  ['1', 'day'],
  ['2', 'week'],
  ['3', 'month'],
  ['4', 'quarter'],
  ['5', 'year'],
  ['6', 'all'],
]
useKeys([
  { key: 'ArrowDown', does: 'next instrument', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'instrument before', repeats: true, run: () => step(-1) },
  { key: 'ArrowLeft', does: 'towards the past', repeats: true, run: () => pan(0.2) },
  { key: 'ArrowRight', does: 'towards the present', repeats: true, run: () => pan(-0.2) },
  { key: '+', does: 'fewer bars', repeats: true, run: () => zoom(0.7) },
  { key: '-', does: 'more bars', repeats: true, run: () => zoom(1 / 0.7) },
  { key: 'End', does: 'the newest bar', run: () => see({ ...seen, back: 0 }) },
  { key: 'b', does: 'change the bars', run: () => head.value?.writeBars() },
  { key: 'l', does: 'draw a formula', run: () => head.value?.writeLine() },
  {
    key: 'x',
    does: 'take the last formula away',
    run: () => lines.value.length && remove(lines.value.at(-1)!),
  },
  { key: 't', does: 'the bars in sight as a table, or drawn', run: turnTable },
  { key: 'p', does: 'keep the chart as an image', run: () => sheet.value?.save() },
  { key: 'm', does: 'mend bars', run: () => check.value?.begin() },
  { key: 'Ctrl+z', does: 'undo what was just done', notInTexts: true, run: takeBack },
  { key: 'k', does: 'drawn as candles, bars, line, smoothed', run: turnDrawing },
  { key: 'c', does: 'draw another instrument beside it', run: () => head.value?.writeBeside() },
  {
    key: ',',
    does: 'cursor to the bar before',
    repeats: true,
    run: () => sheet.value?.stepCursor(-1),
  },
  {
    key: '.',
    does: 'cursor to the next bar',
    repeats: true,
    run: () => sheet.value?.stepCursor(1),
  },
  { key: 'e', does: 'measure from here, to here, end', run: () => sheet.value?.measureHere() },
  { key: 'f', does: 'full size', run: () => (full.value = !full.value) },
  { key: 'y', does: 'copy the address of the chart', run: () => void copyLink() },
  { key: 's', does: 'scale: linear, log, percent', run: turnScale },
  ...RANGES.map(([key, wanted]): Key => ({
    key,
    does: `range: ${wanted}`,
    run: () => void range(wanted),
  })),
  {
    key: 'Escape',
    does: 'end measuring, leave full size, back to the list',
    run: leave,
  },
])
</script>

<template>
  <main class="instrument" :class="{ full }">
    <nav class="rail" aria-label="Instruments">
      <select
        class="field"
        aria-label="Universe"
        :value="universe"
        @change="change({ universe: ($event.target as HTMLSelectElement).value })"
      >
        <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option>
      </select>
      <div ref="rail" class="list">
        <div class="room" :style="{ height: `${virtual.getTotalSize()}px` }">
          <RouterLink
            v-for="item in virtual.getVirtualItems()"
            :key="item.index"
            :to="link(codes[item.index]!)"
            replace
            :class="{ here: codes[item.index] === code }"
            :style="{ transform: `translateY(${item.start}px)` }"
            :tabindex="codes[item.index] === code ? 0 : -1"
            :aria-current="codes[item.index] === code ? 'true' : undefined"
          >
            <span class="mono">{{ codes[item.index] }}</span>
            <span
              v-if="listed.data.value?.[item.index]?.findings.length"
              class="fall"
              title="The data check doubts it"
              >⚑</span
            >
          </RouterLink>
        </div>
      </div>
    </nav>
    <section class="centre">
      <p v-if="lost" class="empty">
        There is no instrument {{ code }}.
        <RouterLink to="/instruments">See all instruments</RouterLink>
      </p>
      <template v-else>
        <ChartHead
          ref="head"
          :code="code"
          :name="own?.summary.name ?? ''"
          :chart="shownOf"
          :bars="bars"
          :scale="scale"
          :drawing="drawing"
          :codes="codes"
          :lines="lines"
          :offered="vocabulary.data.value?.bars ?? []"
          @bars="(to) => change({ bars: to })"
          @scale="(to) => change({ scale: to })"
          @drawing="(to) => change({ as: to })"
          @draw="draw"
          @remove="remove"
          @redraw="redraw"
          @compare="compare"
        />
        <div class="chart">
          <ErrorNote v-if="error" :error="error" what="The chart can't be drawn" @retry="again()" />
          <p v-else-if="!shownOf" class="quiet">drawing…</p>
          <p v-else-if="!shownOf.times.length" class="empty">
            <template v-if="bases.length"
              >{{ code }} has no bars of {{ bars }}: it has {{ bases.join(', ') }}, and what is
              built of them. Press <kbd>b</kbd> for others.</template
            >
            <template v-else
              >There are no bars of {{ code }}.
              <RouterLink to="/imports">Bring in some</RouterLink></template
            >
          </p>
          <ChartTable
            v-else-if="tabled"
            :chart="shownOf"
            :sight="sight"
            :mendable="kept"
            @mend="(seconds, time) => check?.begin(seconds, time)"
          />
          <ChartSheet
            v-else
            ref="sheet"
            :chart="shownOf"
            :shown="sight.shown"
            :back="sight.back"
            :scale="scale"
            :drawing="drawing"
            @sight="came"
            @full="full = !full"
          />
        </div>
        <p class="quiet ranges" :aria-busy="waiting">
          <button
            v-for="[key, wanted] in RANGES"
            :key="key"
            class="button plain"
            @click="range(wanted)"
          >
            {{ wanted }} <kbd>{{ key }}</kbd>
          </button>
          <button class="button plain" :aria-pressed="tabled" @click="turnTable">
            table <kbd>t</kbd>
          </button>
          <button class="button plain" :disabled="tabled" @click="sheet?.save()">
            image <kbd>p</kbd>
          </button>
          <button class="button plain" @click="copyLink">link <kbd>y</kbd></button>
          <button class="button plain" :disabled="tabled" @click="sheet?.measureHere()">
            measure <kbd>e</kbd>
          </button>
          <button class="button plain" :aria-pressed="full" @click="full = !full">
            full size <kbd>f</kbd>
          </button>
        </p>
      </template>
    </section>
    <aside v-if="own" class="known" aria-label="What is known" tabindex="0">
      <p>
        {{ own.summary.kind }}, {{ own.summary.venue || 'no venue' }}
        <template v-if="own.summary.hours">{{ own.summary.hours }}</template>, in
        {{ own.summary.currency || 'no currency' }}, steps of {{ own.summary.tick }}.
      </p>
      <DataCheck
        ref="check"
        :code="code"
        :findings="own.summary.findings"
        :mendings="own.mendings"
        :coverage="own.summary.coverage"
      />
      <h2>Bars</h2>
      <table class="ledger">
        <tbody>
          <tr v-for="c in own.summary.coverage" :key="c.seconds">
            <td>{{ span(c.seconds) }}</td>
            <td class="number">{{ c.bars.toLocaleString('en-GB') }}</td>
            <td>{{ day(c.first) }} – {{ day(c.last) }}</td>
          </tr>
        </tbody>
      </table>
      <h2>Facts</h2>
      <Facts :facts="own.facts" :before="own.facts_before" />
      <h2>Events</h2>
      <p v-for="e in own.events" :key="`${e.kind}${e.day}`">
        <b>{{ day(e.day) }}</b> {{ e.kind }},
        <span class="quiet"
          >{{ e.title
          }}<template v-if="e.announced">, told on {{ day(e.announced) }}</template></span
        >
      </p>
      <p v-if="!own.events.length" class="quiet">none within four months</p>
      <h2>Universes</h2>
      <p>{{ own.universes.join(' · ') }}</p>
      <h2>Was a hit</h2>
      <p v-for="h in own.hits" :key="h.run_id">
        <RouterLink :to="`/runs/${h.run_id}/review/${code}`">{{ h.sieve }}</RouterLink>
        <span class="quiet"> place {{ h.place }}, {{ moment(h.as_of) }}</span>
      </p>
      <p v-if="!own.hits.length" class="quiet">of no run yet</p>
    </aside>
  </main>
</template>

<style scoped>
.instrument {
  display: grid;
  grid-template: minmax(0, 1fr) / 132px minmax(0, 1fr) 290px;
  height: calc(100vh - 44px);
}
.instrument.full {
  grid-template-columns: 0 minmax(0, 1fr) 0;
}
.full .rail,
.full .known {
  visibility: hidden;
}
.rail {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--hair);
}
.rail select {
  margin: 6px;
}
.list {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.room {
  position: relative;
}
.rail a {
  position: absolute;
  inset: 0 0 auto 0;
  height: 34px;
  box-sizing: border-box;
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 0 12px;
  color: var(--ink);
  text-decoration: none;
  border-bottom: 1px solid var(--hair);
}
.rail a.here {
  background: var(--accent-wash);
}
.centre {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  padding: 8px 12px 4px;
}
.chart {
  flex: 1;
  min-height: 0;
}
.ranges {
  margin: 4px 0 0;
}
.known {
  border-left: 1px solid var(--hair);
  padding: 8px 14px;
  overflow: auto;
  font-size: 12px;
}
.known p {
  margin: 2px 0;
}
h2 {
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 10px 0 0;
}
.ledger {
  width: 100%;
  font-size: 12px;
}
@media (max-width: 900px) {
  .instrument {
    display: block;
    height: auto;
  }
  .list {
    max-height: 160px;
  }
  .chart {
    height: 420px;
  }
  .known {
    border-left: 0;
  }
}
</style>
