<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/shared/api'
import { plural, whole } from '@/shared/format'
import Running from './Running.vue'
import { between, inUnit, share, type Read } from './told'

/** What trading the signals would have made. */
const props = defineProps<{ of: Read<Schemas['TradesTold']> }>()
const tell = computed(() => inUnit(props.of.unit))
const tops = (value: number | null) => (value === null ? '–' : value.toFixed(2))
const figures = computed(() => [
  {
    name: 'Ended',
    told: whole(props.of.count),
    beside: props.of.open ? `${whole(props.of.open)} on` : '',
  },
  { name: 'Won', told: share(props.of.rate), beside: between(props.of.rate_interval, share) },
  {
    name: 'Mean',
    told: tell.value(props.of.mean),
    beside: between(props.of.mean_interval, tell.value),
  },
  {
    name: 'Median',
    told: tell.value(props.of.median),
    beside: between(props.of.median_interval, tell.value),
  },
  {
    name: 'Profit factor',
    told: tops(props.of.profit_factor),
    beside: '',
    help: 'All that was gained, divided by all that was lost',
  },
  {
    name: 'Worst fall',
    told: tell.value(props.of.worst_fall === null ? null : -props.of.worst_fall),
    beside: '',
    help: 'How far the running total fell below its highest before',
  },
  { name: 'Longest losing run', told: plural(props.of.losing_run, 'trade'), beside: '' },
  {
    name: 'Exposure',
    told: share(props.of.exposure),
    beside: '',
    help: 'The share of bars on which a trade was on',
  },
  {
    name: 'Worth',
    told: props.of.cases === null ? '–' : whole(props.of.cases),
    beside: 'cases',
    help: 'Independent cases that they are worth: trades come together',
  },
])
/** Months by year: what they made together, and how many of how many won. */
const years = computed(() => {
  const rows = new Map<string, Schemas['TradesOfMonth'][]>()
  for (const own of props.of.months) {
    const year = own.month.slice(0, 4)
    rows.set(year, [...(rows.get(year) ?? []), own])
  }
  return [...rows].map(([year, months]) => ({
    year,
    cells: Array.from({ length: 12 }, (_, n) =>
      months.find((own) => Number(own.month.slice(5)) === n + 1),
    ),
    total: months.reduce((sum, own) => sum + own.total, 0),
    count: months.reduce((sum, own) => sum + own.count, 0),
  }))
})
const MONTHS = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ')
const short = (value: number) => tell.value(value).replace(/ [R%]$/, '')
</script>

<template>
  <h2 class="answer">{{ of.sentence.split(/\.\s(?=Signals)/)[0]!.replace(/\.$/, '') }}.</h2>
  <p v-if="of.not_traded.length" class="quiet note">
    Signals not traded:
    {{ of.not_traded.map((own) => `${whole(own.count)} ${own.words}`).join(', ') }}.
  </p>
  <p v-if="of.worse" class="quiet note">
    On {{ plural(of.worse, 'bar') }} it can't be told what came first: the worse was taken{{
      of.by_finer ? `; on ${whole(of.by_finer)} finer bars told it` : ''
    }}.
  </p>
  <template v-if="of.count">
    <dl class="told" :class="{ few: !of.is_enough }">
      <div v-for="f in figures" :key="f.name" :title="f.help">
        <dt>{{ f.name }}</dt>
        <dd>
          {{ f.told }} <span class="quiet">{{ f.beside }}</span>
        </dd>
      </div>
    </dl>
    <h3>Together, in {{ of.unit === 'r' ? 'R' : '%' }}, in the order in which they ended</h3>
    <Running :of="of.running" label="What trades made together" />
    <h3>By month of their end, in {{ of.unit === 'r' ? 'R' : '%' }}</h3>
    <table class="ledger months">
      <thead>
        <tr>
          <th>Year</th>
          <th v-for="m in MONTHS" :key="m" class="number">{{ m }}</th>
          <th class="number">All</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="y in years" :key="y.year">
          <td>{{ y.year }}</td>
          <td
            v-for="(own, n) in y.cells"
            :key="n"
            class="number"
            :class="own && (own.total > 0 ? 'rise' : own.total < 0 ? 'fall' : '')"
            :title="own ? `${own.won} of ${plural(own.count, 'trade')} won` : 'no trade'"
          >
            {{ own ? short(own.total) : '' }}
          </td>
          <td class="number" :title="plural(y.count, 'trade')">{{ short(y.total) }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
h2.answer {
  font-size: 16px;
  font-weight: 600;
  margin: 8px 0 4px;
}
h3 {
  font-size: 13px;
  margin: 10px 0 4px;
}
.note {
  margin: 0 0 2px;
}
.told {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 26px;
  margin: 8px 0;
}
.told dt {
  color: var(--quiet);
  font-size: 12px;
}
.told dd {
  margin: 0;
}
.few dd {
  color: var(--quiet);
}
.months {
  width: auto;
}
</style>
