<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, type StoredSieve } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { useKeys } from '@/shared/keys'
import { keys, useRuns, useSieves } from '@/shared/queries'
import { moment, plural } from '@/shared/format'
import { done } from '@/shared/undo'
import { useStartRun } from '@/features/runs/startRun'

const router = useRouter()
const client = useQueryClient()
const sieves = useSieves()
const runs = useRuns()
const startRun = useStartRun()
const latest = computed(() => {
  const found = new Map<number, NonNullable<typeof runs.data.value>[number]>()
  for (const run of runs.data.value ?? [])
    if (!found.has(run.sieve_id)) found.set(run.sieve_id, run)
  return found
})

const refresh = () => {
  client.invalidateQueries({ queryKey: keys.sieves })
  client.invalidateQueries({ queryKey: keys.thread })
}
async function remove(stored: StoredSieve) {
  const path = { params: { path: { sieve_id: stored.id } } }
  await answer(api.DELETE('/api/sieves/{sieve_id}', path))
  refresh()
  done(`“${stored.sieve.name}” was put away.`, async () => {
    await answer(api.POST('/api/sieves/{sieve_id}/restore', path))
    refresh()
  })
}
async function copy(stored: StoredSieve) {
  const sieve = { ...stored.sieve, name: `${stored.sieve.name}, copy`.slice(0, 120) }
  const made = await answer(api.POST('/api/sieves', { body: { sieve } }))
  refresh()
  router.push(`/sieves/${made.id}`)
}
useKeys([{ key: 'c', does: 'compose a new sieve', run: () => router.push('/sieves/new') }])
</script>

<template>
  <main class="page">
    <div class="head">
      <p class="sentence">
        {{ plural(sieves.data.value?.length ?? 0, 'sieve') }}. Each is a saved way of looking:
        where, for what, and how to rank it.
      </p>
      <RouterLink class="button" to="/formulas">Formulas</RouterLink>
      <RouterLink class="button" to="/functions">Function reference</RouterLink>
      <RouterLink class="button primary" to="/sieves/new">Compose a sieve <kbd>c</kbd></RouterLink>
    </div>
    <ErrorNote
      v-if="sieves.isError.value"
      :error="sieves.error.value"
      what="The sieves can't be shown"
      @retry="sieves.refetch()"
    />
    <p v-else-if="sieves.data.value?.length === 0" class="empty">
      There is no sieve yet. <RouterLink to="/sieves/new">Compose one</RouterLink>: a first
      condition may be as short as <code>close &gt; sma(close, 50)</code>.
    </p>
    <table v-else class="ledger">
      <thead>
        <tr>
          <th>Sieve</th>
          <th>Looks in</th>
          <th>Side</th>
          <th class="number">Conditions</th>
          <th class="number">Version</th>
          <th>Last run</th>
          <th class="number">Hits</th>
          <th><span class="visually-hidden">What to do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="stored in sieves.data.value" :key="stored.id">
          <td class="name">
            <RouterLink :to="`/sieves/${stored.id}`">{{ stored.sieve.name }}</RouterLink>
            <span class="quiet note">{{ stored.sieve.note }}</span>
          </td>
          <td>{{ stored.sieve.universe }}</td>
          <td>{{ stored.sieve.side === 'long' ? '▲ long' : '▼ short' }}</td>
          <td class="number">{{ stored.sieve.conditions.length }}</td>
          <td class="number">{{ stored.version }}</td>
          <td>
            <RouterLink v-if="latest.get(stored.id)" :to="`/runs/${latest.get(stored.id)?.id}`">
              {{ moment(latest.get(stored.id)?.as_of ?? '') }}
            </RouterLink>
            <span v-else class="quiet">never</span>
          </td>
          <td class="number">{{ latest.get(stored.id)?.hit_count ?? '–' }}</td>
          <td class="actions">
            <button class="button" @click="startRun(stored.id)">Run</button>
            <button class="button plain" @click="copy(stored)">Copy</button>
            <button class="button plain" @click="remove(stored)">Put away</button>
          </td>
        </tr>
      </tbody>
    </table>
  </main>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
.head .sentence {
  flex: 1;
}
table.ledger td {
  height: 44px;
}
.name {
  max-width: 0;
  width: 42%;
  white-space: normal;
}
.note {
  display: block;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  font-size: 12px;
}
.actions {
  text-align: right;
}
</style>
