<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer, type StoredSieve } from '@/shared/api'
import { from, isLater } from '@/shared/asOf'
import Failed from '@/shared/Failed.vue'
import { useKeys } from '@/shared/keys'
import Archived from '@/shared/Archived.vue'
import TakeIn from './TakeIn.vue'
import ListOut, { type Columns } from '@/shared/ListOut.vue'
import { useRuns, useSieves, useArchivedSieves } from '@/shared/queries'
import { moment, plural, sides } from '@/shared/format'
import { save } from '@/shared/save'
import { done, undoKey } from '@/shared/undo'
import { useStartRun } from '@/shared/startRun'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

const router = useRouter()
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
  void readAnew(keys.sieves, keys.archivedSieves, keys.thread)
}
const { act, busy, failure } = useAct()
const run = (stored: StoredSieve) => act("The run can't begin", () => startRun(stored.id))
async function restore(id: number) {
  await answer(
    server.POST('/api/sieves/{sieve_id}/restore', { params: { path: { sieve_id: id } } }),
  )
  refresh()
}
const remove = (stored: StoredSieve) =>
  act('Not archived', async () => {
    const path = { params: { path: { sieve_id: stored.id } } }
    await answer(server.DELETE('/api/sieves/{sieve_id}', path))
    refresh()
    done(`“${stored.sieve.name}” was archived.`, () => restore(stored.id))
  })
const copy = (stored: StoredSieve) =>
  act('Not copied', async () => {
    const sieve = { ...stored.sieve, name: `${stored.sieve.name}, copy`.slice(0, 120) }
    const made = await answer(server.POST('/api/sieves', { body: { sieve } }))
    refresh()
    router.push(`/sieves/${made.id}`)
  })
/** A sieve with all that it calls, as a file. */
const give = (stored: StoredSieve) =>
  act('Not written', async () => {
    const path = { params: { path: { sieve_id: stored.id } } }
    const document = await answer(server.GET('/api/sieves/{sieve_id}/document', path))
    save(`${document.name}.json`, JSON.stringify(document, null, 2), 'application/json')
    done(`“${stored.sieve.name}” was written with all that it calls.`)
  })
const away = useArchivedSieves()
const gone = computed(() =>
  (away.data.value ?? []).map((s) => ({ id: s.id, name: s.sieve.name, note: s.sieve.universe })),
)
/** The sieve that is looked at more closely where there is room. */
const at = ref(0)
const chosen = computed(() => sieves.data.value?.[at.value] ?? sieves.data.value?.[0])
useKeys([
  {
    key: 'c',
    does: 'compose a new sieve',
    run: () => router.push({ path: '/sieves/new', state: { write: true } }),
  },
  undoKey,
])
const columns = (): Columns => {
  const list = sieves.data.value ?? []
  return {
    sieve_id: list.map((s) => s.id),
    sieve: list.map((s) => s.sieve.name),
    note: list.map((s) => s.sieve.note),
    universe: list.map((s) => s.sieve.universe),
    sides: list.map((s) => s.sieve.sides.join(' ')),
    timeframe: list.map((s) => s.sieve.timeframes[0]),
    conditions: list.map((s) => s.sieve.conditions.map((c) => c.formula).join('; ')),
    version: list.map((s) => s.version),
    as_of: list.map((s) => latest.value.get(s.id)?.as_of),
    hit_count: list.map((s) => latest.value.get(s.id)?.hit_count),
  }
}
</script>

<template>
  <main class="page">
    <div class="head">
      <p class="sentence">
        {{ sieves.data.value ? `${plural(sieves.data.value.length, 'sieve')}.` : 'reading…' }} Each
        is a saved way of looking: where, for what, and how to rank it.
      </p>
      <ListOut v-if="sieves.data.value?.length" name="Sieves" :columns="columns" />
      <RouterLink class="button" to="/formulas">Formulas</RouterLink>
      <RouterLink class="button" to="/functions">Function reference</RouterLink>
      <RouterLink class="button primary" to="/sieves/new">Compose a sieve <kbd>c</kbd></RouterLink>
    </div>
    <Reply
      :of="sieves"
      what="The sieves can't be shown"
      reading=""
      :empty="!sieves.data.value?.length"
    >
      <template #empty
        ><p class="empty">
          There is no sieve yet. <RouterLink to="/sieves/new">Compose one</RouterLink>: a first
          condition may be as short as <code>close &gt; sma(close, 45)</code>.
        </p></template
      >
      <div class="both">
        <table class="ledger">
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
            <tr
              v-for="(stored, n) in sieves.data.value"
              :key="stored.id"
              :class="{ looked: stored.id === chosen?.id }"
              @mouseenter="at = n"
              @focusin="at = n"
            >
              <td class="name">
                <RouterLink :to="`/sieves/${stored.id}`">{{ stored.sieve.name }}</RouterLink>
                <span class="quiet note">{{ stored.sieve.note }}</span>
              </td>
              <td>{{ stored.sieve.universe }}</td>
              <td>{{ sides(stored.sieve.sides) }}</td>
              <td class="number">{{ stored.sieve.conditions.length }}</td>
              <td class="number">{{ stored.version }}</td>
              <td>
                <template v-if="latest.get(stored.id)">
                  <RouterLink
                    :to="from(latest.get(stored.id)!.as_of, `/runs/${latest.get(stored.id)!.id}`)"
                  >
                    {{ moment(latest.get(stored.id)!.as_of) }}
                  </RouterLink>
                  <span v-if="isLater(latest.get(stored.id)!.as_of)" class="quiet"> later</span>
                </template>
                <span v-else class="quiet">never</span>
              </td>
              <td class="number">{{ latest.get(stored.id)?.hit_count ?? '–' }}</td>
              <td class="actions">
                <button class="button" :disabled="busy" @click="run(stored)">Run</button>
                <button class="button plain" :disabled="busy" @click="copy(stored)">Copy</button>
                <button class="button plain" :disabled="busy" @click="give(stored)">File</button>
                <button class="button plain" :disabled="busy" @click="remove(stored)">
                  Archive
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <aside v-if="chosen" aria-label="The sieve looked at">
          <h2>{{ chosen.sieve.name }}</h2>
          <p class="quiet">
            {{ chosen.sieve.universe }}, bars of {{ chosen.sieve.timeframes[0] }},
            {{ sides(chosen.sieve.sides) }}
          </p>
          <ol>
            <li v-for="(c, n) in chosen.sieve.conditions" :key="n">
              <i :class="c.role === 'veto' ? 'fall' : 'quiet'">{{ c.off ? 'off' : c.role }}</i>
              <code>{{ c.formula }}</code>
            </li>
          </ol>
          <p v-if="chosen.sieve.rank" class="quiet">
            ranked by <code>{{ chosen.sieve.rank }}</code>
          </p>
          <p>{{ chosen.sieve.note }}</p>
        </aside>
      </div>
    </Reply>
    <Failed :failure="failure" />
    <TakeIn />
    <Archived :entries="gone" @back="(id) => act('Not restored', () => restore(Number(id)))" />
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
aside {
  display: none;
}
@media (min-width: 1600px) {
  .both {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 520px;
    gap: 36px;
    align-items: start;
  }
  aside {
    display: block;
    border-left: 1px solid var(--hair);
    padding-left: 24px;
  }
  tr.looked td {
    background: var(--wash);
  }
}
aside h2 {
  font-size: 16px;
  margin: 4px 0;
}
aside ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
aside li {
  display: grid;
  grid-template-columns: 44px 1fr;
  gap: 8px;
  padding: 5px 0;
  border-top: 1px solid var(--hair);
}
aside code {
  font-family: var(--mono);
  overflow-wrap: anywhere;
}
</style>
