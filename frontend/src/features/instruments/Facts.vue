<script setup lang="ts">
import { computed, ref } from 'vue'
import type { components } from '@/generated/api'
import { day, figure } from '@/shared/format'

/** What is known of an instrument, and what was known before. */
type Detail = components['schemas']['InstrumentDetail']
const props = defineProps<{ facts: Detail['facts']; before: Detail['facts_before'] }>()
const rows = computed(() =>
  Object.entries(props.facts).map(([name, value]) => ({
    name,
    value,
    told: props.before.filter((fact) => fact.name === name),
    since: props.before.find((fact) => fact.name === name),
  })),
)
const open = ref<string>()
const said = (value: string | number | null) =>
  typeof value === 'number' ? figure(value) : (value ?? '–')
const words = (name: string) => name.replaceAll('_', ' ')
</script>

<template>
  <table v-if="rows.length" class="ledger">
    <thead class="visually-hidden">
      <tr>
        <th>fact</th>
        <th>value</th>
        <th>known from</th>
      </tr>
    </thead>
    <tbody>
      <template v-for="row in rows" :key="row.name">
        <tr>
          <td>{{ words(row.name) }}</td>
          <td>
            {{ said(row.value) }}
            <span
              v-if="!row.since"
              class="quiet"
              title="The data do not say since when: as of any moment of the past it is taken as it is now"
              >undated</span
            >
          </td>
          <td class="quiet">
            <button
              v-if="row.told.length > 1"
              class="button plain since"
              :aria-expanded="open === row.name"
              @click="open = open === row.name ? undefined : row.name"
            >
              {{ day(row.since!.known ?? row.since!.held) }}
            </button>
            <template v-else-if="row.since">
              {{ day(row.since.known ?? row.since.held) }}
            </template>
          </td>
        </tr>
        <tr v-if="open === row.name">
          <td colspan="3" class="before">
            <div
              class="scroll"
              tabindex="0"
              role="region"
              :aria-label="`${words(row.name)} before`"
            >
              <table class="ledger">
                <thead>
                  <tr>
                    <th>known from</th>
                    <th>held from</th>
                    <th class="number">value</th>
                  </tr>
                </thead>
                <tbody>
                  <tr v-for="fact in row.told" :key="`${fact.held} ${fact.known}`">
                    <td>{{ fact.known === null ? 'not said' : day(fact.known) }}</td>
                    <td>{{ day(fact.held) }}</td>
                    <td class="number">{{ said(fact.value) }}</td>
                  </tr>
                </tbody>
              </table>
            </div>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
  <p v-else class="quiet">none</p>
</template>

<style scoped>
td {
  padding: 4px 5px 4px 0;
}
.since {
  padding: 0;
  font-size: inherit;
}
.before {
  padding: 0;
}
.scroll :is(td, th) {
  padding: 4px;
}
.scroll {
  max-height: 190px;
  overflow-y: auto;
}
</style>
