<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ChartPanel, { type Change } from '@/features/chart/ChartPanel.vue'
import type { Drawing, Scale } from '@/features/chart/looks'
import ChartFrame from '@/features/frame/ChartFrame.vue'
import Rail from '@/features/frame/Rail.vue'
import { answer, api, ApiError } from '@/shared/api'
import { span } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { preferences } from '@/shared/preferences'
import { useUniverses } from '@/shared/queries'
import { takeBack } from '@/shared/undo'
import Known from './Known.vue'

/** What do I know of it? */
const FLAGGED = 'flagged'
const route = useRoute()
const router = useRouter()
const code = computed(() => String(route.params.code))
const universe = computed(() => String(route.query.universe ?? preferences.value.universe))
const onlyFlagged = computed(() => route.query.only === FLAGGED)
const bars = computed(() => String(route.query.bars ?? '1d'))
const scale = computed(() => String(route.query.scale ?? 'linear') as Scale)
const drawing = computed(() => String(route.query.as ?? 'candles') as Drawing)
const lines = computed(() => [route.query.line ?? []].flat().filter((l) => l !== null))
const asked = computed(() => Number(route.query.at ?? NaN))
const query = (to: Record<string, string | string[] | undefined>) =>
  router.replace({ query: { ...route.query, ...to } })
const change = ({ drawing: as, lines: line, ...rest }: Change) =>
  query({ ...rest, ...(as ? { as } : {}), ...(line ? { line } : {}) })

const universes = useUniverses()
const listed = useQuery({
  queryKey: ['instruments', universe],
  queryFn: () =>
    answer(api.GET('/api/instruments', { params: { query: { universe: universe.value } } })),
})
const rows = computed(() =>
  (listed.data.value ?? []).filter((i) => !onlyFlagged.value || i.findings.length),
)
const codes = computed(() => rows.value.map((i) => i.code))
const at = computed(() => codes.value.indexOf(code.value))
const near = computed(() =>
  [codes.value[at.value + 1], codes.value[at.value - 1]].filter((one) => one !== undefined),
)
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
const coverage = computed(() => own.value?.summary.coverage ?? [])
const bases = computed(() => coverage.value.map((c) => span(c.seconds)))
const kept = computed(
  () => coverage.value.find((c) => c.seconds && span(c.seconds) === bars.value)?.seconds,
)

const link = (place: number) => ({
  path: `/instruments/${codes.value[place]}`,
  query: { ...route.query, at: undefined },
})
function step(by: number) {
  const to = Math.max(0, Math.min(codes.value.length - 1, at.value + by))
  if (codes.value[to] && to !== at.value) router.replace(link(to))
}
const panel = ref<InstanceType<typeof ChartPanel>>()
const margin = ref<InstanceType<typeof Known>>()
const full = ref(false)
function leave() {
  if (!panel.value?.leave())
    router.push({ path: '/instruments', query: { universe: universe.value } })
}
useKeys([
  { key: 'ArrowDown', does: 'next instrument', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'instrument before', repeats: true, run: () => step(-1) },
  { key: 'Ctrl+z', does: 'undo what was just done', notInTexts: true, run: takeBack },
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
      v-bind="{ code, bars, scale, drawing, lines, codes, near, bases, kept, full, universe }"
      :name="own?.summary.name ?? ''"
      :at="asked"
      @change="change"
      @full="(to) => (full = to)"
      @mend="(seconds, time) => margin?.mend(seconds, time)"
    />
    <template v-if="own" #margin><Known ref="margin" :own="own" /></template>
  </ChartFrame>
</template>

<style scoped>
.universe {
  margin: 6px 6px 2px;
}
.only {
  display: flex;
  align-items: center;
  gap: 6px;
  margin: 0 8px 4px;
  font-size: 12px;
}
.only input {
  width: 15px;
  height: 15px;
}
</style>
