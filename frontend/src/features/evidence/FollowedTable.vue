<script setup lang="ts">
import type { Schemas } from '@/shared/api'
import { signed, whole } from '@/shared/format'
import { between, chance, far, percent, share, when, type Read } from './told'

/** What followed, by how far is looked ahead: each with anybody then beside it. */
defineProps<{ of: readonly Read<Schemas['FollowedFigures']>[]; way: string }>()
const QUANTILES = [5, 25, 50, 75, 95]
const at = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : signed(value, 1)
</script>

<template>
  <table class="ledger figures">
    <caption class="visually-hidden">
      What followed, by how far is looked ahead
    </caption>
    <thead>
      <tr>
        <th>Ahead</th>
        <th class="number">Results</th>
        <th class="number" title="Independent cases that they are worth: signals come together">
          Worth
        </th>
        <th class="number way">{{ way }}</th>
        <th class="number">Between</th>
        <th class="number">Anybody then</th>
        <th class="number">Mean</th>
        <th class="number">Between</th>
        <th class="number">Anybody then</th>
        <th class="number">More by</th>
        <th class="number">Between</th>
        <th class="number" title="How often chance alone makes as large a difference">p</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="f in of" :key="f.horizon" :class="{ few: !f.is_enough }">
        <td>{{ when(f.horizon) }}</td>
        <td class="number" :title="f.open ? `${whole(f.open)} are not over yet` : ''">
          {{ whole(f.count) }}
        </td>
        <td class="number">{{ f.cases === null ? '–' : whole(f.cases) }}</td>
        <td class="number">{{ share(f.rate) }}</td>
        <td class="number quiet">{{ between(f.rate_interval, share) }}</td>
        <td class="number">{{ share(f.anybody_rate) }}</td>
        <td class="number">{{ percent(f.mean) }}</td>
        <td class="number quiet">{{ between(f.mean_interval, percent) }}</td>
        <td class="number">{{ percent(f.anybody_mean) }}</td>
        <td class="number">{{ percent(f.difference) }}</td>
        <td class="number quiet">{{ between(f.difference_interval, percent) }}</td>
        <td class="number">{{ chance(f.p) }}</td>
      </tr>
    </tbody>
  </table>
  <table class="ledger figures">
    <caption class="visually-hidden">
      How results lie, by how far is looked ahead
    </caption>
    <thead>
      <tr>
        <th>Ahead</th>
        <th v-for="q in QUANTILES" :key="q" class="number" :title="`${q} of 100 results lie below`">
          {{ q === 50 ? 'Half below' : `${q} % below` }}
        </th>
        <th class="number" title="Mean result in average true ranges of the signal's bar">
          In ATR
        </th>
        <th class="number" title="Mean of the furthest that prices went for the side">
          Furthest for
        </th>
        <th class="number" title="Mean of the furthest that prices went against it">
          Furthest against
        </th>
        <th
          class="number"
          title="The same instruments on all their other bars: how often, and by how much in the mean"
        >
          Themselves otherwise
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="f in of" :key="f.horizon" :class="{ few: !f.is_enough }">
        <td>{{ when(f.horizon) }}</td>
        <td v-for="(value, n) in f.quantiles" :key="n" class="number">{{ at(value) }}</td>
        <td class="number">{{ at(f.ranges) }}</td>
        <td class="number">{{ far(f.far_for) }}</td>
        <td class="number">{{ far(f.far_against) }}</td>
        <td class="number">{{ share(f.otherwise_rate) }}, {{ percent(f.otherwise_mean) }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="of.some((f) => !f.is_enough)" class="quiet note">
    Grey: too few to tell, under 20 independent cases.
  </p>
</template>

<style scoped>
.way::first-letter {
  text-transform: uppercase;
}
.figures {
  display: block;
  overflow-x: auto;
  margin-bottom: 8px;
}
.few td {
  color: var(--quiet);
}
.note {
  margin: 0 0 2px;
}
</style>
