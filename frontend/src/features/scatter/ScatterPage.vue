<script setup lang="ts">
import { together } from '@/parts/suggest/target'
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { answer } from '@/shared/api'
import { useArranging } from '@/shared/arranging'
import { lookFrom, written } from '@/shared/asOf'
import ErrorNote from '@/shared/ErrorNote.vue'
import Failed from '@/shared/Failed.vue'
import { figure, plural, told, whole } from '@/shared/format'
import KeepUniverse from '@/shared/KeepUniverse.vue'
import { useKeys } from '@/shared/keys'
import ListOut, { type Columns } from '@/shared/ListOut.vue'
import StoppedPart from '@/shared/StoppedPart.vue'
import Legend from './Legend.vue'
import type { Drawn } from './paint'
import Peek from './Peek.vue'
import Plane from './Plane.vue'
import {
  byExtremity,
  grouped,
  inView,
  lost,
  named,
  pointsOf,
  wholeView,
  zoomed,
  type Scatter,
  type ScatterSet,
} from './plane'
import PlayBar from './PlayBar.vue'
import { usePlaying } from './playing'
import { useRegions } from './regions'
import ScatterSentence from './ScatterSentence.vue'
import { useMoment, useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const looksFrom = useMoment()

/** Which are the outliers today? */
const NOTHING = { formula: '', bars: '1d', label: '' }
const LIKE: ScatterSet = {
  universe: '',
  x: NOTHING,
  y: NOTHING,
  size: NOTHING,
  colour: 'sector',
  x_scale: 'linear',
  y_scale: 'linear',
  clip: true,
  trail: 4,
  move: '',
  forming: false,
  fact: '',
  tint: NOTHING,
}
const UNREAD = JSON.stringify([NOTHING, NOTHING, { x: 'linear', y: 'linear' }])
const route = useRoute()
const router = useRouter()
const arranging = useArranging<ScatterSet>('scatter', LIKE)
const { arrange } = arranging
const arranged = computed(() => arranging.now.value ?? LIKE)
const scales = computed(() => ({
  x: blank.value.x ? ('linear' as const) : arranged.value.x_scale,
  y: blank.value.y ? ('linear' as const) : arranged.value.y_scale,
}))
const tell = (part: LocationQueryRaw) => router.replace({ query: { ...route.query, ...part } })

/** What it is of: a universe, the hits of a run, or rows that were chosen elsewhere. */
const run = computed(() => Number(route.query.run) || null)
const codes = computed(() => String(route.query.codes ?? '').split(',').filter(Boolean)) // prettier-ignore
const asked = computed(() => {
  const { x, y, size, trail, move, forming, colour } = arranged.value
  const fact = colour === 'fact' ? arranged.value.fact : ''
  const tint = colour === 'measure' ? (arranged.value.tint ?? NOTHING) : NOTHING
  const universe = String(route.query.of ?? arranged.value.universe)
  const of = { run: run.value, codes: codes.value }
  const piece = { step: '', session: false, first: 0, count: 1 }
  return { universe, x, y, size, trail, move, forming, fact, tint, ...of, ...piece }
})
const ready = computed(() => Boolean(arranging.now.value))
const view = useRead(() => {
  const body = asked.value
  return {
    of: keys.scatter(body),
    enabled: ready.value,
    keeps: true,
    read: (server, signal) => answer(server.POST('/api/scatter', { body, signal })),
  }
})
const newest = computed<Scatter | undefined>(() => view.data.value)
/** A session is played by the fastest bars of the measures, by minutes where these are days or more. */
const apart = computed(() => {
  const fastest = newest.value?.fastest ?? ''
  return /[smh]$/.test(fastest) ? fastest : '1m'
})
const still = computed(() => apart.value !== newest.value?.fastest && !arranged.value.forming)
const play = usePlaying(
  (first, count, signal) => {
    const body = { ...asked.value, step: apart.value, session: true, first, count }
    return answer(server.POST('/api/scatter', { body, signal }))
  },
  () => newest.value?.codes.length ?? 0,
)
watch([asked, looksFrom], () => play.stop())

/** The frame in sight: of the session that is played, else the newest. */
const scatter = computed(() => play.seen.value?.piece ?? newest.value)
const frame = computed(() =>
  play.seen.value ? play.seen.value.place : (newest.value?.x.values.length ?? 0) - 1,
)
/** An axis that shows nothing leaves all in a line along the other. */
const along = (of: Scatter, axis: 'x' | 'y', place: number) =>
  of[axis].problems?.length ? of.codes.map(() => 0) : (of[axis].values[place] ?? [])
const frameOf = (of: Scatter, place: number) => ({
  x: along(of, 'x', place),
  y: along(of, 'y', place),
  size: of.size.values[place] ?? [],
})
/** Without an axis nothing is divided by it. */
const blank = computed(() => ({
  x: Boolean(scatter.value?.x.problems?.length),
  y: Boolean(scatter.value?.y.problems?.length),
}))
const points = computed(() =>
  scatter.value ? pointsOf(frameOf(scatter.value, frame.value), scales.value) : [],
)
const trails = computed(() => {
  const of = scatter.value
  const found: [number, number][][] = Array.from(of?.codes ?? [], () => [])
  if (!of) return found
  const first = Math.max(0, frame.value - arranged.value.trail)
  for (let place = first; place <= frame.value; place += 1) {
    for (const p of pointsOf(frameOf(of, place), scales.value)) {
      found[p.place]!.push([p.u, p.v])
    }
  }
  return found
})

const movesBy = computed(() => arranged.value.move || (scatter.value?.fastest ?? ''))
const extent = computed(() => {
  if (!play.playing.value) return wholeView(points.value, arranged.value.clip)
  const pieces = [...play.pieces.value.values()]
  const all = pieces.flatMap((piece) => {
    const last = piece.x.values.length - 1
    const some = [0, Math.floor(last / 2), last]
    return some.flatMap((place) => pointsOf(frameOf(piece, place), scales.value))
  })
  return wholeView(all, arranged.value.clip)
})
const { sight, region, passing, look, back, forget } = useRegions(extent)
/** What is measured otherwise has other regions. */
const planes = computed(() => JSON.stringify([arranged.value.x, arranged.value.y, scales.value]))
watch(planes, (_, before) => before !== UNREAD && forget())

const groups = computed(() =>
  scatter.value
    ? grouped(
        scatter.value,
        arranged.value.colour,
        scatter.value.y.values[frame.value] ?? [],
        scatter.value.tint.values[frame.value] ?? scatter.value.codes.map(() => null),
      )
    : { names: [], of: [], ordered: false },
)
const only = ref(-1)
watch(
  () => groups.value.names.join(),
  () => (only.value = -1),
)
const marked = ref(new Set<string>())
const code = computed(() => String(route.query.code ?? ''))
const chosen = computed(() => (code.value ? (scatter.value?.codes.indexOf(code.value) ?? -1) : -1))
const drawn = computed<Drawn>(() => ({
  points: points.value,
  trails: trails.value,
  view: sight.value,
  edge: arranged.value.clip && !region.value && !passing.value,
  scales: scales.value,
  measures: arranged.value,
  blank: blank.value,
  codes: scatter.value?.codes ?? [],
  groups: groups.value.of,
  names: groups.value.names,
  ordered: groups.value.ordered,
  only: only.value,
  chosen: chosen.value,
  marked: marked.value,
}))
const missing = computed(() =>
  scatter.value
    ? lost(scatter.value.codes, frameOf(scatter.value, frame.value), scales.value)
    : { unknown: [], notLog: [] },
)
const inSight = computed(() => points.value.filter((p) => inView(sight.value, p)))

/** A point in words, a line each. */
function detail(place: number): string {
  const of = scatter.value
  if (!of) return ''
  const { x, y, size } = frameOf(of, frame.value)
  const lines = [
    `${of.codes[place]} ${of.names[place]}`,
    `${named(arranged.value.x)} ${figure(x[place])}`,
    `${named(arranged.value.y)} ${figure(y[place])}`,
  ]
  if (arranged.value.size.formula)
    lines.push(`${named(arranged.value.size)} ${figure(size[place])}`)
  const group = groups.value.names[groups.value.of[place] ?? -1]
  return [...lines, group ?? ''].filter(Boolean).join('\n')
}
const choose = (place: number) => void tell({ code: scatter.value?.codes[place] })
/** To the next point, from the most extreme in sight to the most usual. */
function step(by: number) {
  const order = byExtremity(
    inSight.value.filter((p) => only.value < 0 || groups.value.of[p.place] === only.value),
  )
  if (!order.length) return
  const at = order.findIndex((p) => p.place === chosen.value)
  const to = at < 0 ? 0 : Math.max(0, Math.min(order.length - 1, at + by))
  choose(order[to]!.place)
}
function mark(own = code.value) {
  if (!own || chosen.value < 0) return
  const next = new Set(marked.value)
  if (!next.delete(own)) next.add(own)
  marked.value = next
}
const markAll = (places: number[]) =>
  (marked.value = new Set([...marked.value, ...places.map((n) => scatter.value!.codes[n]!)]))
function closer(factor: number) {
  const p = points.value.find((own) => own.place === chosen.value)
  const middle = [(sight.value.x0 + sight.value.x1) / 2, (sight.value.y0 + sight.value.y1) / 2]
  look(zoomed(sight.value, factor, p?.u ?? middle[0]!, p?.v ?? middle[1]!), true)
}
const open = () => {
  if (!code.value) return
  const { bars, lines } = together([arranged.value.x, arranged.value.y])
  const query = { universe: scatter.value?.universe, bars, line: lines }
  void router.push({ path: instrumentAt(code.value), query })
}
function leave() {
  if (code.value) choose(-1)
  else if (play.playing.value) play.stop()
  else if (region.value) back()
}
const playOrPause = () => (play.playing.value ? play.run(!play.running.value) : void play.begin())
const stepFrame = (by: number) => {
  play.run(false)
  play.go(play.at.value + by)
}
const bar = ref<InstanceType<typeof ScatterSentence>>()
const plane = ref<InstanceType<typeof Plane>>()
useKeys([
  { key: 'ArrowRight', does: 'next point, the extreme ones first', repeats: true, run: () => step(1) }, // prettier-ignore
  { key: 'ArrowLeft', does: 'point before', repeats: true, run: () => step(-1) },
  { key: '+', does: 'look closer at the point', repeats: true, run: () => closer(0.7) },
  { key: '-', does: 'look wider', repeats: true, run: () => closer(1 / 0.7) },
  { key: 'b', does: 'back to what was seen before', repeats: true, run: back },
  { key: ' ', does: 'mark the point', run: () => mark() },
  { key: 'Enter', does: 'the page of the point', run: open },
  { key: 'p', does: 'play the session, pause', run: playOrPause },
  { key: ',', does: 'a moment of the session back', repeats: true, run: () => stepFrame(-1) },
  { key: '.', does: 'a moment of the session on', repeats: true, run: () => stepFrame(1) },
  { key: 'k', does: 'keep the scatter under a name', run: () => bar.value?.begin() },
  { key: 'Escape', does: 'leave the point, the session, the region', run: leave },
])
const table = (): Columns => {
  const of = scatter.value!
  const { x, y, size } = frameOf(of, frame.value)
  const { x: across, y: up, size: large } = arranged.value
  return [
    ['code', of.codes],
    ['name', of.names],
    ['sector', of.sectors],
    ['side', of.sides],
    [named(across), x],
    [named(up), y],
    ...(large.formula ? [[named(large), size] as const] : []),
  ]
}
const problems = computed(() =>
  (['x', 'y', 'size', 'tint'] as const).flatMap((name) =>
    (scatter.value?.[name].problems ?? []).map((problem) => ({ name, problem })),
  ),
)
</script>

<template>
  <main class="page scatter">
    <ScatterSentence
      ref="bar"
      :arranging="arranging"
      :arranged="arranged"
      :run="run"
      :count="codes.length"
      :words="scatter?.words ?? []"
      @arrange="arrange"
      @universe="tell({ run: undefined, codes: undefined, of: undefined })"
    />
    <p class="acts">
      <KeepUniverse
        :codes="[...marked]"
        :shown="inSight.map((p) => scatter!.codes[p.place]!)"
        @mark="(codes) => (marked = new Set(codes))"
        @kept="marked = new Set()"
      />
      <button class="button" :aria-pressed="play.playing.value" @click="playOrPause">
        {{ play.running.value ? 'Pause' : 'Play the session' }} <kbd>p</kbd>
      </button>
      <button class="button" :disabled="!region" @click="back">Back <kbd>b</kbd></button>
      <ListOut
        v-if="points.length"
        :name="`Scatter ${arranging.name.value}`"
        :columns="table"
        :picture="() => plane?.picture()"
      />
      <span v-if="scatter" class="quiet" role="status">
        {{ whole(inSight.length) }} of {{ whole(scatter.codes.length) }} in sight<template
          v-if="points.length > inSight.length"
          >, {{ whole(points.length - inSight.length) }} beyond the edges</template
        ><template v-if="marked.size">, {{ whole(marked.size) }} marked</template
        ><template v-if="missing.unknown.length"
          >;
          <span class="fall" :title="missing.unknown.join(', ')"
            >{{ missing.unknown.length }} not known</span
          ></template
        ><template v-if="missing.notLog.length"
          >;
          <span class="fall" :title="missing.notLog.join(', ')"
            >{{ missing.notLog.length }} have no ratio, being zero or below</span
          ></template
        ><template v-if="arranged.trail && scatter.trailless.length"
          >;
          <span :title="scatter.trailless.join(', ')"
            >{{ whole(scatter.trailless.length) }} without a trail, having no
            {{ movesBy }} bars</span
          ></template
        >.
      </span>
      <StoppedPart :codes="scatter?.stopped" />
    </p>
    <p v-for="(one, n) in problems" :key="n" class="fall" role="alert">
      <code>{{ arranged[one.name]?.formula }}</code> on {{ arranged[one.name]?.bars }} shows
      nothing:
      {{ told(one.problem) }}
    </p>
    <Failed :failure="arranging.failure.value" />
    <ErrorNote
      v-if="play.error.value"
      :error="play.error.value"
      what="The session can't be played"
      :again="play.begin"
    />
    <PlayBar
      v-if="play.playing.value && !play.error.value"
      :play="play"
      @from="(seconds) => lookFrom(router, written(1000 * seconds))"
    />
    <p v-if="play.playing.value && still" class="quiet">
      All measures are on bars of a day or more: they move within a session only where unfinished
      bars count too.
    </p>
    <Reply :of="view" what="The scatter can't be drawn"
      ><template v-if="scatter">
        <p v-if="!scatter.codes.length" class="empty">
          There is nothing in {{ run || codes.length ? 'what was chosen' : arranged.universe }} as
          of this moment.
        </p>
        <p v-else-if="!points.length && !problems.length" class="empty">
          None of the {{ plural(scatter.codes.length, 'instrument') }} has a value of both
          <code>{{ arranged.x.formula || 'nothing' }}</code> on {{ arranged.x.bars }} and
          <code>{{ arranged.y.formula || 'nothing' }}</code> on {{ arranged.y.bars }}: they have no
          such bars, or too few of them.
        </p>
        <div v-else class="middle" :class="{ old: view.isPlaceholderData.value }">
          <div class="side">
            <Legend
              v-if="groups.names.length"
              :names="groups.names"
              :only="only"
              :ordered="groups.ordered"
              :of="groups.ordered && arranged.tint ? named(arranged.tint) : undefined"
              @only="(group) => (only = group)"
            />
            <Plane
              ref="plane"
              :drawn="drawn"
              :label="`Scatter ${arranging.name.value}: ${named(arranged.x)} against ${named(arranged.y)}`"
              :told="chosen < 0 ? '' : detail(chosen).replaceAll('\n', ', ')"
              :detail="detail"
              @view="look"
              @choose="choose"
              @mark="markAll"
            />
          </div>
          <Peek
            v-if="chosen >= 0"
            :scatter="scatter"
            :place="chosen"
            :arranged="arranged"
            :told="detail(chosen)"
            :marked="marked.has(code)"
            @mark="mark()"
            @close="choose(-1)"
          /></div></template
    ></Reply>
  </main>
</template>

<style scoped>
.scatter {
  display: flex;
  flex-direction: column;
  height: calc(100vh - var(--top));
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  margin: 0 0 6px;
}
.middle {
  flex: 1;
  display: flex;
  gap: 16px;
  min-height: 0;
}
.old {
  opacity: 0.45;
}
.side {
  flex: 1;
  display: flex;
  flex-direction: column;
  min-width: 0;
}
@media (max-width: 900px) {
  .scatter {
    height: auto;
  }
  .middle {
    flex-direction: column;
  }
  .side {
    min-height: 420px;
  }
}
</style>
