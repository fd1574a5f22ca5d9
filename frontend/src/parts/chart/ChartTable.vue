<script setup lang="ts">
import { computed } from 'vue'
import type { Chart } from '@/shared/api'
import { barTime, figure, price } from '@/shared/format'
import ListOut, { type Column, type Columns } from '@/shared/ListOut.vue'
import { windowOf, type Sight } from './looks'

/** The bars in sight as a table, the newest first: to be read aloud, and to be copied. */
const props = defineProps<{
  chart: Chart
  sight: Sight
  /** How long these bars are in seconds, where they are kept as they stand and can be mended. */
  mendable?: number
}>()
defineEmits<{ mend: [seconds: number, time: number] }>()
const rows = computed(() => {
  const { startValue, endValue } = windowOf(props.chart.times.length, props.sight)
  return Array.from({ length: Math.max(0, endValue - startValue + 1) }, (_, n) => endValue - n)
})
const told = (line: Chart['lines'][number], bar: number) => {
  const value = line.values[bar]
  if (value == null) return 'unknown'
  if (line.unit === 'yes or no') return value ? 'yes' : 'no'
  return line.unit === 'price' ? price(value, props.chart.tick) : figure(value)
}
const priced = (value: number | undefined) => price(value ?? 0, props.chart.tick)
const columns = (): Columns => {
  const pick = <T,>(values: readonly T[]) => rows.value.map((bar) => values[bar])
  const named = ['open', 'high', 'low', 'close', 'volume'] as const
  return [
    ['time', rows.value.map((bar) => new Date(props.chart.times[bar]! * 1000).toISOString())],
    ...named.map((name): Column => [name, pick(props.chart[name])]),
    ...props.chart.lines.map((line): Column => [line.label, pick(line.values)]),
  ]
}
</script>

<template>
  <p class="leaves">
    <ListOut :name="`${chart.code} ${chart.bars.replaceAll('/', ' ')}`" :columns="columns" />
  </p>
  <div class="values" tabindex="0" role="region" :aria-label="`${chart.code}, the bars in sight`">
    <table class="ledger">
      <thead>
        <tr>
          <th>Bar</th>
          <th v-for="name in ['Open', 'High', 'Low', 'Close', 'Volume']" :key="name" class="number">
            {{ name }}
          </th>
          <th v-for="line in chart.lines" :key="line.text" class="number">{{ line.label }}</th>
          <th v-if="mendable"></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="bar in rows" :key="bar">
          <td>{{ barTime(chart.times[bar]!) }}</td>
          <td class="number">{{ priced(chart.open[bar]) }}</td>
          <td class="number">{{ priced(chart.high[bar]) }}</td>
          <td class="number">{{ priced(chart.low[bar]) }}</td>
          <td class="number">{{ priced(chart.close[bar]) }}</td>
          <td class="number">{{ figure(chart.volume[bar]) }}</td>
          <td v-for="line in chart.lines" :key="line.text" class="number">{{ told(line, bar) }}</td>
          <td v-if="mendable">
            <button
              class="button plain"
              :aria-label="`Correct the bar of ${barTime(chart.times[bar]!)}`"
              @click="$emit('mend', mendable, chart.times[bar]!)"
            >
              correct
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.leaves {
  margin: 0 0 2px;
}
.values {
  height: calc(100% - 26px);
  overflow: auto;
  border: 1px solid var(--hair);
  background: var(--sheet);
}
thead {
  position: sticky;
  top: 0;
  background: var(--sheet);
}
</style>
