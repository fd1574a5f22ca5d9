<script setup lang="ts">
import { whole } from '@/shared/format'
import { computed, ref } from 'vue'
import type { ImportView, Layout } from '@/shared/api'
import { named } from './bring'

/** The first rows of a file, each column with what it is. */
const props = defineProps<{ view: ImportView; layout: Layout }>()
const emit = defineEmits<{ correct: [part: Partial<Layout>] }>()

/** Of more columns those that are something are shown, and the first of the others. */
const MOST = 40
const words = ref('')
const fieldOf = (column: string) =>
  Object.entries(props.layout.columns ?? {}).find(([, c]) => c === column)?.[0] ?? ''
const shown = computed(() => {
  const all = props.view.names.map((name, place) => ({ name, place }))
  if (all.length <= MOST) return all
  const used = new Set(Object.values(props.layout.columns ?? {}))
  const sought = words.value.trim().toLowerCase()
  const others = all.filter((c) => !used.has(c.name) && c.name.toLowerCase().includes(sought))
  const some = new Set(others.slice(0, MOST - used.size))
  return all.filter((c) => used.has(c.name) || some.has(c))
})
/** Columns that are nothing else are facts, where each has a column of its own. */
const facts = computed(() => {
  const { content = 'bars', columns = {} } = props.layout
  return content === 'instruments' || (content === 'facts' && !columns.fact)
})
</script>

<template>
  <p v-if="view.names.length > MOST" class="quiet">
    {{ whole(shown.length) }} of {{ whole(view.names.length) }} columns are shown.
    <input
      v-model="words"
      type="search"
      class="field"
      placeholder="part of a column’s name"
      aria-label="Columns whose name holds"
    />
  </p>
  <div class="rows" tabindex="0" role="region" aria-label="First rows">
    <table class="ledger">
      <thead>
        <tr>
          <th v-for="column in shown" :key="column.place">
            <select
              class="field"
              :class="{ none: !fieldOf(column.name) }"
              :aria-label="`What ${column.name} is`"
              :value="fieldOf(column.name)"
              @change="
                emit('correct', {
                  columns: named(
                    layout.columns ?? {},
                    column.name,
                    ($event.target as HTMLSelectElement).value,
                  ),
                })
              "
            >
              <option value="">{{ facts ? 'a fact' : 'left out' }}</option>
              <option v-for="f in view.fields" :key="f.name" :value="f.name">
                {{ f.told }}
              </option>
            </select>
            <span class="mono">{{ column.name }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, n) in view.rows" :key="n">
          <td v-for="column in shown" :key="column.place" class="mono">
            <span :title="row[column.place]">{{ row[column.place] ?? '' }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.rows {
  overflow-x: auto;
  border: 1px solid var(--hair);
  margin: 10px 0;
}
th {
  vertical-align: bottom;
  padding: 4px 6px;
}
select {
  display: block;
  margin-bottom: 3px;
  width: 100%;
  min-width: 108px;
  padding: 2px 4px;
  font-size: 12px;
}
select.none {
  color: var(--quiet);
}
td {
  white-space: nowrap;
  padding: 1px 8px;
  font-size: 12px;
}
td span,
th span {
  display: block;
  max-width: 32ch;
  overflow: hidden;
  text-overflow: ellipsis;
}
input {
  width: 220px;
  margin-left: 8px;
}
</style>
