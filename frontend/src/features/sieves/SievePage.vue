<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useStartRun } from '@/features/runs/startRun'
import { useAct } from '@/shared/act'
import ErrorNote from '@/shared/ErrorNote.vue'
import Failed from '@/shared/Failed.vue'
import { asSentence, clock, figure, needs, plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import Mesh from '@/shared/Mesh.vue'
import PriceTail from '@/shared/PriceTail.vue'
import { useFormulas, useUniverses, useVocabulary } from '@/shared/queries'
import { done } from '@/shared/undo'
import ConditionRow from './ConditionRow.vue'
import { useDraft, usePreview } from './draft'
import FormulaEditor from './FormulaEditor.vue'

/** Does this say what I mean, and how many does it leave? */
const route = useRoute()
const router = useRouter()
const id = computed(() => String(route.params.id))
const { draft, stored, found, changed, loaded, ready, history, save, discard } = useDraft(id)
const { preview, about, from, error, fresh, ask } = usePreview(draft, ready)
/** Whether what is said of a condition, a formula or the ranking is about the text that stands there. */
const saidOf = (n: number) =>
  about.value?.conditions[n]?.formula === draft.value.conditions[n]?.formula
const saidOfNamed = (n: number) => about.value?.formulas[n]?.text === draft.value.formulas[n]?.text
const universes = useUniverses()
const { data: vocabulary } = useVocabulary()
const startRun = useStartRun()
const rows = ref<InstanceType<typeof ConditionRow>[]>([])
const desk = useFormulas()
const own = computed(() => [
  ...draft.value.formulas.map((f) => f.name),
  ...(desk.data.value?.map((f) => f.stored.name) ?? []),
])
const undecided = computed(() => {
  const parts = Object.entries(preview.value?.undecided ?? {}).map(
    ([cause, n]) => `${n} undecided: ${cause}.`,
  )
  if (preview.value?.stale) parts.push(`${preview.value.stale} stale, left out.`)
  return parts.join(' ')
})
const names = computed(() => draft.value.conditions.map((c) => c.formula))
const { act, busy: saving, failure } = useAct()
const conflict = computed(() => failure.value?.error.code === 'changed_meanwhile')

function add() {
  draft.value.conditions.push({ role: 'must', formula: 'rel_volume(18) > 1', weight: 1 })
  nextTick(() => rows.value.at(-1)?.focus())
}
function addFormula() {
  const taken = new Set(own.value)
  let n = 1
  while (taken.has(`mine_${n}`)) n++
  draft.value.formulas.push({ name: `mine_${n}`, text: 'close - sma(close, 23)' })
}
function removeFormula(position: number) {
  const [gone] = draft.value.formulas.splice(position, 1)
  if (gone)
    done(`Formula ${gone.name} removed.`, () => draft.value.formulas.splice(position, 0, gone))
}
const nameProblem = (position: number) =>
  preview.value?.problems.find((p) => p.subject === `formulas.${position}.name`)
function remove(position: number) {
  const [gone] = draft.value.conditions.splice(position, 1)
  if (gone) done('Condition removed.', () => draft.value.conditions.splice(position, 0, gone))
}
function move(position: number, by: number) {
  const [moved] = draft.value.conditions.splice(position, 1)
  if (moved) draft.value.conditions.splice(position + by, 0, moved)
}
const keep = (asNew = false) =>
  act('Not saved', async () => {
    const saved = await save(asNew)
    if (id.value !== String(saved.id)) await router.replace(`/sieves/${saved.id}`)
    return saved
  })
async function saveOnly() {
  const saved = await keep()
  if (saved) done(`Saved as version ${saved.version}.`)
}
async function saveAsNew() {
  draft.value.name = `${draft.value.name}, mine`.slice(0, 120)
  const saved = await keep(true)
  if (saved) done(`Saved as a sieve of its own.`)
}
/** The saved one in place of what was written here, which can be had back. */
async function takeSaved() {
  await loaded.refetch()
  if (loaded.data.value) stored.value = loaded.data.value
  failure.value = undefined
  done('The saved version is on the page.', discard())
}
function forget() {
  done('The draft was set aside.', discard())
}
async function run() {
  if (!preview.value?.ok && fresh.value) return
  const saved = stored.value && !changed.value ? stored.value : await keep()
  if (saved) await act("The run can't begin", () => startRun(saved.id))
}
useKeys([
  { key: 'Ctrl+s', does: 'save', run: saveOnly },
  { key: 'Ctrl+Enter', does: 'save and run', run },
  { key: 'Ctrl+z', does: 'undo the last change', notInTexts: true, run: history.undo },
  { key: 'Ctrl+Shift+z', does: 'do it again', notInTexts: true, run: history.redo },
  { key: 'a', does: 'add a condition', run: add },
])
</script>

<template>
  <main class="page">
    <ErrorNote
      v-if="loaded.isError.value"
      :error="loaded.error.value"
      what="The sieve can't be shown"
      @retry="loaded.refetch()"
    />
    <p v-else-if="!ready" class="empty">Opening the sieve …</p>
    <div v-else class="desk">
      <section>
        <div class="head">
          <input
            v-model="draft.name"
            class="title"
            aria-label="Name of the sieve"
            maxlength="120"
          />
          <span class="quiet">{{
            stored ? `version ${stored.version}${changed ? ', changed' : ''}` : 'not saved yet'
          }}</span>
          <button class="button" :disabled="!changed || saving" @click="saveOnly">
            Save <kbd>Ctrl S</kbd>
          </button>
          <button class="button primary" :disabled="!preview?.ok || !!error || saving" @click="run">
            Run <kbd>Ctrl ⏎</kbd>
          </button>
        </div>
        <Failed :failure="failure" />
        <p v-if="conflict" class="choose">
          <button class="button" @click="saveAsNew">Save mine as a sieve of its own</button>
          <button class="button" @click="takeSaved">Take the saved one</button>
        </p>
        <p v-if="found" class="found" role="status">
          Your unsaved draft of {{ clock(found.at) }} is on the page<template
            v-if="stored && found.basedOn !== stored.version"
            >; it was made from version {{ found.basedOn }}, and version {{ stored.version }} has
            been saved since</template
          >.
          <button class="button plain" @click="forget">Set it aside</button>
        </p>
        <p class="sentence">
          Look in
          <select v-model="draft.universe" aria-label="Universe">
            <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option>
          </select>
          on bars of
          <input
            v-model.trim="draft.timeframes[0]"
            class="frame mono"
            list="timeframes"
            aria-label="Timeframe"
            maxlength="40"
          />
          <datalist id="timeframes">
            <option v-for="bar in vocabulary?.bars" :key="bar.value" :value="bar.value">
              {{ bar.told }}
            </option>
          </datalist>
          <select v-model="draft.forming" aria-label="Unfinished bar">
            <option :value="false">once they have closed</option>
            <option :value="true">the forming one included</option>
          </select>
          for
          <select v-model="draft.sides[0]" aria-label="Side">
            <option value="long">long</option>
            <option value="short">short</option>
          </select>
          setups that hold on the newest bar{{
            draft.fired_within === 1 ? '; look back over' : ', or held on one of the newest'
          }}&nbsp;
          <input
            v-model.number="draft.fired_within"
            class="small"
            type="number"
            min="1"
            max="250"
            aria-label="Bars"
            title="On one of so many of the newest bars all musts have to hold together"
          />
          {{ draft.fired_within === 1 ? 'bar' : 'bars' }}.
        </p>
        <ol>
          <ConditionRow
            v-for="(_, n) in draft.conditions"
            :key="n"
            ref="rows"
            v-model="draft.conditions[n]!"
            :position="n + 1"
            :total="draft.conditions.length"
            :reading="preview?.readings[n]"
            :count="preview?.counts[n]"
            :said="saidOf(n)"
            :counted="fresh"
            :instruments="preview?.instruments ?? 0"
            :vocabulary="vocabulary"
            :own="own"
            @remove="remove(n)"
            @move="move(n, $event)"
          />
        </ol>
        <button class="button" @click="add">Add a condition <kbd>a</kbd></button>
        <RouterLink class="button plain" to="/functions">Function reference</RouterLink>
        <button class="button plain" @click="addFormula">Name a formula</button>
        <RouterLink class="button plain" to="/formulas">Formulas of the desk</RouterLink>
        <div v-for="(named, n) in draft.formulas" :key="n" class="named">
          <input
            v-model="named.name"
            class="field mono"
            :aria-label="`Name of formula ${n + 1}`"
            maxlength="60"
          />
          <div>
            <FormulaEditor
              v-model="named.text"
              :label="`Formula ${n + 1}`"
              :problems="preview?.formulas[n]?.problems"
              :offers="saidOfNamed(n) ? preview?.formulas[n]?.offers : []"
              :vocabulary="vocabulary"
              :own="own"
            />
            <p class="says" :class="{ old: !saidOfNamed(n) }">
              <span v-if="nameProblem(n)" class="fall">{{ nameProblem(n)?.message }}</span>
              <span v-for="(p, m) in preview?.formulas[n]?.problems" :key="m" class="fall">{{
                p.message
              }}</span>
              <span v-if="preview?.formulas[n]?.ok" class="quiet">
                <template v-for="(output, m) in preview.formulas[n]!.outputs" :key="output.name">
                  {{ m ? ', ' : '' }}{{ output.name === 'value' ? '' : `.${output.name} `
                  }}{{ output.kind === 'truth' ? 'condition' : output.unit }}</template
                >
                · needs {{ needs(preview.formulas[n]!) }}
              </span>
            </p>
          </div>
          <button
            class="button plain"
            :aria-label="`Remove formula ${n + 1}`"
            @click="removeFormula(n)"
          >
            ×
          </button>
        </div>
        <div class="rank">
          <span class="quiet">ranked by</span>
          <div>
            <FormulaEditor
              v-model="draft.rank"
              label="Ranking formula"
              hint="no ranking beyond the score"
              :problems="preview?.rank?.problems"
              :offers="about?.rank === draft.rank ? preview?.rank?.offers : []"
              :vocabulary="vocabulary"
              :own="own"
            />
            <p class="says" :class="{ old: about?.rank !== draft.rank }">
              <span v-for="(p, n) in preview?.rank?.problems" :key="n" class="fall">{{
                p.message
              }}</span>
              <span v-if="preview?.rank?.ok" class="quiet">
                {{ preview.rank.sentence }}, the largest first, after the score of the boosts
              </span>
            </p>
          </div>
        </div>
        <textarea
          v-model="draft.note"
          class="note"
          rows="2"
          aria-label="Note"
          placeholder="A note: why this should work"
        />
      </section>
      <section aria-live="polite" class="leaves" :class="{ old: preview && !fresh }">
        <ErrorNote v-if="error" :error="error" what="No preview" @retry="ask" />
        <template v-else-if="preview?.ok">
          <p class="sentence">
            <b>{{ preview.passing }}</b> of {{ preview.instruments }} pass
            {{ from ? 'then' : 'now' }}.
            <span class="quiet">{{ undecided }}</span>
            <span
              v-if="preview?.hindsight.length"
              class="warn"
              :title="preview.hindsight.map(asSentence).join('\n')"
            >
              Partly judged by what is known now.</span
            >
          </p>
          <p v-if="!preview.hits.length" class="empty">
            Nothing passes. The thin bars show which condition cuts most: loosen the one whose
            “without it” is largest.
          </p>
          <div class="sheets">
            <article v-for="hit in preview.hits" :key="hit.code">
              <div>
                <RouterLink class="mono" :to="`/instruments/${hit.code}`">{{
                  hit.code
                }}</RouterLink>
                <span class="quiet name">{{ hit.name }}</span>
                <Mesh :cells="hit.cells" :names="names" />
              </div>
              <PriceTail
                :closes="hit.closes"
                :signal="hit.closes.length - 1 - hit.age"
                :width="150"
                :height="38"
              />
              <dl>
                <dt>score</dt>
                <dd>{{ figure(hit.score) }}</dd>
                <template v-if="draft.rank">
                  <dt class="by">{{ draft.rank }}</dt>
                  <dd>{{ figure(hit.rank) }}</dd>
                </template>
                <dt>held for</dt>
                <dd>{{ plural(hit.age + 1, 'bar') }}</dd>
                <dd
                  v-if="hit.provisional"
                  class="fall"
                  title="It rests on a bar that has not closed, and may change until it does"
                >
                  provisional
                </dd>
              </dl>
            </article>
          </div>
          <p v-if="preview.passing > preview.hits.length" class="quiet">
            and {{ preview.passing - preview.hits.length }} more; run it to see them all
          </p>
          <p class="quiet timing">sifted in {{ preview.milliseconds.toFixed(0) }} ms</p>
        </template>
        <template v-else-if="preview">
          <p class="sentence">Not yet: mend what is underlined.</p>
          <p v-for="(p, n) in preview.problems" :key="n" class="fall">
            {{ p.message }}<span v-if="p.mend"> — {{ p.mend }}</span>
          </p>
        </template>
        <p v-else class="quiet">sifting…</p>
      </section>
    </div>
  </main>
</template>

<style scoped>
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 350px;
  gap: 28px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
.title {
  flex: 1;
  font: 600 20px var(--sans);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid transparent;
  padding: 2px 0;
  min-width: 0;
}
.title:hover,
.title:focus {
  border-bottom-color: var(--accent);
}
.small {
  width: 48px;
}
.frame {
  field-sizing: content;
  min-width: 56px;
  max-width: 160px;
  margin-right: 5px;
}
ol {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
  border-top: 1px solid var(--ink);
}
.rank {
  display: grid;
  grid-template-columns: 66px minmax(0, 1fr);
  gap: 10px;
  margin-top: 14px;
}
.named {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr) 24px;
  gap: 10px;
  margin-top: 10px;
  align-items: start;
}
.named .field {
  width: 100%;
}
.says {
  margin: 3px 0 0;
}
.note {
  width: 100%;
  margin-top: 12px;
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid var(--hair);
  border-radius: 3px;
  padding: 4px 8px;
}
.leaves {
  border-left: 1px solid var(--hair);
  padding-left: 20px;
}
.old {
  opacity: 0.45;
}
.found,
.choose {
  margin: 4px 0;
  color: var(--warn);
}
@media (min-width: 1600px) {
  .desk {
    grid-template-columns: minmax(0, 1fr) 720px;
  }
  .sheets {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0 28px;
  }
}
@media (max-width: 900px) {
  .desk,
  .named {
    grid-template-columns: minmax(0, 1fr);
  }
  .leaves {
    border-left: 0;
    padding-left: 0;
  }
}
article {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 150px;
  gap: 4px 10px;
  border-bottom: 1px solid var(--hair);
  padding: 7px 0;
}
article .name {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  margin-bottom: 4px;
}
article dl {
  grid-column: 1 / -1;
  display: flex;
  gap: 4px;
  margin: 0;
  font-size: 12px;
}
article dt {
  color: var(--quiet);
}
article dd {
  margin: 0 10px 0 0;
}
.by {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.timing {
  font-size: 12px;
}
</style>
