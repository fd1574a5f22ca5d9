<script setup lang="ts">
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import BoardCell from './BoardCell.vue'
import {
  figuresOf,
  label as labelOf,
  scaleOf,
  textOf,
  told,
  type Board,
  type BoardColumn,
  type Order,
} from './board'

/** The rows of a board in their order; only those in sight are drawn, the one at hand is kept in sight. */
const props = defineProps<{
  board: Board
  columns: readonly BoardColumn[]
  rows: readonly number[]
  order: Order
  label: string
  /** The row and the column at hand. */
  at: number
  column: number
  marked: ReadonlySet<string>
  height: number
  /** All columns as narrow as their numbers allow. */
  close: boolean
  to: (code: string) => RouteLocationRaw
}>()
const emit = defineEmits<{
  sort: [by: Order['by'], change: boolean]
  choose: [column: number]
  reach: [row: number]
  mark: [code: string]
}>()
/** Pixels that a number takes with its mark beside it. */
const CLOSE = 62
const size = computed(() => `${props.height - 2}px`)
const scales = computed(() => props.board.columns.map(scaleOf))
const figures = computed(() =>
  props.board.columns.map((own, n) => figuresOf(own, props.columns[n]!)),
)
const texts = computed(() =>
  props.board.columns.map((own, n) => (row: number) => textOf(own, row, figures.value[n]!)),
)
const codeAt = (place: number) => props.board.codes[props.rows[place] ?? -1] ?? ''
const box = ref<HTMLElement>()
const virtual = useVirtualizer(
  computed(() => ({
    count: props.rows.length,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => props.height,
    scrollPaddingStart: 60,
    overscan: 20,
  })),
)
watch(
  () => props.height,
  () => virtual.value.measure(),
)
watch(
  () => props.at,
  (at) => nextTick(() => virtual.value.scrollToIndex(at)),
)
const gap = computed(() => (props.close ? '2px' : '6px'))
const grid = computed(() => {
  const widths = props.columns.map((own) =>
    props.close ? `${CLOSE}px` : own.width ? `${own.width}px` : 'minmax(104px, 190px)',
  )
  return `26px 76px minmax(${props.close ? 84 : 110}px, 200px) ${props.close ? 40 : 64}px ${widths.join(' ')}`
})
</script>

<template>
  <div
    ref="box"
    class="rows"
    role="table"
    tabindex="0"
    :aria-label="label"
    :aria-rowcount="rows.length + 1"
  >
    <div class="row head" role="row" :style="{ gridTemplateColumns: grid }">
      <span role="columnheader"><span class="visually-hidden">Marked</span></span>
      <span role="columnheader"><button @click="emit('sort', 'code', false)">Code</button></span>
      <span role="columnheader">Name</span>
      <span role="columnheader">
        <button @click="emit('sort', 'agreement', false)">
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
        <button
          class="formula mono"
          :title="`${own.formula} on ${own.bars}`"
          @click="emit('choose', n)"
        >
          {{ own.label || own.formula }}
        </button>
        <button :title="`order by ${labelOf(own)}`" @click="emit('sort', n, false)">
          {{ own.bars }}
          {{ order.by === n && !order.change ? (order.down ? '↓' : '↑') : '' }}
        </button>
        <button :title="`order by the change of ${labelOf(own)}`" @click="emit('sort', n, true)">
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
        @click="emit('reach', item.index)"
      >
        <span role="cell">
          <input
            type="checkbox"
            :checked="marked.has(codeAt(item.index))"
            :aria-label="`Mark ${codeAt(item.index)}`"
            @change="emit('mark', codeAt(item.index))"
          />
        </span>
        <span role="cell">
          <RouterLink class="mono" :to="to(codeAt(item.index))">{{
            codeAt(item.index)
          }}</RouterLink>
        </span>
        <span role="cell" class="name">{{ board.names[rows[item.index]!] }}</span>
        <span role="cell" class="number">{{ board.agreement[rows[item.index]!] }}</span>
        <BoardCell
          v-for="(own, n) in board.columns"
          :key="n"
          :zone="own.zones[rows[item.index]!]!"
          :text="texts[n]!(rows[item.index]!)"
          :now="scales[n]!(own.values[rows[item.index]!])"
          :before="scales[n]!(own.before[rows[item.index]!])"
          :turned="own.turned[rows[item.index]!]!"
          :words="told(own, rows[item.index]!, columns[n]!, figures[n]!)"
          :here="item.index === at && n === column"
          :tall="height"
          :close="close"
        />
      </div>
    </div>
  </div>
</template>

<style scoped>
.rows {
  flex: 1;
  min-height: 0;
  overflow: auto;
  border-top: 1px solid var(--ink);
}
.room {
  position: relative;
}
.row {
  display: grid;
  align-items: center;
  column-gap: v-bind(gap);
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
