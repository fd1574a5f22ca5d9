<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useAct } from '@/shared/act'
import { answer, type Layout } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { asSentence, whole } from '@/shared/format'
import { useWork } from '@/shared/work'
import { isAtWork } from './bring'
import FirstRows from './FirstRows.vue'
import ImportAccount from './ImportAccount.vue'
import ImportLines from './ImportLines.vue'
import ImportLayout from './ImportLayout.vue'
import TakeBack from './TakeBack.vue'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** One file: what it seems to be, its first rows, what would change, and taking it. */
const props = defineProps<{ id: number }>()
const view = useRead(() => {
  const params = { path: { import_id: props.id } }
  return {
    of: keys.import(props.id),
    read: (server) => answer(server.GET('/api/imports/{import_id}', { params })),
  }
})
const own = computed(() => view.data.value?.own)
const told = useWork(
  () => (own.value && isAtWork(own.value) ? [`import-${own.value.id}`] : []),
  () => view.refetch(),
)
const open = computed(
  () => own.value && !['taking', 'done', 'going', 'gone'].includes(own.value.state),
)
const share = computed(() => {
  const o = told.get(`import-${props.id}`) ?? own.value
  return o?.total ? Math.min(100, Math.floor((100 * o.done) / o.total)) : 0
})
const wanted = computed(() => {
  const o = own.value
  return o?.account ? o.account.new + o.account.changed - o.left_rows : 0
})
const mends = computed(() => own.value?.account?.mending_count ?? 0)
const SIZES = ['bytes', 'kB', 'MB', 'GB']
const sized = (bytes: number) => {
  const step = bytes ? Math.min(3, Math.floor(Math.log(bytes) / Math.log(1000))) : 0
  return `${(bytes / 1000 ** step).toFixed(step ? 1 : 0)} ${SIZES[step]}`
}

/** What is corrected here, until the server has read the file so. */
const draft = ref<Layout>()
const layout = computed(() => draft.value ?? own.value?.layout)
const { act, busy, failure } = useAct()
const path = computed(() => ({ params: { path: { import_id: props.id } } }))
async function refresh() {
  await view.refetch()
  await readAnew(keys.imports())
}
let asked = 0
/** Each correction is read at once; of several only the last counts. */
async function correct(part: Partial<Layout>) {
  if (!layout.value) return
  const mine = ++asked
  draft.value = { ...layout.value, ...part }
  while (busy.value && mine === asked) await new Promise((go) => setTimeout(go, 30))
  if (mine !== asked) return
  await act('It can’t be read so', async () => {
    const body = { layout: draft.value! }
    await answer(server.PUT('/api/imports/{import_id}/layout', { ...path.value, body }))
    await refresh()
    if (mine === asked) draft.value = undefined
  })
}
const take = () =>
  act('Not taken', async () => {
    await answer(server.POST('/api/imports/{import_id}/take', path.value))
    await refresh()
  })
const read = () =>
  act('Not read', async () => {
    await answer(server.POST('/api/imports/{import_id}/read', path.value))
    await refresh()
  })
const stop = () =>
  act('Not stopped', async () => {
    await answer(server.POST('/api/imports/{import_id}/cancel', path.value))
    await refresh()
  })
/** Everything that shows data is read anew once a file was taken. */
watch(
  () => own.value?.state,
  (state, before) => {
    if (state !== before) void readAnew(keys.imports())
    if (['done', 'gone'].includes(state ?? '') && before !== undefined) void readAnew()
  },
)
/** Some of its dates as they are written. */
const dates = computed(() => {
  const { names = [], rows = [] } = view.data.value ?? {}
  const place = names.indexOf(layout.value?.columns?.time ?? '')
  return [...new Set(rows.flatMap((row) => row[place] ?? []))].slice(0, 3)
})
</script>

<template>
  <section class="sheet">
    <Reply :of="view" what="The import can't be shown"
      ><template v-if="own && layout">
        <h1 :title="own.name">
          {{ own.name }}
          <span class="quiet"
            >{{ own.file_count > 1 ? `${own.file_count} files, ` : '' }}{{ sized(own.size) }}</span
          >
        </h1>
        <ImportLayout
          v-if="open"
          :layout="layout"
          :many="own.file_count > 1"
          :dates="dates"
          @correct="correct"
        />
        <ul v-if="open && own.doubts.length && !draft" class="doubts">
          <li v-for="doubt in own.doubts" :key="doubt">Look here: {{ doubt }}.</li>
        </ul>
        <Failed :failure="failure" />
        <ul v-if="failure && failure.error.problems.length > 1" class="doubts">
          <li v-for="p in failure.error.problems.slice(1)" :key="p.message">
            {{ asSentence(p.message) }} {{ asSentence(p.mend) }}
          </li>
        </ul>
        <FirstRows
          v-if="open && view.data.value?.names.length"
          :view="view.data.value"
          :layout="layout"
          @correct="correct"
        />
        <p v-if="isAtWork(own)" class="progress" role="status">
          <template v-if="own.state === 'going'">Taking it back…</template>
          <template v-else>
            {{ own.state === 'reading' ? 'Reading the whole file' : 'Taking it' }}: {{ share }} %
            <progress :value="share" max="100" :aria-label="`${share} % of ${own.name}`" />
            <button class="button" :disabled="busy" @click="stop">Stop</button>
          </template>
        </p>
        <p v-else-if="own.state === 'failed'" class="fall" role="alert">
          Nothing was taken: {{ own.reason }}.
          <template v-if="open">Correct what is said above, or import another file.</template>
        </p>
        <p v-else-if="own.state === 'coming'" class="quiet" role="status">
          {{ own.file_count }} files have come so far.
          <button class="button" :disabled="busy" @click="read">Go on with these</button>
        </p>
        <p v-else-if="own.state === 'cancelled'" class="quiet">
          Stopped; nothing of it was taken.
          <button class="button plain" :disabled="busy" @click="correct({})">Read it again</button>
        </p>
        <TakeBack v-if="!isAtWork(own)" :own="own" @taken="refresh" />
        <ImportAccount v-if="own.account && !isAtWork(own)" :own="own">
          <button
            v-if="own.state === 'ready'"
            class="button primary"
            :disabled="busy || !(wanted + mends) || !!own.layout.asked?.length"
            @click="take"
          >
            <template v-if="wanted || !mends">
              Import {{ whole(wanted) }} {{ own.account.nouns
              }}<template v-if="mends">, and correct {{ whole(mends) }}</template>
            </template>
            <template v-else>Correct {{ whole(mends) }}</template>
          </button>
        </ImportAccount>
        <ImportLines
          v-if="own.account?.instruments && /^(bars|trades)/.test(own.account.nouns)"
          :own="own"
          @left="refresh"
        /> </template
    ></Reply>
  </section>
</template>

<style scoped>
.sheet {
  min-width: 0;
}
h1 {
  font-size: 17px;
  margin: 8px 0 4px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.doubts {
  margin: 4px 0;
  padding-left: 16px;
  color: var(--fall);
}
.progress {
  display: flex;
  gap: 12px;
  align-items: center;
}
progress {
  width: 200px;
  accent-color: var(--accent);
}
</style>
