<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import FormulaEditor from '@/parts/editor/FormulaEditor.vue'
import { useAct } from '@/shared/act'
import { answer, type LibraryEntry } from '@/shared/api'
import { draftOf, forgetDraft, keepDraft } from '@/shared/drafts'
import ErrorNote from '@/shared/ErrorNote.vue'
import Failed from '@/shared/Failed.vue'
import { clock, needs, plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import Archived from '@/shared/Archived.vue'
import ListOut from '@/shared/ListOut.vue'
import { useArchivedFormulas, useFormulas, useReady, useVocabulary } from '@/shared/queries'
import { same } from '@/shared/same'
import { done, undoKey } from '@/shared/undo'
import { settle } from '@/shared/way'
import Differences from '@/shared/Differences.vue'
import { preferences } from '@/shared/preferences'
import FormulaChart from './FormulaChart.vue'
import FormulaVersions from './FormulaVersions.vue'
import { useReading } from './reading'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** What do I call by name, what does it mean, and who leans on it? */
const route = useRoute()
const router = useRouter()
const formulas = useFormulas()
const { data: vocabulary } = useVocabulary()
const chosen = computed(() => String(route.params.id ?? ''))
const entry = computed(() => formulas.data.value?.find((f) => String(f.stored.id) === chosen.value))
const draft = ref({ name: '', text: '', note: '' })
const { act, busy, failure } = useAct()
const { reading, about, error, ask } = useReading(computed(() => draft.value.text))
const fresh = computed(() => about.value === draft.value.text)
/** When the draft on the page was left, and the version that it was made from. */
const found = ref<{ at: number; basedOn: number }>()
const others = computed(
  () =>
    formulas.data.value
      ?.map((f) => f.stored.name)
      .filter((name) => name !== entry.value?.stored.name) ?? [],
)
const changed = computed(() => {
  const kept = entry.value?.stored
  const { name, text, note } = draft.value
  return !kept || kept.name !== name || kept.text !== text || kept.note !== note
})

const columns = () => {
  const all = formulas.data.value ?? []
  return {
    formula: all.map((f) => f.stored.name),
    text: all.map((f) => f.stored.text),
    note: all.map((f) => f.stored.note),
    version: all.map((f) => f.stored.version),
    kind: all.map(kindOf),
    called_by: all.map((f) => [...f.used_by_sieves, ...f.used_by_formulas].join('; ')),
  }
}

const FRESH = {
  name: 'my_bands',
  text:
    'input length = 24 between 5 and 200\ninput width = 1.8 between 0.5 and 5\n' +
    'middle = sma(close, length)\nspread = width * stdev(close, length)\n' +
    'show upper = middle + spread\nshow lower = middle - spread',
  note: '',
}
type Words = typeof FRESH
const place = () => `formula ${chosen.value}`
const clean = (): Words => {
  const kept = entry.value?.stored
  return kept ? { name: kept.name, text: kept.text, note: kept.note } : { ...FRESH }
}
const opened = ref('')
const basedOn = ref(0)
function open() {
  failure.value = undefined
  opened.value = chosen.value
  basedOn.value = entry.value?.stored.version ?? 0
  const left = draftOf<Words>(place())
  found.value = left && { at: left.at, basedOn: left.basedOn }
  if (left) basedOn.value = left.basedOn
  draft.value = left?.content ?? clean()
}
watch(
  [chosen, entry],
  () => {
    const here = chosen.value === 'new' || entry.value
    if (here && opened.value !== chosen.value) open()
  },
  { immediate: true },
)
watch(
  draft,
  () => {
    if (!chosen.value || opened.value !== chosen.value) return
    if (JSON.stringify(draft.value) === JSON.stringify(clean())) forgetDraft(place())
    else keepDraft(place(), draft.value, basedOn.value)
  },
  { deep: true },
)
function forget() {
  const left = { ...draft.value }
  const [before, version] = [found.value, basedOn.value]
  forgetDraft(place())
  found.value = undefined
  basedOn.value = entry.value?.stored.version ?? 0
  draft.value = clean()
  done('The draft was set aside.', () => {
    draft.value = left
    found.value = before
    basedOn.value = version
  })
}
async function takeSaved() {
  await formulas.refetch()
  forget()
}
watch(formulas.data, (all) => {
  if (!chosen.value && all?.[0]) settle(router, `/formulas/${all[0].stored.id}`)
})

async function refresh() {
  await readAnew(keys.archivedFormulas, keys.formulas)
}
watch(
  () => failure.value?.error.code,
  (code) => code === 'changed_meanwhile' && formulas.refetch(),
)
const save = () =>
  act('Not saved', async () => {
    if (!changed.value || (fresh.value && !reading.value?.ok)) return
    const body = { ...draft.value }
    const from = place()
    const saved = entry.value
      ? await answer(
          server.PUT('/api/formulas/{formula_id}', {
            params: { path: { formula_id: entry.value.stored.id } },
            body: { ...body, based_on: basedOn.value },
          }),
        )
      : await answer(server.POST('/api/formulas', { body }))
    // What was typed meanwhile stays on the page, as a draft of the version just saved.
    const unchanged = same(draft.value, body)
    forgetDraft(from)
    found.value = undefined
    basedOn.value = saved.version
    opened.value = String(saved.id)
    await refresh()
    await router.replace(`/formulas/${saved.id}`)
    if (!unchanged) keepDraft(place(), draft.value, saved.version)
    done(`${saved.name} is saved as version ${saved.version}.`)
  })
async function restore(id: number) {
  const path = { params: { path: { formula_id: id } } }
  await answer(server.POST('/api/formulas/{formula_id}/restore', path))
  await refresh()
}
/** Pressed once more while it goes there is nothing left to archive. */
const remove = (gone?: LibraryEntry) =>
  act('Not archived', async () => {
    if (!gone) return
    const path = { params: { path: { formula_id: gone.stored.id } } }
    await answer(server.DELETE('/api/formulas/{formula_id}', path))
    await refresh()
    await router.replace('/formulas')
    done(`${gone.stored.name} was archived.`, () => restore(gone.stored.id))
  })
const ready = useReady()
/** Ready formulas that the desk has not got. */
const offered = computed(() => {
  const names = new Set(formulas.data.value?.map((f) => f.stored.name))
  return (ready.data.value?.formulas ?? []).filter((own) => !names.has(own.name))
})
const takeReady = ({ name, text, note }: Words) =>
  act('Not taken', async () => {
    const kept = await answer(server.POST('/api/formulas', { body: { name, text, note } }))
    await refresh()
    await router.push(`/formulas/${kept.id}`)
    done(`${name} is on the desk.`, async () => {
      const path = { params: { path: { formula_id: kept.id } } }
      await answer(server.DELETE('/api/formulas/{formula_id}', path))
      await refresh()
      await router.push('/formulas')
    })
  })
const away = useArchivedFormulas()
const gone = computed(() =>
  (away.data.value ?? []).map((f) => ({ id: f.id, name: f.name, note: f.note })),
)
const nameField = ref<HTMLInputElement>()
async function compose() {
  await router.push('/formulas/new')
  nextTick(() => nameField.value?.select())
}
const kindOf = (f: LibraryEntry) =>
  f.reading.outputs.length > 1
    ? plural(f.reading.outputs.length, 'output')
    : f.reading.outputs[0]?.kind === 'truth'
      ? 'condition'
      : unitOf(f.reading.outputs[0]?.unit)
const unitOf = (unit?: string) => (unit === 'none' ? 'number' : (unit ?? 'broken'))
const shape = (name: string) => {
  const inputs = entry.value?.inputs.map((i) => `${i.name}=${i.default}`).join(', ')
  return inputs ? `${name}(${inputs})` : name
}
useKeys([
  { key: 'Ctrl+s', does: 'save', run: save },
  undoKey,
  { key: 'c', does: 'compose a new formula', run: compose },
])
</script>

<template>
  <main class="page desk">
    <aside aria-label="Formulas">
      <button class="button primary" @click="compose">Compose a formula <kbd>c</kbd></button>
      <ul>
        <li v-for="f in formulas.data.value" :key="f.stored.id">
          <RouterLink
            :to="`/formulas/${f.stored.id}`"
            :class="{ here: f.stored.id === entry?.stored.id }"
          >
            <span class="mono">{{ f.stored.name }}</span>
            <span :class="f.reading.ok ? 'quiet' : 'fall'">{{ kindOf(f) }}</span>
          </RouterLink>
        </li>
      </ul>
      <details v-if="offered.length" class="ready">
        <summary>Ready ones: {{ offered.length }}</summary>
        <ul>
          <li v-for="own in offered" :key="own.name">
            <button class="button plain" :title="own.note" :disabled="busy" @click="takeReady(own)">
              take <span class="mono">{{ own.name }}</span>
            </button>
          </li>
        </ul>
      </details>
      <ListOut v-if="formulas.data.value?.length" name="Formulas" :columns="columns" />
      <Archived :entries="gone" @back="(id) => act('Not restored', () => restore(Number(id)))" />
    </aside>
    <section>
      <Reply :of="formulas" what="The formulas can't be shown"
        ><p v-if="chosen && chosen !== 'new' && formulas.data.value && !entry" class="empty">
          There is no such formula, or it was archived.
        </p>
        <p v-else-if="!chosen && formulas.data.value" class="empty">
          No formula yet. What you use in more than one sieve is worth a name: compose it once, and
          call it by that name in every condition.
        </p>
        <p v-else-if="chosen && opened !== chosen" class="empty">Opening the formula …</p>
        <template v-else-if="chosen">
          <div class="head">
            <input
              ref="nameField"
              v-model.trim="draft.name"
              class="title mono"
              aria-label="Name of the formula"
              maxlength="60"
            />
            <span class="quiet">{{
              entry
                ? `version ${entry.stored.version}${changed ? ', changed' : ''}`
                : 'not saved yet'
            }}</span>
            <button
              class="button primary"
              :disabled="busy || !changed || (fresh && !reading?.ok)"
              @click="save"
            >
              Save <kbd>Ctrl S</kbd>
            </button>
            <button v-if="entry" class="button" @click="remove(entry)">Archive</button>
          </div>
          <Failed :failure="failure" />
          <Differences
            v-if="failure?.error.code === 'changed_meanwhile' && entry"
            :before="entry.stored.text"
            :after="draft.text"
            :names="['saved meanwhile', 'yours']"
          />
          <p v-if="failure?.error.code === 'changed_meanwhile'">
            <button class="button" @click="takeSaved">Take the saved one</button>
          </p>
          <p v-if="found" class="found" role="status">
            Your unsaved draft of {{ clock(found.at) }} is on the page<template
              v-if="entry && found.basedOn !== entry.stored.version"
              >; it was made from version {{ found.basedOn }}</template
            >.
            <button class="button plain" @click="forget">Discard it</button>
          </p>
          <FormulaEditor
            v-model="draft.text"
            label="Formula"
            :problems="reading?.problems"
            :offers="fresh ? reading?.offers : []"
            :nearest="fresh ? reading?.nearest : []"
            :vocabulary="vocabulary"
            :own="others"
          />
          <ErrorNote v-if="error" :error="error" what="The formula can't be read" :again="ask" />
          <div class="says" :class="{ old: !fresh }" aria-live="polite">
            <p v-for="(p, n) in reading?.problems" :key="n" class="fall">
              {{ p.message }}<span v-if="p.mend"> — {{ p.mend }}</span>
            </p>
            <template v-if="reading?.ok">
              <table class="ledger">
                <thead>
                  <tr>
                    <th>Call</th>
                    <th>Gives</th>
                    <th>Unit</th>
                  </tr>
                </thead>
                <tbody>
                  <tr v-for="output in reading.outputs" :key="output.name">
                    <td class="mono">
                      {{ shape(draft.name) }}{{ output.name === 'value' ? '' : `.${output.name}` }}
                    </td>
                    <td>{{ output.kind === 'truth' ? 'a condition' : 'a number' }}</td>
                    <td class="quiet">
                      {{ output.kind === 'truth' || output.unit === 'none' ? '–' : output.unit }}
                    </td>
                  </tr>
                </tbody>
              </table>
              <p class="quiet">
                Needs {{ needs(reading) }} of history.
                <template v-for="i in entry?.inputs" :key="i.name">
                  <span class="mono">{{ i.name }}</span> from {{ i.low }} to {{ i.high }}.
                </template>
              </p>
            </template>
          </div>
          <FormulaChart
            :text="draft.text"
            :ok="fresh && Boolean(reading?.ok)"
            :universe="preferences.universe"
            :offered="vocabulary?.bars.map((own) => own.value) ?? []"
            @turn="(text) => (draft.text = text)"
          />
          <textarea
            v-model="draft.note"
            class="note"
            rows="2"
            aria-label="Note"
            placeholder="A note: what it is for"
          />
          <FormulaVersions
            v-if="entry"
            :id="entry.stored.id"
            :key="entry.stored.id"
            :version="entry.stored.version"
            :text="draft.text"
            @take="(text) => (draft.text = text)"
          />
          <p v-if="entry" class="sentence used">
            <template v-if="entry.used_by_sieves.length || entry.used_by_formulas.length">
              Called by
              <b>{{
                [...entry.used_by_sieves.map((s) => `“${s}”`), ...entry.used_by_formulas].join(', ')
              }}</b>. A run keeps the version that it ran with.
            </template>
            <template v-else>No sieve and no other formula calls it yet.</template>
          </p>
        </template></Reply
      >
    </section>
  </main>
</template>

<style scoped>
.ready {
  margin-top: 10px;
}
.ready summary {
  cursor: pointer;
  color: var(--accent);
  min-height: 24px;
}
.desk {
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr);
  gap: 28px;
}
ul {
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
}
aside a {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  color: inherit;
  text-decoration: none;
  border-bottom: 1px solid var(--hair);
  padding: 5px 4px;
}
aside a .mono {
  overflow: hidden;
  text-overflow: ellipsis;
}
aside a.here {
  background: var(--accent-wash);
}
.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
  margin-bottom: 8px;
}
.title {
  flex: 1;
  min-width: 0;
  font-size: 18px;
  font-weight: 600;
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid transparent;
  padding: 2px 0;
}
.title:hover,
.title:focus {
  border-bottom-color: var(--accent);
}
.says {
  margin-top: 8px;
}
.old {
  opacity: 0.45;
}
.found {
  color: var(--warn);
  margin: 4px 0;
}
@media (max-width: 900px) {
  .desk {
    grid-template-columns: minmax(0, 1fr);
  }
}
.note {
  width: 100%;
  margin-top: 8px;
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid var(--hair);
  border-radius: 3px;
  padding: 4px 8px;
}
.used {
  margin-top: 14px;
}
</style>
