<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import FormulaEditor from '@/features/sieves/FormulaEditor.vue'
import { answer, api, ApiError, type LibraryEntry } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { needs, plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { keys, useFormulas, useVocabulary } from '@/shared/queries'
import { done } from '@/shared/undo'
import { useReading } from './reading'

/** What do I call by name, what does it mean, and who leans on it? */
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const formulas = useFormulas()
const { data: vocabulary } = useVocabulary()
const chosen = computed(() => String(route.params.id ?? ''))
const entry = computed(() => formulas.data.value?.find((f) => String(f.stored.id) === chosen.value))
const draft = ref({ name: '', text: '', note: '' })
const problem = ref<ApiError>()
const { reading } = useReading(computed(() => draft.value.text))
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

const FRESH = {
  name: 'my_bands',
  text:
    'input length = 20 between 5 and 200\ninput width = 2 between 0.5 and 5\n' +
    'middle = sma(close, length)\nspread = width * stdev(close, length)\n' +
    'show upper = middle + spread\nshow lower = middle - spread',
  note: '',
}
watch(
  [chosen, () => entry.value?.stored.version],
  () => {
    problem.value = undefined
    const kept = entry.value?.stored
    if (kept) draft.value = { name: kept.name, text: kept.text, note: kept.note }
    else if (chosen.value === 'new') draft.value = { ...FRESH }
  },
  { immediate: true },
)
watch(formulas.data, (all) => {
  if (!chosen.value && all?.[0]) router.replace(`/formulas/${all[0].stored.id}`)
})

async function refresh() {
  await client.invalidateQueries({ queryKey: keys.formulas })
}
async function save() {
  if (!changed.value || !reading.value?.ok) return
  problem.value = undefined
  const body = { ...draft.value }
  try {
    const saved = entry.value
      ? await answer(
          api.PUT('/api/formulas/{formula_id}', {
            params: { path: { formula_id: entry.value.stored.id } },
            body: { ...body, based_on: entry.value.stored.version },
          }),
        )
      : await answer(api.POST('/api/formulas', { body }))
    await refresh()
    await router.replace(`/formulas/${saved.id}`)
    done(`${saved.name} is saved as version ${saved.version}.`)
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error
  }
}
async function remove(gone: LibraryEntry) {
  const path = { params: { path: { formula_id: gone.stored.id } } }
  try {
    await answer(api.DELETE('/api/formulas/{formula_id}', path))
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error
    return
  }
  await refresh()
  await router.replace('/formulas')
  done(`${gone.stored.name} was put away.`, async () => {
    await answer(api.POST('/api/formulas/{formula_id}/restore', path))
    await refresh()
  })
}
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
  { key: 'c', does: 'compose a new formula', run: compose },
])
</script>

<template>
  <main class="page desk">
    <aside aria-label="Formulas">
      <button class="button primary" @click="compose">Compose a formula <kbd>c</kbd></button>
      <p v-if="formulas.isPending.value" class="quiet">reading…</p>
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
    </aside>
    <section>
      <ErrorNote
        v-if="formulas.isError.value"
        :error="formulas.error.value"
        what="The formulas can't be shown"
        @retry="formulas.refetch()"
      />
      <p v-else-if="chosen && chosen !== 'new' && formulas.data.value && !entry" class="empty">
        There is no such formula, or it was put away.
      </p>
      <p v-else-if="!chosen && formulas.data.value" class="empty">
        No formula yet. What you use in more than one sieve is worth a name: compose it once, and
        call it by that name in every condition.
      </p>
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
            entry ? `version ${entry.stored.version}${changed ? ', changed' : ''}` : 'not saved yet'
          }}</span>
          <button class="button primary" :disabled="!changed || !reading?.ok" @click="save">
            Save <kbd>Ctrl S</kbd>
          </button>
          <button v-if="entry" class="button" @click="remove(entry)">Put away</button>
        </div>
        <p v-if="problem" class="fall" role="alert">
          {{ problem.message }}<span v-if="problem.mend"> — {{ problem.mend }}</span>
        </p>
        <FormulaEditor
          v-model="draft.text"
          label="Formula"
          :problems="reading?.problems"
          :vocabulary="vocabulary"
          :own="others"
        />
        <div class="says" aria-live="polite">
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
        <textarea
          v-model="draft.note"
          class="note"
          rows="2"
          aria-label="Note"
          placeholder="A note: what it is for"
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
      </template>
    </section>
  </main>
</template>

<style scoped>
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
