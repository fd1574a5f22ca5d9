<script setup lang="ts">
import { reviewAt } from '@/shared/addresses'
import { computed, ref } from 'vue'
import type { InstrumentDetail } from '@/shared/api'
import { from, isLater } from '@/shared/asOf'
import { day, moment, span, whole } from '@/shared/format'
import Codes from './Codes.vue'
import DataCheck from './DataCheck.vue'
import DescribeForm from './DescribeForm.vue'
import Facts from './Facts.vue'

/** What is known of an instrument beside its bars. */
const props = defineProps<{ own: InstrumentDetail }>()
/** Runs in which it was a hit, those from after the moment that is looked from apart. */
const hits = computed(() => ({
  then: props.own.hits.filter((hit) => !isLater(hit.as_of)),
  later: props.own.hits.filter((hit) => isLater(hit.as_of)),
}))
const reviewed = (hit: { id: number; run_id: number; as_of: string }) =>
  from(hit.as_of, reviewAt(hit.run_id, hit.id))
const describing = ref(false)
const check = ref<InstanceType<typeof DataCheck>>()
defineExpose({ mend: (seconds?: number, time?: number) => check.value?.begin(seconds, time) })
</script>

<template>
  <div class="known">
    <p>
      {{ own.summary.kind }}, {{ own.summary.venue || 'no venue'
      }}<template v-if="own.summary.hours">{{ ` ${own.summary.hours}` }}</template
      >, in {{ own.summary.currency || 'no currency' }}, steps of {{ own.summary.tick }}.
      <button class="button plain" @click="describing = !describing">change</button>
      <Codes :code="own.summary.code" :earlier="own.earlier" />
    </p>
    <DescribeForm
      v-if="describing"
      :own="[own.summary]"
      @kept="describing = false"
      @close="describing = false"
    />
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
          <td class="number">{{ whole(c.bars) }}</td>
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
    <p v-for="h in hits.then" :key="h.id">
      <RouterLink :to="reviewed(h)">{{ h.sieve }}</RouterLink>
      <span class="quiet"> place {{ h.place }}, {{ moment(h.as_of) }}</span>
    </p>
    <p v-if="!hits.then.length" class="quiet">
      of no run {{ hits.later.length ? 'by then' : 'yet' }}
    </p>
    <template v-if="hits.later.length">
      <h2>Later, after the moment that is looked from</h2>
      <p v-for="h in hits.later" :key="h.id">
        <RouterLink :to="reviewed(h)">{{ h.sieve }}</RouterLink>
        <span class="quiet"> place {{ h.place }}, {{ moment(h.as_of) }}</span>
      </p>
    </template>
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
