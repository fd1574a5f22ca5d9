<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { useKept } from '@/shared/store'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { answer } from '@/shared/api'
import ArrangedBy from '@/shared/ArrangedBy.vue'
import { useArranging } from '@/shared/arranging'
import Failed from '@/shared/Failed.vue'
import FormingPart from '@/shared/FormingPart.vue'
import { told } from '@/shared/format'
import KeepUniverse from '@/shared/KeepUniverse.vue'
import { useKeys } from '@/shared/keys'
import ListOut, { type Column, type Columns } from '@/shared/ListOut.vue'
import { useVocabulary } from '@/shared/queries'
import StoppedPart from '@/shared/StoppedPart.vue'
import UniversePart from '@/shared/UniversePart.vue'
import BoardTable from './BoardTable.vue'
import ColumnForm from './ColumnForm.vue'
import {
  figuresOf,
  told as cellTold,
  filterRead,
  filterTold,
  label,
  ordered,
  orderRead,
  orderTold,
  passing,
  type BoardColumn,
  type BoardSet,
  type Filter,
  type Order,
} from './board'
import { boardPicture } from './boardPicture'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** Who leads, who turns, who agrees? */
const PLAIN: BoardColumn = {
  formula: 'close',
  label: '',
  bars: '1d',
  back: 5,
  below: 0,
  above: 0,
  far_below: null,
  far_above: null,
  digits: null,
  width: null,
}
const LIKE: BoardSet = { universe: '', columns: [PLAIN], forming: false }
const DENSITIES = { 20: 30, 30: 22, 40: 17, 60: 12, 80: 9 } as const
const route = useRoute()
const router = useRouter()
const vocabulary = useVocabulary()
const arranging = useArranging<BoardSet>('board', LIKE)
const { arrange, name } = arranging
const asked = computed(() => arranging.now.value)
const columns = computed(() => asked.value?.columns ?? [])
const rowsShown = useKept<keyof typeof DENSITIES>('board rows', 20)
const widths = useKept<'as set' | 'close'>('board columns', 'as set')
const height = computed(() => DENSITIES[rowsShown.value] ?? DENSITIES[20])
const view = useRead(() => {
  const body = asked.value!
  return {
    of: keys.board(body),
    enabled: Boolean(body),
    keeps: true,
    read: (server, signal) => answer(server.POST('/api/board', { body, signal })),
  }
})
/** What was asked for last; while another board is read, the one before stays in sight, greyed. */
const board = computed(() =>
  view.data.value?.columns.length === columns.value.length ? view.data.value : undefined,
)
const tell = (part: LocationQueryRaw) => router.replace({ query: { ...route.query, ...part } })
const filter = computed(() => filterRead(route.query.show))
const order = computed(() => orderRead(route.query.order))
const only = (part: Partial<Filter>) => tell({ show: filterTold({ ...filter.value, ...part }) })
const rows = computed(() =>
  board.value ? ordered(board.value, passing(board.value, filter.value), order.value) : [],
)

/** The row and the column at hand. */
const at = ref(0)
const column = ref(0)
const editing = ref(false)
const marked = ref(new Set<string>())
const shownCodes = computed(() => rows.value.map((row) => board.value!.codes[row]!))
const codeAt = (place: number) => board.value?.codes[rows.value[place] ?? -1]
watch([rows, columns], () => {
  at.value = Math.max(0, Math.min(at.value, rows.value.length - 1))
  column.value = Math.max(0, Math.min(column.value, columns.value.length - 1))
})
watch(name, () => (marked.value = new Set()))

function sort(by: Order['by'], change = false) {
  const same = order.value.by === by && order.value.change === change
  const down = same ? !order.value.down : by !== 'code'
  void tell({ order: orderTold({ by, change, down }) })
}
function choose(place: number) {
  editing.value = !(editing.value && column.value === place)
  column.value = place
}
const change = (to: BoardColumn) =>
  arrange({ columns: columns.value.map((own, n) => (n === column.value ? to : own)) })
function add() {
  const like = columns.value[column.value] ?? PLAIN
  arrange({ columns: [...columns.value, { ...like, label: '' }] })
  column.value = columns.value.length - 1
  editing.value = true
}
function remove() {
  editing.value = false
  arrange({ columns: columns.value.filter((_, n) => n !== column.value) })
}
/** The column at hand changes places with the one beside it. */
function shift(by: number) {
  const to = column.value + by
  if (to < 0 || to >= columns.value.length) return
  const next = [...columns.value]
  next.splice(to, 0, ...next.splice(column.value, 1))
  arrange({ columns: next })
  column.value = to
}
function mark(code = codeAt(at.value)) {
  if (!code) return
  const next = new Set(marked.value)
  if (!next.delete(code)) next.add(code)
  marked.value = next
}
const chart = (code: string) => ({
  path: instrumentAt(code),
  query: {
    universe: asked.value?.universe,
    bars: columns.value[column.value]?.bars,
    line: columns.value[column.value]?.formula,
  },
})
const open = () => {
  const code = codeAt(at.value)
  if (code) void router.push(chart(code))
}

const table = (): Columns => {
  const now = board.value!
  const of = <T,>(values: readonly T[]) => rows.value.map((row) => values[row]!)
  return [
    ['code', of(now.codes)],
    ['name', of(now.names)],
    ['agreement', of(now.agreement)],
    ...columns.value.flatMap((own, n): Column[] => [
      [label(own), of(now.columns[n]!.values)],
      [`${label(own)}, ${own.back} bars ago`, of(now.columns[n]!.before)],
    ]),
  ]
}
const draw = () =>
  board.value && boardPicture(board.value, columns.value, rows.value, `Board ${name.value}`)
const down = (by: number) =>
  (at.value = Math.max(0, Math.min(rows.value.length - 1, at.value + by)))
const across = (by: number) =>
  (column.value = Math.max(0, Math.min(columns.value.length - 1, column.value + by)))
const bar = ref<InstanceType<typeof ArrangedBy>>()
useKeys([
  { key: 'ArrowDown', does: 'next row', repeats: true, run: () => down(1) },
  { key: 'ArrowUp', does: 'row before', repeats: true, run: () => down(-1) },
  { key: 'ArrowRight', does: 'next column', repeats: true, run: () => across(1) },
  { key: 'ArrowLeft', does: 'column before', repeats: true, run: () => across(-1) },
  { key: 'Enter', does: 'the chart of the row', run: open },
  { key: ' ', does: 'mark the row', run: () => mark() },
  { key: 'o', does: 'order by the column', run: () => sort(column.value) },
  { key: 'i', does: 'order by how the column changed', run: () => sort(column.value, true) },
  { key: 'j', does: 'order by agreement', run: () => sort('agreement') },
  { key: 'a', does: 'add a column', run: add },
  { key: 'e', does: 'change the column', run: () => choose(column.value) },
  { key: 'x', does: 'take the column away', run: remove },
  { key: 'k', does: 'keep the board under a name', run: () => void bar.value?.begin() },
])
/** The cell at hand in words, with the conditions that it counts. */
const here = computed(() => {
  const [own, row] = [board.value?.columns[column.value], rows.value[at.value]]
  const of = columns.value[column.value]
  if (!own || !of || row === undefined || !own.parts.length) return
  const words = cellTold(own, row, of, figuresOf(own, of))
  return { code: board.value!.codes[row]!, words: words.replaceAll('\n', ' · ') }
})
const hatched = computed(() =>
  (board.value?.columns ?? []).flatMap((own, n) =>
    own.problems.map((problem) => ({ n, problem, column: columns.value[n]! })),
  ),
)
</script>

<template>
  <main class="page board">
    <p class="sentence">
      Look at
      <UniversePart :name="asked?.universe" @choose="(universe) => arrange({ universe })" />
      by <ArrangedBy ref="bar" :of="arranging" label="Board" />; on
      <FormingPart :forming="asked?.forming" @choose="(forming) => arrange({ forming })" />; show
      <select
        class="inline-part"
        aria-label="Rows shown"
        :value="filter.kind"
        @change="only({ kind: ($event.target as HTMLSelectElement).value as Filter['kind'] })"
      >
        <option value="all">all</option>
        <option value="turned">those that turned</option>
        <option value="far">those far out</option></select
      ><template v-if="filter.kind === 'turned'">
        within
        <input
          :value="filter.within"
          type="number"
          class="inline-part within"
          min="0"
          max="500"
          aria-label="Within so many bars"
          @change="only({ within: Math.round(Number(($event.target as HTMLInputElement).value)) })"
        />
        bars</template
      ><template v-if="filter.kind !== 'all' || filter.with >= 0">
        in
        <select
          class="inline-part long"
          aria-label="In the column"
          :value="filter.column"
          @change="only({ column: Number(($event.target as HTMLSelectElement).value) })"
        >
          <option v-for="(own, n) in columns" :key="n" :value="n">{{ label(own) }}</option>
        </select></template
      >, agreeing with
      <select
        class="inline-part long"
        aria-label="Agreeing with"
        :value="filter.with"
        @change="only({ with: Number(($event.target as HTMLSelectElement).value) })"
      >
        <option :value="-1">none in particular</option>
        <option v-for="(own, n) in columns" :key="n" :value="n">{{ label(own) }}</option></select
      >,
      <select v-model="rowsShown" class="inline-part" aria-label="Rows a screen">
        <option v-for="(_, n) in DENSITIES" :key="n" :value="Number(n)">{{ n }} rows</option>
      </select>
      a screen, columns
      <select v-model="widths" class="inline-part" aria-label="Columns">
        <option value="as set">as wide as they are set</option>
        <option value="close">close</option></select
      >.
      <span v-if="board" class="quiet" role="status">
        {{ rows.length }} of {{ board.codes.length
        }}<template v-if="marked.size">, {{ marked.size }} marked</template>.
      </span>
    </p>
    <p class="acts">
      <button class="button" @click="add">Add a column <kbd>a</kbd></button>
      <KeepUniverse
        :codes="[...marked]"
        :shown="shownCodes"
        @mark="(codes) => (marked = new Set(codes))"
        @kept="marked = new Set()"
      />
      <RouterLink
        v-if="marked.size"
        class="button"
        :to="{ path: '/scatter', query: { codes: [...marked].join(','), of: asked?.universe } }"
        >The marked as a scatter</RouterLink
      >
      <ListOut v-if="rows.length" :name="`Board ${name}`" :columns="table" :picture="draw" />
      <StoppedPart :codes="board?.stopped" />
    </p>
    <Failed :failure="arranging.failure.value" />
    <ColumnForm
      v-if="editing && columns[column]"
      :key="column"
      :column="columns[column]!"
      :offered="vocabulary.data.value?.bars ?? []"
      @change="change"
      @remove="remove"
      @shift="shift"
      @close="editing = false"
    />
    <p v-for="one in hatched" :key="one.n" class="fall" role="alert">
      <code>{{ one.column.formula }}</code> on {{ one.column.bars }} shows nothing:
      {{ told(one.problem) }}
    </p>
    <p v-if="here" class="here" role="status">
      <b>{{ here.code }}</b> {{ label(columns[column]!) }}: {{ here.words }}
    </p>
    <Reply :of="view" what="The board can't be shown" :empty="!board?.codes.length">
      <template #empty
        ><p class="empty">There is nothing in {{ asked?.universe }} as of this moment.</p></template
      >
      <BoardTable
        v-if="board"
        :class="{ old: view.isPlaceholderData.value }"
        :board="board"
        :columns="columns"
        :rows="rows"
        :order="order"
        :label="`Board ${name}`"
        :at="at"
        :column="column"
        :marked="marked"
        :height="height"
        :close="widths === 'close'"
        :to="chart"
        @sort="sort"
        @choose="choose"
        @reach="at = $event"
        @mark="mark"
      />
    </Reply>
  </main>
</template>

<style scoped>
.board {
  display: flex;
  flex-direction: column;
  height: calc(100vh - var(--top));
  box-sizing: border-box;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
  margin: 4px 0 8px;
}
.here {
  margin: 0 0 6px;
  font-size: 12px;
}
.within {
  width: 6ch;
}
.long {
  max-width: 30ch;
}
.old {
  opacity: 0.45;
}
</style>
