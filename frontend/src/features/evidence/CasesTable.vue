<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { barTime, plural, whole } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { addressOf, type Case, type CaseColumn, type useCases } from './cases'
import { far, inUnit, percent } from './told'

/** Every signal, each opening its chart at its moment. */
const props = defineProps<{
  of: ReturnType<typeof useCases>
  signals: number
  shown: number
  /** What trades are told in, where there are any. */
  unit?: string
}>()
/** The one that keys are about. */
const chosen = defineModel<number>({ required: true })
const emit = defineEmits<{ open: [own: Case] }>()
const { words, sorted, sortBy, sortState, fitting } = props.of
const AT_ONCE = 100
const room = ref(AT_ONCE)
watch([sorted, words], () => (room.value = AT_ONCE))
const COLUMNS = computed<{ name: CaseColumn; title: string }[]>(() => [
  { name: 'code', title: 'Code' },
  { name: 'time', title: 'Bar' },
  { name: 'side', title: 'Side' },
  { name: 'percent', title: 'Result' },
  { name: 'far_for', title: 'Furthest for' },
  { name: 'far_against', title: 'Furthest against' },
  ...(props.unit ? [{ name: 'trade' as const, title: 'Trade' }] : []),
])
const ofAll = computed(() => {
  if (props.shown >= props.signals) return ''
  const newest = `the newest${fitting.value.length < props.shown ? ` ${whole(props.shown)}` : ''}`
  return `${fitting.value.length < props.shown ? ' among' : ','} ${newest} of ${whole(props.signals)}`
})
const filter = ref<HTMLInputElement>()
const rows = ref<HTMLElement>()
/** The chosen one is in sight, also where one comes back to it. */
async function show(now: number) {
  room.value = Math.max(room.value, now + 1)
  await nextTick()
  rows.value?.children[now]?.scrollIntoView({ block: 'nearest' })
}
watch(chosen, show)
onMounted(() => chosen.value && void show(chosen.value))
/** What keys choose has the focus, so that Enter opens it wherever that was. */
async function choose(by: number) {
  chosen.value = Math.max(0, Math.min(fitting.value.length - 1, chosen.value + by))
  await nextTick()
  rows.value?.children[chosen.value]?.querySelector('button')?.focus()
}
useKeys([
  { key: '/', does: 'find a signal by its code', run: () => filter.value?.focus() },
  { key: 'ArrowDown', does: 'the next signal', repeats: true, run: () => void choose(1) },
  { key: 'ArrowUp', does: 'the signal before', repeats: true, run: () => void choose(-1) },
  {
    key: 'Enter',
    does: 'its chart',
    run: () => {
      const own = fitting.value[chosen.value]
      if (own) emit('open', own)
    },
  },
])
</script>

<template>
  <div class="bar">
    <h2>{{ plural(fitting.length, 'signal') }}{{ ofAll }}</h2>
    <input
      ref="filter"
      v-model="words"
      class="field"
      placeholder="Find by code  /"
      aria-label="Find a signal by its code"
    />
    <span class="quiet">next <kbd>↓</kbd> before <kbd>↑</kbd> its chart <kbd>⏎</kbd></span>
  </div>
  <table class="ledger cases">
    <thead>
      <tr>
        <th
          v-for="c in COLUMNS"
          :key="c.name"
          :class="{ number: c.name !== 'code' && c.name !== 'side' }"
          :aria-sort="sortState(c.name)"
        >
          <button class="sort" @click="sortBy(c.name)">{{ c.title }}</button>
        </th>
      </tr>
    </thead>
    <tbody ref="rows">
      <tr
        v-for="(c, n) in fitting.slice(0, room)"
        :key="addressOf(c)"
        :class="{ chosen: n === chosen }"
        :aria-selected="n === chosen"
      >
        <td>
          <button
            class="mono link"
            :aria-label="`The chart of ${c.code}, ${barTime(c.time)}`"
            @click="emit('open', c)"
          >
            {{ c.code }}
          </button>
        </td>
        <td class="number">{{ barTime(c.time) }}</td>
        <td>{{ c.side === 'long' ? '▲ long' : '▼ short' }}</td>
        <td class="number" :title="c.percent === null ? 'not over yet, or without a price' : ''">
          {{ percent(c.percent) }}
        </td>
        <td class="number">{{ far(c.far_for) }}</td>
        <td class="number">{{ far(c.far_against) }}</td>
        <td v-if="unit" class="number" :class="{ quiet: c.trade?.words }">
          {{ c.trade?.words || inUnit(unit)(c.trade?.result) }}
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="!fitting.length" class="empty">No signal fits “{{ words }}”.</p>
  <button v-if="fitting.length > room" class="button" @click="room += AT_ONCE">
    {{ whole(Math.min(AT_ONCE, fitting.length - room)) }} more
  </button>
</template>

<style scoped>
h2 {
  font-size: 14px;
  margin: 6px 0;
}
.bar {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin-top: 14px;
}
.cases {
  width: auto;
}
.cases td,
.cases th {
  padding-right: 22px;
}
.link {
  min-height: 24px;
  min-width: 24px;
  border: 0;
  padding: 0;
  background: none;
  color: inherit;
  font: inherit;
  font-family: var(--mono, monospace);
  text-decoration: underline;
  cursor: pointer;
}
</style>
