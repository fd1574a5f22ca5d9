<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { lineOf, orders, type RankedRow } from './ranks'

/** Rows ranked in every column, their ranks joined from column to column, so that turns are seen. */
const props = withDefaults(
  defineProps<{
    columns: readonly { label: string; told: string; note?: string }[]
    rows: readonly RankedRow[]
    chosen: string
    /** The column at hand; −1 for none. */
    at?: number
    figure: (value: number) => string
    row?: number
  }>(),
  { at: -1, row: 28 },
)
const emit = defineEmits<{ choose: [name: string]; reach: [column: number] }>()
const HEAD = 44
/** As wide as the longest name with its number, as far as there is room. */
const node = computed(() => {
  const longest = Math.max(0, ...props.rows.map((row) => row.name.length))
  return Math.max(110, Math.min(190, 60 + 6.3 * longest))
})
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const ranked = computed(() => orders(props.rows, props.columns.length))
const apart = computed(() => {
  const many = props.columns.length - 1
  return many > 0 ? Math.max(node.value + 16, (width.value - node.value) / many) : 0
})
const height = computed(() => HEAD + props.rows.length * props.row)
const middle = (rank: number) => HEAD + (rank + 0.5) * props.row
/** A turn of so many ranks is drawn heavy. */
const TURN = 3
const joins = computed(() =>
  props.rows.flatMap((row, place) =>
    props.columns.slice(1).flatMap((_, n) => {
      const [from, to] = [ranked.value[n]!.indexOf(place), ranked.value[n + 1]!.indexOf(place)]
      if (from < 0 || to < 0) return []
      const [x0, x1] = [n * apart.value + node.value, (n + 1) * apart.value]
      const bend = (x1 - x0) / 2
      const [y0, y1] = [middle(from), middle(to)]
      const path = `M${x0} ${y0}C${x0 + bend} ${y0} ${x1 - bend} ${y1} ${x1} ${y1}`
      const heavy = Math.abs(to - from) >= TURN
      return [{ key: `${row.name} ${n}`, name: row.name, path, heavy, ...lineOf(place) }]
    }),
  ),
)
</script>

<template>
  <div ref="box" class="ranks" :style="{ height: `${height}px` }">
    <svg
      :width="Math.max(width, (columns.length - 1) * apart + node)"
      :height="height"
      aria-hidden="true"
    >
      <path
        v-for="join in joins"
        :key="join.key"
        :d="join.path"
        :stroke="join.name === chosen ? 'var(--accent)' : join.stroke"
        :stroke-dasharray="join.dash"
        :stroke-width="join.name === chosen ? 3 : join.heavy ? 2.4 : 1.1"
        :opacity="chosen && join.name !== chosen ? 0.25 : 0.9"
      />
    </svg>
    <section
      v-for="(column, n) in columns"
      :key="n"
      :style="{ left: `${n * apart}px`, width: `${node}px` }"
      :aria-label="column.told"
    >
      <button
        class="head"
        :class="{ here: n === at }"
        :title="column.told"
        @click="emit('reach', n)"
      >
        {{ column.label }}
        <span v-if="column.note" class="quiet note">{{ column.note }}</span>
      </button>
      <ol>
        <li v-for="place in ranked[n]" :key="place" :style="{ height: `${row}px` }">
          <button
            class="node"
            :class="{ chosen: rows[place]!.name === chosen }"
            :style="{ borderColor: lineOf(place).stroke }"
            :title="`${rows[place]!.name}: ${rows[place]!.told}`"
            @click="emit('choose', rows[place]!.name)"
          >
            <span class="name">{{ rows[place]!.name }}</span>
            <span>{{ figure(rows[place]!.values[n]!) }}</span>
          </button>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
.ranks {
  position: relative;
  overflow: auto hidden;
}
svg {
  position: absolute;
  inset: 0 auto auto 0;
  fill: none;
}
section {
  position: absolute;
  top: 0;
}
.head {
  display: block;
  width: 100%;
  height: 44px;
  padding: 0 6px;
  font: inherit;
  text-align: left;
  color: var(--ink);
  background: none;
  border: 0;
  cursor: pointer;
}
.head.here {
  box-shadow: inset 0 -3px var(--accent);
}
.note {
  display: block;
  font-size: 11px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  align-items: center;
}
.node {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  width: 100%;
  min-height: 24px;
  padding: 1px 6px;
  font: inherit;
  font-size: 12px;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid;
  border-left-width: 4px;
  border-radius: 3px;
  cursor: pointer;
}
.node.chosen {
  background: var(--accent-wash);
  font-weight: 650;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
