<script setup lang="ts">
import { computed } from 'vue'
import { from, isLater } from '@/shared/asOf'
import { moment, plural } from '@/shared/format'
import ListOut, { type Columns } from '@/shared/ListOut.vue'
import { useRuns } from '@/shared/queries'
import Reply from '@/shared/Reply.vue'

const runs = useRuns()
const took = (run: { started_at: string | null; finished_at: string | null }) =>
  run.started_at && run.finished_at
    ? `${((Date.parse(run.finished_at) - Date.parse(run.started_at)) / 1000).toFixed(1)} s`
    : '–'
/** Those of the moment that is looked from first, then those from later, below a head that says so. */
const listed = computed(() => {
  const all = runs.data.value ?? []
  const later = all.filter((run) => isLater(run.as_of))
  const then = all.filter((run) => !isLater(run.as_of))
  return later.length ? [...then, { id: 'later', later: later.length } as const, ...later] : then
})
const columns = (): Columns => {
  const list = runs.data.value ?? []
  return {
    run_id: list.map((r) => r.id),
    sieve: list.map((r) => r.sieve.name),
    version: list.map((r) => r.version),
    universe: list.map((r) => r.sieve.universe),
    as_of: list.map((r) => r.as_of),
    state: list.map((r) => r.state),
    hit_count: list.map((r) => r.hit_count),
    seconds: list.map((r) =>
      r.started_at && r.finished_at
        ? (Date.parse(r.finished_at) - Date.parse(r.started_at)) / 1000
        : null,
    ),
  }
}
</script>

<template>
  <main class="page">
    <p class="sentence">
      {{
        runs.data.value ? `${plural(runs.data.value.length, 'run')}, the newest first.` : 'reading…'
      }}
      <RouterLink v-if="runs.data.value?.length" to="/verdicts"
        >What was taken and watched in them</RouterLink
      >
      <ListOut v-if="runs.data.value?.length" name="Runs" :columns="columns" />
    </p>
    <Reply :of="runs" what="The runs can't be shown" reading="" :empty="!runs.data.value?.length">
      <template #empty
        ><p class="empty">
          Nothing has been run yet. <RouterLink to="/sieves">Choose a sieve</RouterLink> and run it.
        </p></template
      >
      <table class="ledger">
        <thead>
          <tr>
            <th class="number">Run</th>
            <th>Sieve</th>
            <th class="number">Version</th>
            <th>Looked in</th>
            <th>As of</th>
            <th>State</th>
            <th class="number">Hits</th>
            <th class="number">Took</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="run in listed" :key="run.id">
            <th v-if="'later' in run" colspan="8" scope="rowgroup" class="apart">
              {{ plural(run.later, 'run') }} from later than the moment that is looked from; opening
              one takes the desk to its own moment
            </th>
            <template v-else>
              <td class="number">
                <RouterLink :to="from(run.as_of, `/runs/${run.id}`)">{{ run.id }}</RouterLink>
              </td>
              <td class="wrap">
                <RouterLink :to="from(run.as_of, `/runs/${run.id}`)">{{
                  run.sieve.name
                }}</RouterLink>
              </td>
              <td class="number">{{ run.version }}</td>
              <td>{{ run.sieve.universe }}</td>
              <td>{{ moment(run.as_of) }}</td>
              <td class="wrap" :class="{ fall: run.state === 'failed' }" :title="run.reason ?? ''">
                {{ run.state }} <span v-if="run.reason" class="quiet">{{ run.reason }}</span>
              </td>
              <td class="number">{{ run.state === 'done' ? run.hit_count : '–' }}</td>
              <td class="number">{{ took(run) }}</td>
            </template>
          </tr>
        </tbody>
      </table>
    </Reply>
  </main>
</template>
