<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer, api } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import ListOut from '@/shared/ListOut.vue'
import { keys, useUniverses, useVocabulary } from '@/shared/queries'
import { NO_RULE } from '@/shared/rules'
import { done } from '@/shared/undo'
import BoardCell from './BoardCell.vue'
import ColumnForm from './ColumnForm.vue'
import {
  digitsOf,
  EVERYTHING,
  label,
  ordered,
  passing,
  scaleOf,
  told,
  type BoardColumn,
  type Filter,
  type Order,
} from './board'

/** Who leads, who turns, who agrees? */
interface Arrangement {
  universe: string
  columns: BoardColumn[]
}
const PLAIN: BoardColumn = {
  formula: 'close',
  label: '',
  bars: '1d',
  back: 5,
  below: 0,
  above: 0,
  far_below: null,
  far_above: null,
}
const DENSITIES = { 20: 30, 30: 22, 40: 17, 60: 12, 80: 9 } as const
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const universes = useUniverses()
const vocabulary = useVocabulary()
const ready = useQuery({
  queryKey: ['ready boards'],
  staleTime: Infinity,
  queryFn: () => answer(api.GET('/api/boards/ready')),
})
/** What was changed of each board, on this machine. */
const changed = useLocalStorage<Record<string, Arrangement>>('boards', {})
const rowsShown = useLocalStorage<keyof typeof DENSITIES>('board rows', 20)
const size = computed(() => `${height.value - 2}px`)
const height = computed(() => DENSITIES[rowsShown.value] ?? DENSITIES[20])
const name = computed(() => String(route.query.board ?? ready.data.value?.[0]?.name ?? ''))
const asReady = computed(() => ready.data.value?.find((one) => one.name === name.value))
const arrangement = computed<Arrangement | undefined>(
  () => changed.value[name.value] ?? asReady.value,
)
const columns = computed(() => arrangement.value?.columns ?? [])
function arrange(to: Partial<Arrangement>) {
  const now = arrangement.value
  if (!now) return
  const next = { universe: now.universe, columns: now.columns, ...to }
  changed.value = { ...changed.value, [name.value]: next }
}
function asItCame() {
  changed.value = Object.fromEntries(
    Object.entries(changed.value).filter(([own]) => own !== name.value),
  )
}
const view = useQuery(
  computed(() => ({
    queryKey: ['board', arrangement.value],
    enabled: Boolean(arrangement.value),
    placeholderData: (before: unknown) => before as never,
    queryFn: ({ signal }: { signal: AbortSignal }) =>
      answer(
        api.POST('/api/board', {
          body: { universe: arrangement.value!.universe, columns: columns.value },
          signal,
        }),
      ),
  })),
)
/** What was asked for last; while another board is read, the one before stays in sight, greyed. */
const board = computed(() =>
  view.data.value?.columns.length === columns.value.length ? view.data.value : undefined,
)
const filter = ref<Filter>({ ...EVERYTHING })
const order = ref<Order>({ by: 'agreement', change: false, down: true })
const rows = computed(() =>
  board.value ? ordered(board.value, passing(board.value, filter.value), order.value) : [],
)
const scales = computed(() => board.value?.columns.map(scaleOf) ?? [])
const figures = computed(() =>
  (board.value?.columns ?? []).map((own) => {
    const digits = digitsOf(own)
    return (value: number) => value.toFixed(digits).replace('-', '−')
  }),
)

function shown(place: number, row: number) {
  const own = board.value!.columns[place]!
  const value = own.values[row]
  if (value == null) return ''
  return own.truth ? (value ? 'yes' : 'no') : figures.value[place]!(value)
}

/** The row and the column at hand. */
const at = ref(0)
const column = ref(0)
const editing = ref(false)
const marked = ref(new Set<string>())
const codeAt = (place: number) => board.value?.codes[rows.value[place] ?? -1]
watch([rows, columns], () => {
  at.value = Math.max(0, Math.min(at.value, rows.value.length - 1))
  column.value = Math.max(0, Math.min(column.value, columns.value.length - 1))
})
watch(name, () => {
  filter.value = { ...EVERYTHING }
  order.value = { by: 'agreement', change: false, down: true }
  marked.value = new Set()
})
const box = ref<HTMLElement>()
const virtual = useVirtualizer(
  computed(() => ({
    count: rows.value.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => height.value,
    scrollPaddingStart: 60,
    overscan: 20,
  })),
)
watch(height, () => virtual.value.measure())
watch(at, () => nextTick(() => virtual.value.scrollToIndex(at.value)))

const sort = (by: Order['by'], change = false) =>
  (order.value = {
    by,
    change,
    down:
      order.value.by === by && order.value.change === change ? !order.value.down : by !== 'code',
  })
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
function mark(code = codeAt(at.value)) {
  if (!code) return
  const next = new Set(marked.value)
  if (!next.delete(code)) next.add(code)
  marked.value = next
}
const chart = (code: string) => ({
  path: `/instruments/${encodeURIComponent(code)}`,
  query: {
    universe: arrangement.value?.universe,
    bars: columns.value[column.value]?.bars,
    line: columns.value[column.value]?.formula,
  },
})
const open = () => {
  const code = codeAt(at.value)
  if (code) void router.push(chart(code))
}

const { act, busy, failure } = useAct()
const naming = ref<string>()
const nameField = ref<HTMLInputElement>()
async function beginNaming() {
  if (!marked.value.size) return
  naming.value = ''
  await nextTick()
  nameField.value?.focus()
}
const keep = () =>
  act('Not kept', async () => {
    const called = naming.value?.trim()
    if (!called) return
    const universe = { name: called, rule: { ...NO_RULE, codes: [...marked.value] } }
    await answer(api.POST('/api/universes', { body: { universe } }))
    await client.invalidateQueries({ queryKey: keys.universes })
    done(`${called} holds ${plural(marked.value.size, 'instrument')} now.`)
    naming.value = undefined
    marked.value = new Set()
  })

const table = () => {
  const now = board.value!
  const of = <T,>(values: readonly T[]) => rows.value.map((row) => values[row]!)
  return {
    code: of(now.codes),
    name: of(now.names),
    agreement: of(now.agreement),
    ...Object.fromEntries(
      columns.value.flatMap((own, n) => [
        [label(own), of(now.columns[n]!.values)],
        [`${label(own)}, ${own.back} bars ago`, of(now.columns[n]!.before)],
      ]),
    ),
  }
}
const down = (by: number) =>
  (at.value = Math.max(0, Math.min(rows.value.length - 1, at.value + by)))
const across = (by: number) =>
  (column.value = Math.max(0, Math.min(columns.value.length - 1, column.value + by)))
useKeys([
  { key: 'ArrowDown', does: 'next row', repeats: true, run: () => down(1) },
  { key: 'ArrowUp', does: 'row before', repeats: true, run: () => down(-1) },
  { key: 'ArrowRight', does: 'next column', repeats: true, run: () => across(1) },
  { key: 'ArrowLeft', does: 'column before', repeats: true, run: () => across(-1) },
  { key: 'Enter', does: 'the chart of the row', run: open },
  { key: ' ', does: 'mark the row', run: () => mark() },
  { key: 'u', does: 'a universe of the marked rows', run: () => void beginNaming() },
  { key: 'o', does: 'order by the column', run: () => sort(column.value) },
  { key: 'i', does: 'order by how the column changed', run: () => sort(column.value, true) },
  { key: 'j', does: 'order by agreement', run: () => sort('agreement') },
  { key: 'a', does: 'add a column', run: add },
  { key: 'e', does: 'change the column', run: () => choose(column.value) },
  { key: 'x', does: 'take the column away', run: remove },
])
const grid = computed(
  () => `26px 76px minmax(110px, 1fr) 64px repeat(${columns.value.length}, minmax(104px, 150px))`,
)
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
      <select
        class="inline-part"
        aria-label="Universe"
        :value="arrangement?.universe"
        @change="arrange({ universe: ($event.target as HTMLSelectElement).value })"
      >
        <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option>
      </select>
      by
      <select
        class="inline-part"
        aria-label="Board"
        :value="name"
        @change="
          router.replace({
            query: { ...route.query, board: ($event.target as HTMLSelectElement).value },
          })
        "
      >
        <option v-for="one in ready.data.value" :key="one.name">{{ one.name }}</option>
      </select>
      <button v-if="changed[name]" class="button plain" @click="asItCame">as it came</button>; show
      <select v-model="filter.kind" class="inline-part" aria-label="Rows shown">
        <option value="all">all</option>
        <option value="turned">those that turned</option>
        <option value="far">those far out</option></select
      ><template v-if="filter.kind === 'turned'">
        within
        <input
          v-model.number="filter.within"
          type="number"
          class="inline-part within"
          min="0"
          max="500"
          aria-label="Within so many bars"
        />
        bars</template
      ><template v-if="filter.kind !== 'all' || filter.with >= 0">
        in
        <select v-model="filter.column" class="inline-part long" aria-label="In the column">
          <option v-for="(own, n) in columns" :key="n" :value="n">{{ label(own) }}</option>
        </select></template
      >, agreeing with
      <select v-model="filter.with" class="inline-part long" aria-label="Agreeing with">
        <option :value="-1">none in particular</option>
        <option v-for="(own, n) in columns" :key="n" :value="n">{{ label(own) }}</option></select
      >,
      <select v-model="rowsShown" class="inline-part" aria-label="Rows a screen">
        <option v-for="(_, n) in DENSITIES" :key="n" :value="Number(n)">{{ n }} rows</option>
      </select>
      a screen.
      <span v-if="board" class="quiet" role="status">
        {{ rows.length }} of {{ board.codes.length
        }}<template v-if="marked.size">, {{ marked.size }} marked</template>.
      </span>
    </p>
    <p class="acts">
      <button class="button" @click="add">Add a column <kbd>a</kbd></button>
      <button class="button" :disabled="!marked.size" @click="beginNaming">
        A universe of the marked <kbd>u</kbd>
      </button>
      <span v-if="naming !== undefined">
        <input
          ref="nameField"
          v-model="naming"
          class="field"
          placeholder="its name"
          aria-label="Name of the universe"
          maxlength="80"
          @keydown.enter="keep"
          @keydown.esc="naming = undefined"
        />
        <button class="button primary" :disabled="busy || !naming.trim()" @click="keep">
          Keep
        </button>
      </span>
      <ListOut v-if="rows.length" :name="`Board ${name}`" :columns="table" />
    </p>
    <ErrorNote v-if="failure" :error="failure.error" :what="failure.what" @retry="failure.again" />
    <ColumnForm
      v-if="editing && columns[column]"
      :key="column"
      :column="columns[column]!"
      :offered="vocabulary.data.value?.bars ?? []"
      @change="change"
      @remove="remove"
      @close="editing = false"
    />
    <p v-for="one in hatched" :key="one.n" class="fall" role="alert">
      <code>{{ one.column.formula }}</code> on {{ one.column.bars }} shows nothing:
      {{ one.problem.message }}{{ one.problem.mend ? ` — ${one.problem.mend}` : '' }}
    </p>
    <ErrorNote
      v-if="view.isError.value"
      :error="view.error.value"
      what="The board can't be shown"
      @retry="view.refetch()"
    />
    <p v-else-if="!board" class="quiet">reading…</p>
    <p v-else-if="!board.codes.length" class="empty">
      There is nothing in {{ arrangement?.universe }} as of this moment.
    </p>
    <div
      v-else
      ref="box"
      class="rows"
      :class="{ old: view.isPlaceholderData.value }"
      role="table"
      tabindex="0"
      :aria-label="`Board ${name}`"
      :aria-rowcount="rows.length + 1"
    >
      <div class="row head" role="row" :style="{ gridTemplateColumns: grid }">
        <span role="columnheader"><span class="visually-hidden">Marked</span></span>
        <span role="columnheader"><button @click="sort('code')">Code</button></span>
        <span role="columnheader">Name</span>
        <span role="columnheader">
          <button @click="sort('agreement')">
            Agree {{ order.by === 'agreement' ? (order.down ? '↓' : '↑') : '' }}
          </button>
        </span>
        <span
          v-for="(own, n) in columns"
          :key="n"
          role="columnheader"
          class="column"
          :class="{ here: n === column }"
        >
          <button class="formula mono" :title="`${own.formula} on ${own.bars}`" @click="choose(n)">
            {{ own.label || own.formula }}
          </button>
          <button :title="`order by ${label(own)}`" @click="sort(n)">
            {{ own.bars }}
            {{ order.by === n && !order.change ? (order.down ? '↓' : '↑') : '' }}
          </button>
          <button :title="`order by the change of ${label(own)}`" @click="sort(n, true)">
            Δ{{ own.back }} {{ order.by === n && order.change ? (order.down ? '↓' : '↑') : '' }}
          </button>
        </span>
      </div>
      <div class="room" :style="{ height: `${virtual.getTotalSize()}px` }">
        <div
          v-for="item in virtual.getVirtualItems()"
          :key="item.index"
          class="row"
          role="row"
          :aria-rowindex="item.index + 2"
          :class="{ here: item.index === at }"
          :style="{
            gridTemplateColumns: grid,
            transform: `translateY(${item.start}px)`,
            height: `${height}px`,
            fontSize: `${Math.min(13, height - 1)}px`,
          }"
          @click="at = item.index"
        >
          <span role="cell">
            <input
              type="checkbox"
              :checked="marked.has(codeAt(item.index)!)"
              :aria-label="`Mark ${codeAt(item.index)}`"
              @change="mark(codeAt(item.index))"
            />
          </span>
          <span role="cell">
            <RouterLink class="mono" :to="chart(codeAt(item.index)!)">{{
              codeAt(item.index)
            }}</RouterLink>
          </span>
          <span role="cell" class="name">{{ board.names[rows[item.index]!] }}</span>
          <span role="cell" class="number">{{ board.agreement[rows[item.index]!] }}</span>
          <BoardCell
            v-for="(own, n) in board.columns"
            :key="n"
            :zone="own.zones[rows[item.index]!]!"
            :text="shown(n, rows[item.index]!)"
            :now="scales[n]!(own.values[rows[item.index]!])"
            :before="scales[n]!(own.before[rows[item.index]!])"
            :turned="own.turned[rows[item.index]!]!"
            :words="told(own, rows[item.index]!, columns[n]!, figures[n]!)"
            :here="item.index === at && n === column"
            :tall="height"
          />
        </div>
      </div>
    </div>
  </main>
</template>

<style scoped>
.board {
  display: flex;
  flex-direction: column;
  height: calc(100vh - 44px);
  box-sizing: border-box;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
  margin: 4px 0 8px;
}
.within {
  width: 6ch;
}
.long {
  max-width: 30ch;
}
.rows {
  flex: 1;
  min-height: 0;
  overflow: auto;
  border-top: 1px solid var(--ink);
}
.old {
  opacity: 0.45;
}
.room {
  position: relative;
}
.row {
  display: grid;
  align-items: center;
  column-gap: 6px;
  min-width: max-content;
  width: 100%;
}
.room .row {
  position: absolute;
  top: 0;
  border-bottom: 1px solid var(--hair);
  box-sizing: border-box;
}
.row.here {
  box-shadow: inset 3px 0 var(--accent);
}
.head {
  position: sticky;
  top: 0;
  z-index: 2;
  background: var(--paper);
  border-bottom: 1px solid var(--ink);
  font-size: 12px;
  padding: 3px 0;
}
.head button {
  font: inherit;
  color: var(--quiet);
  background: none;
  border: 0;
  padding: 2px;
  min-height: 24px;
  min-width: 24px;
  text-align: left;
  cursor: pointer;
}
.column {
  min-width: 0;
}
.column.here {
  box-shadow: inset 0 -3px var(--accent);
}
.head .formula {
  display: block;
  width: 100%;
  color: var(--ink);
  font-family: var(--mono);
  font-size: 11px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.number {
  text-align: right;
}
input[type='checkbox'] {
  display: block;
  width: min(24px, 100%);
  height: min(24px, v-bind(size));
  margin: 0;
}
</style>
