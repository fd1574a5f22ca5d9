<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, nextTick, ref } from 'vue'
import { enter } from '@/shared/firstField'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import Lines from '@/parts/drawings/Lines.vue'
import Ranks from '@/parts/drawings/Ranks.vue'
import { ApiError, answer, type Schemas } from '@/shared/api'
import ArrangedBy from '@/shared/ArrangedBy.vue'
import { useArranging } from '@/shared/arranging'
import Failed from '@/shared/Failed.vue'
import { moment, signed, told, wholeWithin } from '@/shared/format'
import FormingPart from '@/shared/FormingPart.vue'
import InlineText from '@/shared/InlineText.vue'
import { useKeys } from '@/shared/keys'
import ListOut, { type Columns } from '@/shared/ListOut.vue'
import { useVocabulary } from '@/shared/queries'
import UniversePart from '@/shared/UniversePart.vue'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** Which currency against which? */
type StrengthSet = Schemas['StrengthSet']
type Span = StrengthSet['spans'][number]
const LIKE: StrengthSet = {
  universe: '',
  spans: [{ bars: '1d', count: 1, label: '' }],
  unit: 'percent',
  without: [''],
  history: 160,
  forming: false,
}
const route = useRoute()
const router = useRouter()
const vocabulary = useVocabulary()
const arranging = useArranging<StrengthSet>('strength', LIKE)
const { arrange } = arranging
const arranged = computed(() => arranging.now.value)
const tell = (part: LocationQueryRaw) => router.replace({ query: { ...route.query, ...part } })
const line = computed(() => {
  const asked = Number(route.query.span ?? 0)
  const last = (arranged.value?.spans.length ?? 1) - 1
  return Number.isInteger(asked) ? Math.max(0, Math.min(last, asked)) : 0
})
const view = useRead(() => {
  const { without = [], history = 160, ...rest } = arranged.value ?? LIKE
  const body = { ...rest, without, history, line: line.value }
  return {
    of: keys.strength(arranged.value, line.value),
    enabled: Boolean(arranged.value),
    keeps: true,
    read: (server, signal) => answer(server.POST('/api/strength', { body: body as never, signal })),
  }
})
/** What was asked for last. */
const seen = computed(() =>
  view.data.value?.spans.length === arranged.value?.spans.length ? view.data.value : undefined,
)
const digits = computed(() => (arranged.value?.unit === 'steps' ? 0 : 2))
const figure = (value: number) => signed(value, digits.value)
/** The way of what is shown: what is written as nothing has none. */
function wayOf(move: number | null) {
  const shown = Number(move?.toFixed(digits.value) ?? 0)
  return shown > 0 ? 'rise' : shown < 0 ? 'fall' : ''
}
const called = (span: Span) => span.label || `${span.count} × ${span.bars}`
const when = (seconds: number) => (seconds ? moment(new Date(1000 * seconds).toISOString()) : '–')
const columns = computed(() =>
  (arranged.value?.spans ?? []).map((span, n) => {
    const own = seen.value?.spans[n]
    const sum = own && !own.problems.length ? `all together ${figure(own.sum)}` : 'not known'
    const words = `${called(span)}: ${span.count} bars of ${span.bars}, to ${when(own?.moment ?? 0)}`
    return { label: called(span), told: words, note: sum }
  }),
)
const rows = computed(() =>
  (seen.value?.currencies ?? []).map((name, place) => ({
    name,
    values: seen.value!.spans.map((span) => span.values[place] ?? null),
  })),
)
const chosen = computed(() => {
  const asked = String(route.query.currency ?? '')
  return seen.value?.currencies.includes(asked) ? asked : ''
})
const choose = (name: string) => void tell({ currency: name === chosen.value ? undefined : name })

/** The chosen currency against each of the others, by what it gained over the span at hand. */
const partners = computed(() => {
  if (!chosen.value || !seen.value) return []
  const { pairs, spans } = seen.value
  const found = pairs.flatMap((pair, place) => {
    if (pair.base !== chosen.value && pair.quote !== chosen.value) return []
    const sign = pair.base === chosen.value ? 1 : -1
    const moves = spans.map((span) => {
      const move = span.moves[place]
      return move == null ? null : sign * move
    })
    return [{ code: pair.code, other: sign > 0 ? pair.quote : pair.base, moves }]
  })
  const by = (moves: (number | null)[]) => moves[line.value] ?? -Infinity
  return found.sort((a, b) => by(b.moves) - by(a.moves))
})
/** Over each span the strongest currency and the weakest, with the pair that joins them, if one does. */
const extremes = computed(() =>
  columns.value.map((column, n) => {
    const known = rows.value.filter((row) => row.values[n] != null)
    const order = [...known].sort((a, b) => b.values[n]! - a.values[n]!)
    const [strong, weak] = [order[0]?.name ?? '', order.at(-1)?.name ?? '']
    const joins = (pair: { base: string; quote: string }) =>
      (pair.base === strong && pair.quote === weak) || (pair.base === weak && pair.quote === strong)
    const place = seen.value?.pairs.findIndex(joins) ?? -1
    const pair = seen.value?.pairs[place]
    const move = pair && seen.value?.spans[n]?.moves[place]
    const won = move == null ? undefined : pair!.base === strong ? move : -move
    return { label: column.label, strong, weak, code: pair?.code, won }
  }),
)
const openExtreme = () => {
  const code = extremes.value[line.value]?.code
  if (code) void router.push(chartOf(code))
}
const silent = computed(() =>
  (seen.value?.spans ?? []).flatMap((span, n) =>
    span.silent.length
      ? [
          `${span.silent.join(', ')} ${span.silent.length > 1 ? 'say' : 'says'} nothing over ${called(arranged.value!.spans[n]!)}`,
        ]
      : [],
  ),
)
const problems = computed(() =>
  (seen.value?.spans ?? []).flatMap((span, n) =>
    span.problems.map((problem) => ({ n, problem, span: arranged.value!.spans[n]! })),
  ),
)

const setSpan = (n: number, part: Partial<Span>) =>
  arrange({ spans: arranged.value!.spans.map((own, m) => (m === n ? { ...own, ...part } : own)) })
function setCount(n: number, text: string) {
  const count = wholeWithin(text, 1, 5000)
  if (count) setSpan(n, { count, label: '' })
}
const addSpan = async () => {
  const spans = arranged.value?.spans ?? []
  if (spans.length >= 12) return
  await arrange({ spans: [...spans, { ...(spans.at(-1) ?? LIKE.spans[0]!), label: '' }] })
  await nextTick()
  enter(document.querySelector<HTMLElement>(`[aria-label="Bars of span ${spans.length + 1}"]`))
}
const dropSpan = (n: number) => {
  const spans = arranged.value?.spans ?? []
  if (spans.length > 1) arrange({ spans: spans.filter((_, m) => m !== n) })
}
const without = computed(() => arranged.value?.without ?? [])
const leaveOut = (name = chosen.value) => {
  if (!name) return
  const now = without.value
  arrange({ without: now.includes(name) ? now.filter((own) => own !== name) : [...now, name] })
}
const step = (by: number) => {
  const order = [...rows.value].sort(
    (a, b) => (b.values[line.value] ?? -Infinity) - (a.values[line.value] ?? -Infinity),
  )
  const at = order.findIndex((row) => row.name === chosen.value)
  const to = order[at < 0 ? 0 : Math.max(0, Math.min(order.length - 1, at + by))]
  if (to) void tell({ currency: to.name })
}
const open = () => {
  const first = partners.value[0]
  if (first) void router.push(chartOf(first.code))
}
const noPairs = computed(() => (view.error.value as ApiError | null)?.code === 'no_pairs')
const chartOf = (code: string, span = line.value) => ({
  path: instrumentAt(code),
  query: { universe: arranged.value?.universe, bars: arranged.value?.spans[span]?.bars },
})
const bar = ref<InstanceType<typeof ArrangedBy>>()
useKeys([
  { key: 'ArrowDown', does: 'next currency', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'currency before', repeats: true, run: () => step(-1) },
  { key: 'ArrowRight', does: 'next span', repeats: true, run: () => void tell({ span: Math.min(line.value + 1, columns.value.length - 1) }) }, // prettier-ignore
  { key: 'ArrowLeft', does: 'span before', repeats: true, run: () => void tell({ span: Math.max(line.value - 1, 0) }) }, // prettier-ignore
  { key: 'x', does: 'leave the currency out', run: () => leaveOut() },
  { key: 'a', does: 'add a span', run: addSpan },
  { key: 'Enter', does: 'the chart of its strongest pair', run: open },
  { key: 'w', does: 'the chart of the strongest against the weakest', run: openExtreme },
  { key: 'k', does: 'keep the spans under a name', run: () => void bar.value?.begin() },
  { key: 'Escape', does: 'choose no currency', run: () => void tell({ currency: undefined }) },
])
const table = (): Columns => [
  ['currency', rows.value.map((row) => row.name)],
  ...columns.value.map(
    (column, n) => [column.label, rows.value.map((row) => row.values[n])] as const,
  ),
]
</script>

<template>
  <main class="page">
    <p class="sentence">
      Look at the currencies of
      <UniversePart :name="arranged?.universe" @choose="(universe) => arrange({ universe })" />
      by <ArrangedBy ref="bar" :of="arranging" label="Spans" />, in
      <select
        class="inline-part"
        aria-label="Measured in"
        :value="arranged?.unit"
        @change="arrange({ unit: ($event.target as HTMLSelectElement).value as 'percent' })"
      >
        <option value="percent">percent</option>
        <option value="steps">price steps</option></select
      >, on
      <FormingPart :forming="arranged?.forming" @choose="(forming) => arrange({ forming })" />;
      spans of
      <template v-for="(span, n) in arranged?.spans" :key="n"
        ><template v-if="n">, </template>
        <InlineText
          :value="String(span.count)"
          :least="3"
          :aria-label="`Bars of span ${n + 1}`"
          @take="(text) => setCount(n, text)"
        />
        ×
        <InlineText
          :value="span.bars"
          :least="4"
          list="bars-of-spans"
          :aria-label="`Bar of span ${n + 1}`"
          @take="(bars) => bars && setSpan(n, { bars, label: '' })"
        /><button
          v-if="(arranged?.spans.length ?? 0) > 1"
          class="button plain"
          :aria-label="`Take span ${n + 1} away`"
          @click="dropSpan(n)"
        >
          ×
        </button></template
      >
      <button class="button plain" @click="addSpan">one more <kbd>a</kbd></button>
      <datalist id="bars-of-spans">
        <option v-for="o in vocabulary.data.value?.bars" :key="o.value" :value="o.value">
          {{ o.told }}
        </option>
      </datalist>
    </p>
    <p class="notes">
      <template v-if="without.length">
        <span class="fall">Left out:</span>
        <button v-for="name in without" :key="name" class="button plain" @click="leaveOut(name)">
          {{ name }} ×
        </button>
      </template>
      <span v-if="seen?.absent.length" class="fall">
        No pair joins {{ seen.absent.join(', ') }}.
      </span>
      <span v-for="text in silent" :key="text" class="fall">{{ text }}. </span>
      <ListOut v-if="rows.length" name="Strength of currencies" :columns="table" />
    </p>
    <p v-for="(one, n) in problems" :key="n" class="fall" role="alert">
      {{ one.span.count }} × {{ one.span.bars }} shows nothing: {{ told(one.problem) }}
    </p>
    <Failed :failure="arranging.failure.value" />
    <p v-if="noPairs" class="empty">
      No instrument of {{ arranged?.universe }} prices one currency in another, so there is no
      strength to add up. Pairs have the facts base and quote: from a table of instruments, or
      <RouterLink to="/instruments">said on their page</RouterLink>.
    </p>
    <Reply v-else :of="view" what="The strength can't be shown"
      ><template v-if="seen">
        <div class="both" :class="{ old: view.isPlaceholderData.value }">
          <Ranks
            class="ranks"
            :columns="columns"
            :rows="rows"
            :chosen="chosen"
            :at="line"
            :figure="figure"
            @choose="choose"
            @reach="(n) => tell({ span: n })"
          />
          <section v-if="chosen" class="partners" :aria-label="`${chosen} against the others`">
            <h2>
              {{ chosen }} against
              <button class="button plain" @click="leaveOut()">leave it out <kbd>x</kbd></button>
            </h2>
            <table class="ledger">
              <thead>
                <tr>
                  <th scope="col">Other</th>
                  <th scope="col">Pair</th>
                  <th v-for="(column, n) in columns" :key="n" scope="col" class="number">
                    {{ column.label }}
                  </th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="own in partners" :key="own.code">
                  <td>
                    <button class="button plain" @click="choose(own.other)">{{ own.other }}</button>
                  </td>
                  <td>
                    <RouterLink class="mono" :to="chartOf(own.code)">{{ own.code }}</RouterLink>
                  </td>
                  <td v-for="(move, n) in own.moves" :key="n" class="number" :class="wayOf(move)">
                    {{ move == null ? '–' : figure(move) }}
                  </td>
                </tr>
              </tbody>
            </table>
          </section>
        </div>
        <p v-if="rows.length > 1" class="extremes">
          Strongest against weakest <kbd>w</kbd>
          <span v-for="(own, n) in extremes" :key="n" :class="{ here: n === line }"
            >over {{ own.label }}: <b>{{ own.strong }}</b> against <b>{{ own.weak }}</b>,
            <template v-if="own.code"
              ><RouterLink class="mono" :to="chartOf(own.code, n)">{{ own.code }}</RouterLink>
              {{ own.won === undefined ? '' : figure(own.won) }}</template
            ><template v-else>no pair joins them</template></span
          >
        </p>
        <p class="quiet">
          A strength is the sum of a currency’s moves against all the others that a pair joins it
          with.
        </p>
        <h2 v-if="seen.moments.length">
          Over {{ columns[line]?.label }} through time, {{ seen.moments.length }} bars
        </h2>
        <Lines
          v-if="seen.moments.length"
          :label="`Strength over ${columns[line]?.label} through time`"
          :moments="seen.moments"
          :lines="seen.currencies.map((name, n) => ({ name, values: seen!.history[n]! }))"
          :chosen="chosen"
          :figure="figure"
          :height="260"
          @choose="choose"
        /> </template
    ></Reply>
  </main>
</template>

<style scoped>
.extremes {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  margin: 8px 0 2px;
}
.extremes .here {
  box-shadow: inset 0 -2px var(--accent);
}
.both {
  display: flex;
  gap: 28px;
  align-items: flex-start;
}
.ranks {
  flex: 1;
  min-width: 0;
}
.old {
  opacity: 0.45;
}
.partners {
  flex: none;
  max-width: 46%;
  overflow-x: auto;
}
h2 {
  font-size: 14px;
  font-weight: 500;
  margin: 8px 0 4px;
}
.notes {
  margin: 0 0 8px;
}
@media (max-width: 900px) {
  .both {
    flex-direction: column;
  }
  .ranks {
    width: 100%;
  }
  .partners {
    max-width: 100%;
  }
}
</style>
