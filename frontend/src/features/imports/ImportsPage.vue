<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer, type Import } from '@/shared/api'
import { beginning } from '@/shared/beginning'
import ErrorNote from '@/shared/ErrorNote.vue'
import Failed from '@/shared/Failed.vue'
import { asSentence, barTime, whole } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { useWork } from '@/shared/work'
import { isAtWork, STATES } from './bring'
import ImportSheet from './ImportSheet.vue'
import { coming, useIncoming } from './incoming'
import Sources from './Sources.vue'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useRead, useReadAnew } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** What is in my files, and what would they change? */
const route = useRoute()
const router = useRouter()
const chosen = computed(() => (route.params.id ? Number(route.params.id) : undefined))
const words = ref('')
const size = ref(60)
const imports = useRead(() => {
  const query = { words: words.value, size: size.value }
  return {
    of: keys.imports(query),
    keeps: true,
    read: (server) => answer(server.GET('/api/imports', { params: { query } })),
  }
})
const listed = computed(() => imports.data.value ?? [])
useWork(
  () => listed.value.filter(isAtWork).map((own) => `import-${own.id}`),
  () => imports.refetch(),
)
const searches = computed(() => words.value !== '' || listed.value.length > 8)

const take = useIncoming()
const picker = ref<HTMLInputElement>()
const folder = ref<HTMLInputElement>()
function picked(event: Event) {
  const field = event.target as HTMLInputElement
  void take([...(field.files ?? [])])
  field.value = ''
}
/** Nothing is here yet: what to do is said in three lines. */
const begins = computed(
  () => beginning.value.instruments === 0 && !listed.value.length && !words.value,
)
const { act, busy, failure } = useAct()
const forget = (own: Import) =>
  act('Not taken off', async () => {
    await answer(
      server.DELETE('/api/imports/{import_id}', { params: { path: { import_id: own.id } } }),
    )
    await readAnew(keys.imports())
    if (chosen.value === own.id) await router.replace('/imports')
  })
const told = (own: Import) => {
  const account = own.account
  if (own.state !== 'done' || !account) return STATES[own.state]
  return `${whole(account.new + account.changed)} ${account.nouns} taken`
}
useKeys([
  { key: 'c', does: 'choose files to import', run: () => picker.value?.click() },
  { key: 'Escape', does: 'to the instruments', run: () => router.push('/instruments') },
])
</script>

<template>
  <main class="page imports">
    <aside aria-label="Imports">
      <div class="drop">
        <p>
          Drop CSV or Parquet files here, packed or not: bars, trades, instruments, facts, events,
          venues.
        </p>
        <p class="choose">
          <button class="button" @click="picker?.click()">Choose files <kbd>c</kbd></button>
          <button class="button" @click="folder?.click()">A folder</button>
        </p>
        <input
          ref="picker"
          class="visually-hidden"
          type="file"
          multiple
          tabindex="-1"
          aria-label="Files to import"
          accept=".csv,.txt,.tsv,.parquet,.pq,.gz,.zip"
          @change="picked"
        />
        <input
          ref="folder"
          class="visually-hidden"
          type="file"
          multiple
          webkitdirectory
          tabindex="-1"
          aria-label="Folder to import"
          @change="picked"
        />
      </div>
      <div v-for="(one, n) in coming" :key="n" class="coming">
        <p v-if="!one.error && one.done === undefined" class="quiet" role="status">
          {{ one.name }} is coming in …
        </p>
        <p v-else-if="!one.error" class="quiet" role="status">
          {{ one.done }} of {{ one.name }} have come in …
        </p>
        <div v-else role="alert" class="refusal">
          <b>{{ one.name }}</b> is not imported: {{ one.error.message }}.
          <span class="quiet">{{ asSentence(one.error.mend) }}</span>
          <button class="button plain" @click="coming.splice(n, 1)">dismiss</button>
        </div>
      </div>
      <ErrorNote
        v-if="imports.isError.value"
        :error="imports.error.value"
        what="The imports can't be shown"
        :again="imports.refetch"
      />
      <Failed :failure="failure" />
      <input
        v-if="searches"
        v-model.trim="words"
        class="field find"
        type="search"
        aria-label="Find an import"
        placeholder="find by name or instrument"
      />
      <p v-if="words && !listed.length && imports.isSuccess.value" class="quiet">
        No import has “{{ words }}” in its name or instruments.
      </p>
      <ul>
        <li v-for="own in listed" :key="own.id" :class="{ here: own.id === chosen }">
          <RouterLink
            :to="`/imports/${own.id}`"
            :aria-current="own.id === chosen ? 'true' : undefined"
          >
            <b :title="own.name">{{ own.name }}</b>
            <span class="quiet"
              >{{ told(own) }}, {{ barTime(Date.parse(own.created_at) / 1000) }}</span
            >
          </RouterLink>
          <button
            class="button plain"
            :disabled="busy || isAtWork(own)"
            :aria-label="`Take ${own.name} off the list`"
            title="take it off the list; what was taken of it stays"
            @click="forget(own)"
          >
            ×
          </button>
        </li>
      </ul>
      <button
        v-if="listed.length === size && size < 480"
        class="button plain"
        @click="size = Math.min(480, 2 * size)"
      >
        older ones
      </button>
      <Sources />
    </aside>
    <ImportSheet v-if="chosen" :key="chosen" :id="chosen" />
    <section v-else class="empty">
      <div v-if="begins" class="steps">
        <p>
          Drop a table here, or on any page: CSV or Parquet as you have it, bars of a day or of
          minutes, one file or many.
        </p>
        <p>
          Read what would be taken, said in one sentence, and correct it there. Nothing is taken
          before you say so.
        </p>
        <p>
          Take it: it has charts at once, and a
          <RouterLink to="/sieves/new">first sieve</RouterLink> looks over all of it.
        </p>
      </div>
      <template v-else-if="listed.length">Choose an import at the left, or drop files.</template>
      <template v-else>
        Nothing was imported yet. What a file holds is shown first, with all that would change;
        nothing is taken before you say so.
      </template>
    </section>
  </main>
</template>

<style scoped>
.imports {
  display: grid;
  grid-template-columns: 230px minmax(0, 1fr);
  gap: 24px;
  min-height: calc(100vh - 60px);
}
.steps {
  max-width: 62ch;
  font-size: 16px;
  line-height: 1.6;
  color: var(--ink);
}
.steps p {
  margin: 0 0 10px;
}
.drop {
  border: 1px dashed var(--quiet);
  padding: 8px 10px 10px;
  margin: 8px 0;
}
.find {
  width: 100%;
  margin-top: 8px;
}
.drop .choose {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 0;
}
.drop p {
  margin: 0 0 8px;
}
.refusal {
  border-left: 3px solid var(--fall);
  padding: 4px 8px;
  overflow-wrap: anywhere;
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: flex;
  border-bottom: 1px solid var(--hair);
}
li.here {
  background: var(--accent-wash);
}
li a {
  flex: 1;
  min-width: 0;
  padding: 5px 4px;
  color: var(--ink);
  text-decoration: none;
}
li b,
li span {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li span {
  font-size: 12px;
}
@media (max-width: 900px) {
  .imports {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
