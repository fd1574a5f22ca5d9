<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ChartPanel from '@/parts/chart/ChartPanel.vue'
import { layersOf, LIKE, PLAIN, type Layout } from '@/parts/chart/layout'
import ChartFrame from '@/parts/frame/ChartFrame.vue'
import Rail from '@/parts/frame/Rail.vue'
import { answer, ApiError } from '@/shared/api'
import { span } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { beginning } from '@/shared/beginning'
import { useInstruments, useUniverses } from '@/shared/queries'
import { undoKey } from '@/shared/undo'
import { settle } from '@/shared/way'
import { useArranging } from '@/shared/arranging'
import ArrangedBy from '@/shared/ArrangedBy.vue'
import Failed from '@/shared/Failed.vue'
import Known from './Known.vue'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import { same } from '@/shared/same'

/** What do I know of it? */
const FLAGGED = 'flagged'
const route = useRoute()
const router = useRouter()
const code = computed(() => String(route.params.code))
const universe = computed(() => String(route.query.universe ?? beginning.value.universe))
const onlyFlagged = computed(() => route.query.only === FLAGGED)
const bars = computed(() => String(route.query.bars ?? '1d'))
const asked = computed(() => Number(route.query.at ?? NaN))
const query = (to: Record<string, string | string[] | undefined>) =>
  router.replace({ query: { ...route.query, ...to } })
const universes = useUniverses()
const listed = useInstruments(universe)
const rows = computed(() =>
  (listed.data.value ?? []).filter((i) => !onlyFlagged.value || i.findings.length),
)
const codes = computed(() => rows.value.map((i) => i.code))
const at = computed(() => codes.value.indexOf(code.value))
const near = computed(() =>
  [codes.value[at.value + 1], codes.value[at.value - 1]].filter((one) => one !== undefined),
)
const known = useRead(() => {
  const path = { code: code.value }
  return {
    of: keys.instrument(path.code),
    read: (server) => answer(server.GET('/api/instruments/{code}', { params: { path } })),
  }
})
// What it was called earlier leads to it.
watch(
  () => known.data.value?.summary.code,
  (now) => {
    const earlier = known.data.value?.earlier.includes(code.value)
    if (now && earlier) void settle(router, { path: instrumentAt(now), query: route.query })
  },
)
const own = computed(() =>
  known.data.value?.summary.code === code.value ? known.data.value : undefined,
)
const arranging = useArranging<Layout>('chart', LIKE, (all) => usual(all)?.name)
const layout = computed(() => arranging.now.value ?? PLAIN)
/** The layout that is usual for a kind of instrument on some bars: the one that names most of both. */
function usual(all: readonly { name: string; body: unknown }[]) {
  const kind = rows.value[at.value]?.kind ?? own.value?.summary.kind
  const fits = (named: readonly string[], one?: string) =>
    !named.length ? 0 : one && named.includes(one) ? 1 : -9
  const scored = all.map((one) => {
    const { kinds, timeframes } = one.body as Layout
    return { one, score: fits(kinds, kind) + fits(timeframes, bars.value) }
  })
  const best = scored.filter(({ score }) => score > 0).sort((a, b) => b.score - a.score)[0]
  return best?.one
}
/** Formulas that another page asks to see are drawn as long as the address names them; kept they are the
 * reader's own. */
const guests = computed(() => {
  const asked = [route.query.line].flat().filter((text) => typeof text === 'string')
  const own = layout.value.layers.map((layer) => layer.formula)
  return [...new Set(asked)].filter((text) => !own.includes(text))
})
const drawn = computed<Layout>(() => ({
  ...layout.value,
  layers: [...layout.value.layers, ...layersOf(guests.value)],
}))
/** Guests as the address names them. */
const named = (formulas: string[]) => ({ line: formulas.length ? formulas : undefined })
/** A guest whose formula is changed stays one; drawn in another way it is the reader's own. */
function arrange(part: Partial<Layout>) {
  const now = part.layers
  if (!now) return arranging.arrange(part)
  const [own, before] = [layout.value.layers, guests.value]
  const rest = now.slice(own.length).map((layer) => layer.formula)
  const asBefore = same(now, [...own, ...layersOf(rest)])
  if (asBefore && now.length <= own.length + before.length) return void query(named(rest))
  const isGuest = (layer: Layout['layers'][number]) =>
    before.includes(layer.formula) && same(layer, layersOf([layer.formula])[0])
  const left = now.filter(isGuest).map((layer) => layer.formula)
  const layers = now.filter((layer) => !isGuest(layer))
  arranging.arrange({ ...part, layers }, left.length < before.length ? named(left) : {})
}
function keepGuest(formula: string) {
  const layers = [...layout.value.layers, ...layersOf([formula])]
  arranging.arrange({ layers }, named(guests.value.filter((other) => other !== formula)))
}

const lost = computed(
  () => known.error.value instanceof ApiError && known.error.value.code === 'not_found',
)
const coverage = computed(() => own.value?.summary.coverage ?? [])
const bases = computed(() => coverage.value.map((c) => span(c.seconds)))
const kept = computed(
  () => coverage.value.find((c) => c.seconds && span(c.seconds) === bars.value)?.seconds,
)

const link = (place: number) => ({
  path: instrumentAt(codes.value[place]!),
  query: { ...route.query, at: undefined },
})
function step(by: number) {
  const to = Math.max(0, Math.min(codes.value.length - 1, at.value + by))
  if (codes.value[to] && to !== at.value) router.replace(link(to))
}
const panel = ref<InstanceType<typeof ChartPanel>>()
const by = ref<InstanceType<typeof ArrangedBy>>()
const margin = ref<InstanceType<typeof Known>>()
const full = ref(false)
function leave() {
  if (!panel.value?.leave())
    router.push({ path: '/instruments', query: { universe: universe.value } })
}
useKeys([
  { key: 'ArrowDown', does: 'next instrument', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'instrument before', repeats: true, run: () => step(-1) },
  { key: 'i', does: 'keep the layout under a name', run: () => void by.value?.begin() },
  undoKey,
  { key: 'Escape', does: 'end measuring, leave full size, back to the list', run: leave },
])
</script>

<template>
  <ChartFrame :full="full" margin="What is known">
    <template #rail>
      <Rail label="Instruments" :count="codes.length" :at="at" :to="link">
        <template #head>
          <select
            class="field universe"
            aria-label="Universe"
            :value="universe"
            @change="query({ universe: ($event.target as HTMLSelectElement).value })"
          >
            <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option>
          </select>
          <label class="only">
            <input
              type="checkbox"
              :checked="onlyFlagged"
              @change="query({ only: onlyFlagged ? undefined : FLAGGED })"
            />
            flagged only
          </label>
        </template>
        <template #default="{ place }">
          <span class="mono">{{ codes[place] }}</span>
          <span v-if="rows[place]?.findings.length" class="fall" title="The data check doubts it"
            >⚑</span
          >
        </template>
      </Rail>
    </template>
    <p v-if="lost" class="empty">
      There is no instrument {{ code }}.
      <RouterLink to="/instruments">See all instruments</RouterLink>
    </p>
    <ChartPanel
      v-else
      ref="panel"
      v-bind="{ code, bars, layout: drawn, guests, codes, near, bases, kept, full, universe }"
      :name="own?.summary.name ?? ''"
      :at="asked"
      @bars="(to) => query({ bars: to })"
      @layout="arrange"
      @keep="keepGuest"
      @full="(to) => (full = to)"
      @mend="(seconds, time) => margin?.mend(seconds, time)"
    >
      <template #arranged>
        <p class="arranged">
          laid out as <ArrangedBy ref="by" :of="arranging" label="Layout of the chart" hotkey="i" />
        </p>
        <Failed :failure="arranging.failure.value" />
      </template>
    </ChartPanel>
    <template v-if="own" #margin><Known ref="margin" :own="own" /></template>
  </ChartFrame>
</template>

<style scoped>
.universe {
  margin: 6px 6px 2px;
}
.arranged {
  margin: 0 0 4px;
}
.only {
  display: flex;
  align-items: center;
  gap: 6px;
  margin: 0 8px 4px;
  min-height: 24px;
  font-size: 12px;
}
.only input {
  width: 15px;
  height: 15px;
}
</style>
