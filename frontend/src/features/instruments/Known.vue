<script setup lang="ts">
import { ref } from 'vue'
import type { InstrumentDetail } from '@/shared/api'
import { day, moment, span } from '@/shared/format'
import DataCheck from './DataCheck.vue'
import Facts from './Facts.vue'

/** What is known of an instrument beside its bars. */
defineProps<{ own: InstrumentDetail }>()
const check = ref<InstanceType<typeof DataCheck>>()
defineExpose({ mend: (seconds?: number, time?: number) => check.value?.begin(seconds, time) })
</script>

<template>
  <div class="known">
    <p>
      {{ own.summary.kind }}, {{ own.summary.venue || 'no venue' }}
      <template v-if="own.summary.hours">{{ own.summary.hours }}</template>, in
      {{ own.summary.currency || 'no currency' }}, steps of {{ own.summary.tick }}.
    </p>
    <DataCheck
      ref="check"
      :code="own.summary.code"
      :findings="own.summary.findings"
      :mendings="own.mendings"
      :coverage="own.summary.coverage"
    />
    <h2>Bars</h2>
    <table class="ledger">
      <tbody>
        <tr v-for="c in own.summary.coverage" :key="c.seconds">
          <td>{{ span(c.seconds) }}</td>
          <td class="number">{{ c.bars.toLocaleString('en-GB') }}</td>
          <td>{{ day(c.first) }} – {{ day(c.last) }}</td>
        </tr>
      </tbody>
    </table>
    <h2>Facts</h2>
    <Facts :facts="own.facts" :before="own.facts_before" />
    <h2>Events</h2>
    <p v-for="e in own.events" :key="`${e.kind}${e.day}`">
      <b>{{ day(e.day) }}</b> {{ e.kind }},
      <span class="quiet"
        >{{ e.title }}<template v-if="e.announced">, told on {{ day(e.announced) }}</template></span
      >
    </p>
    <p v-if="!own.events.length" class="quiet">none within four months</p>
    <h2>Universes</h2>
    <p>{{ own.universes.join(' · ') }}</p>
    <h2>Was a hit</h2>
    <p v-for="h in own.hits" :key="h.run_id">
      <RouterLink :to="`/runs/${h.run_id}/review/${own.summary.code}`">{{ h.sieve }}</RouterLink>
      <span class="quiet"> place {{ h.place }}, {{ moment(h.as_of) }}</span>
    </p>
    <p v-if="!own.hits.length" class="quiet">of no run yet</p>
  </div>
</template>

<style scoped>
.known {
  font-size: 12px;
}
p {
  margin: 2px 0;
}
h2 {
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 10px 0 0;
}
.ledger {
  width: 100%;
  font-size: 12px;
}
</style>
