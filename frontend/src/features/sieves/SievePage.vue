<script setup lang="ts">
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { lastSieve, onBars } from '@/parts/suggest/target'
import { useStartRun } from '@/shared/startRun'
import { useAct } from '@/shared/act'
import { answer, ApiError, type Preview, type Sieve } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { listKeys, useKeys } from '@/shared/keys'
import { useFormulas, useMembers, useVocabulary } from '@/shared/queries'
import { done, forgetOffer } from '@/shared/undo'
import ConditionRow from './ConditionRow.vue'
import { asLines, condition, useDraft, usePreview } from '@/parts/shaping/draft'
import EvidenceLine from './EvidenceLine.vue'
import FiredChart from './FiredChart.vue'
import FiredSheets from './FiredSheets.vue'
import FormulaEditor from '@/parts/editor/FormulaEditor.vue'
import { FIGURES } from '@/parts/editor/help'
import HelpCard from '@/parts/editor/HelpCard.vue'
import Leaves from './Leaves.vue'
import MirrorSheet from './MirrorSheet.vue'
import NamedFormulas from './NamedFormulas.vue'
import SieveHead from './SieveHead.vue'
import SieveVersions from './SieveVersions.vue'
import SieveSentence from './SieveSentence.vue'
import { useThresholds } from './thresholds'
import WhyNot from '@/parts/why/WhyNot.vue'
import { useServer } from '@/shared/moment'
import Reply from '@/shared/Reply.vue'

const server = useServer()

/** Does this say what I mean, and how many does it leave? */
const route = useRoute()
const router = useRouter()
const id = computed(() => String(route.params.id))
const { draft, stored, found, changed, loaded, ready, history, save, discard } = useDraft(id)
const held = ref(false)
const { preview, about, from, error, fresh, ask } = usePreview(draft, ready, held)
/** It is open once what the address names is on the page. */
const opened = {
  data: computed(() => ready.value || undefined),
  error: loaded.error,
  again: loaded.again,
}
const { scales, move: moveThreshold, tie, tied } = useThresholds(draft, preview, about)
/** Whether what is said of a condition, a formula or the ranking is about the text that stands there. */
const saidOf = (n: number) =>
  about.value?.conditions[n]?.formula === draft.value.conditions[n]?.formula
const saidOfNamed = (n: number) => about.value?.formulas[n]?.text === draft.value.formulas[n]?.text
const { data: vocabulary } = useVocabulary()
const startRun = useStartRun()
const rows = ref<InstanceType<typeof ConditionRow>[]>([])
const desk = useFormulas()
const own = computed(() => [
  ...draft.value.formulas.map((f) => f.name),
  ...(desk.data.value?.map((f) => f.stored.name) ?? []),
])
const names = computed(() => draft.value.conditions.map((c) => c.formula))
const { act, busy: saving, failure } = useAct()

/** The last that makes sense, and what came of it: what lists, charts and reasons are about. */
const sifted = shallowRef<Sieve>()
const last = shallowRef<Preview>()
watch(
  preview,
  (now) => {
    if (now?.ok) [sifted.value, last.value] = [about.value, now]
  },
  { immediate: true },
)
watch(id, () => (sifted.value = last.value = undefined))
/** The condition that is looked at closely. */
const open = ref<number>()
const listed = computed(() => [
  ...(last.value?.hits ?? []).map((hit) => ({ code: hit.code, name: hit.name })),
  ...(last.value?.near ?? []).map((miss) => ({ code: miss.code, name: miss.name })),
])
const everyone = useMembers(() => draft.value.universe)
/** The instrument on the chart: the one that was chosen, else the first there is. */
const chosen = computed(() => {
  const wanted = route.query.code
  return String(wanted ?? listed.value[0]?.code ?? everyone.value[0]?.code ?? '')
})
const chosenName = computed(
  () => [...listed.value, ...everyone.value].find((own) => own.code === chosen.value)?.name ?? '',
)
const choose = (code: string) => router.replace({ query: { ...route.query, code } })
function stepListed(by: number) {
  const at = listed.value.findIndex((own) => own.code === chosen.value)
  const to = Math.max(0, Math.min(listed.value.length - 1, at + by))
  if (listed.value[to]) void choose(listed.value[to].code)
}
const asked = ref('')
const why = ref<InstanceType<typeof WhyNot>>()
const askWhy = (code: string, signal: AbortSignal) =>
  answer(server.POST('/api/preview/why', { body: { sieve: sifted.value!, code }, signal }))
const many = ref(false)
/** The sieve whose other side is looked at. */
const turning = shallowRef<Sieve>()
watch(id, () => (turning.value = undefined))

/** Both sides in this sieve, which can be undone. */
function join(both: Sieve) {
  turning.value = undefined
  draft.value.sides = both.sides
  draft.value.conditions = both.conditions
  done('It looks for both sides now.', history.undo)
}

/** By the history of the sieve, which holds what is on offer as well. */
function stepBack() {
  forgetOffer()
  history.undo()
}
function add() {
  draft.value.conditions.push(condition('rel_volume(18) > 1'))
  nextTick(() => rows.value.at(-1)?.write())
}
/** From one condition to the next; from the last back to the keys of the page. */
function goOn(position: number) {
  const next = rows.value[position + 1]
  if (next) next.focus()
  else rows.value[position]?.leave()
}
/** A sieve that was begun by key is written in at once. */
watch(
  ready,
  async (here) => {
    if (!here || !window.history.state?.write) return
    window.history.replaceState({ ...window.history.state, write: false }, '')
    await nextTick()
    await rows.value[0]?.write()
  },
  { immediate: true, flush: 'post' },
)
/** A condition that was read on a chart, seen at once with what it measures. */
function take(formula: string) {
  draft.value.conditions.push(condition(formula))
  open.value = draft.value.conditions.length - 1
  nextTick(() => rows.value.at(-1)?.reveal())
}
/** What was taken from a chart comes with the address, once. */
watch(
  [ready, () => route.query.add],
  async ([here, add]) => {
    if (!here || typeof add !== 'string') return
    const { universe, forming } = route.query
    const on = String(route.query.bars ?? draft.value.timeframes[0])
    await router.replace({ query: { code: route.query.code } })
    if (id.value === 'new' && !history.canUndo.value && !found.value) {
      draft.value.timeframes = [on]
      draft.value.forming = forming === 'yes'
      if (universe) draft.value.universe = String(universe)
      draft.value.conditions = []
    }
    take(onBars(add, on, draft.value.timeframes[0]!))
    done('Taken from the chart.', history.undo)
  },
  { immediate: true },
)
/** A universe that was made elsewhere comes with the address, once. */
watch(
  [ready, () => route.query.universe],
  async ([here, universe]) => {
    if (!here || typeof universe !== 'string' || route.query.add) return
    await router.replace({ query: { ...route.query, universe: undefined } })
    if (universe === draft.value.universe) return
    draft.value.universe = universe
    done(`It is sifted in ${universe}.`, history.undo)
  },
  { immediate: true },
)
watch(id, (now) => (lastSieve.value = now), { immediate: true })
function addFormula() {
  const taken = new Set(own.value)
  let n = 1
  while (taken.has(`mine_${n}`)) n++
  draft.value.formulas.push({ name: `mine_${n}`, text: 'close - sma(close, 23)' })
}
function remove(position: number) {
  const [gone] = draft.value.conditions.splice(position, 1)
  if (gone) done('Condition removed.', () => draft.value.conditions.splice(position, 0, gone))
}
/** The focus goes with the condition that is moved. */
function move(position: number, by: number) {
  const [moved] = draft.value.conditions.splice(position, 1)
  if (!moved) return
  draft.value.conditions.splice(position + by, 0, moved)
  open.value = position + by
  nextTick(() => rows.value[position + by]?.focus())
}
function duplicate(position: number) {
  const own = draft.value.conditions[position]
  if (own) draft.value.conditions.splice(position + 1, 0, { ...own })
  nextTick(() => rows.value[position + 1]?.focus())
}
const keep = (asNew = false) =>
  act('Not saved', async () => {
    const saved = await save(asNew)
    if (id.value !== String(saved.id)) await router.replace(`/sieves/${saved.id}`)
    return saved
  })
/** What was saved while this was written, once that has been told. */
const theirs = shallowRef<Sieve>()
watch(
  () => failure.value?.error.code,
  async (code) => {
    theirs.value = undefined
    if (code !== 'changed_meanwhile') return
    await loaded.refetch()
    theirs.value = loaded.data.value?.sieve
  },
)
async function saveOnly() {
  const saved = await keep()
  if (saved) done(`Saved as version ${saved.version}.`)
}
async function saveAsNew() {
  draft.value.name = `${draft.value.name}, mine`.slice(0, 120)
  const saved = await keep(true)
  if (saved) done(`Saved as a sieve of its own.`)
}
/** A run leads to the version that it used. */
const marked = computed(() => Number(route.query.version) || undefined)
const versions = ref(Boolean(marked.value))
watch([id, marked], ([, wanted]) => (versions.value = Boolean(wanted)))
/** An earlier version in place of what stands on the page, which can be had back; saved it is the newest. */
function takeVersion(sieve: Sieve, version: number) {
  draft.value = JSON.parse(JSON.stringify(sieve)) as Sieve
  done(`Version ${version} is on the page.`, history.undo)
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
const whyNotYet = computed(() =>
  error.value instanceof ApiError ? error.value.message : preview.value?.problems[0]?.message,
)
async function run() {
  if (!preview.value?.ok && fresh.value) return
  const saved = stored.value && !changed.value ? stored.value : await keep()
  if (saved) await act("The run can't begin", () => startRun(saved.id))
}
listKeys(
  [
    ['F1', 'help for the word at the cursor'],
    ['F2', 'a condition as text, or as parts'],
    ['Alt+↑ ↓', 'move the condition'],
    ['Alt+Insert', 'the condition once more'],
    ['Alt+Delete', 'remove the condition'],
    ['Alt+O', 'switch the condition off, or on'],
    ['⏎', 'take what was meant, else to the next condition'],
    ['⇧+⏎', 'a new line in the condition'],
    ['Alt+⏎', 'one more condition'],
    ['Escape', 'out of the text'],
  ],
  'a condition',
)
useKeys([
  { key: 'Ctrl+s', does: 'save', run: saveOnly },
  { key: 'Ctrl+Enter', does: 'save and run', run },
  { key: 'Ctrl+z', does: 'undo the last change', notInTexts: true, run: stepBack },
  { key: 'Ctrl+Shift+z', does: 'do it again', notInTexts: true, run: history.redo },
  { key: 'a', does: 'add a condition', run: add },
  {
    key: 'i',
    does: 'what followed on its signals, in full',
    run: () => void router.push(`/sieves/${id.value}/evidence`),
  },
  {
    key: 'r',
    does: 'earlier versions',
    run: () => (versions.value = !versions.value && !!stored.value),
  },
  { key: 'w', does: 'why not: what an instrument lacks', run: () => why.value?.focus() },
  { key: 'v', does: 'one chart, or small sheets of many', run: () => (many.value = !many.value) },
  { key: 'ArrowDown', does: 'next instrument', repeats: true, run: () => stepListed(1) },
  { key: 'ArrowUp', does: 'instrument before', repeats: true, run: () => stepListed(-1) },
])
</script>

<template>
  <main class="page">
    <Reply :of="opened" what="The sieve can't be shown" reading="Opening the sieve …"
      ><div class="desk">
        <section class="shape" aria-label="What is sifted for">
          <SieveHead
            v-model="draft.name"
            :stored="stored"
            :changed="changed"
            :busy="saving"
            :versions="versions"
            @versions="versions = !versions"
            :runs="Boolean(preview?.ok) && !error"
            :why="whyNotYet"
            :failure="failure"
            :found="found"
            :theirs="theirs && asLines(theirs)"
            :mine="theirs && asLines(draft)"
            @save="saveOnly"
            @run="run"
            @save-as-new="saveAsNew"
            @take-saved="takeSaved"
            @forget="forget"
          />
          <SieveVersions
            v-if="versions && stored"
            :id="stored.id"
            :version="stored.version"
            :draft="draft"
            :marked="marked"
            @take="takeVersion"
            @close="versions = false"
          />
          <SieveSentence v-model="draft" :vocabulary="vocabulary" />
          <MirrorSheet v-if="turning" :sieve="turning" @join="join" @close="turning = undefined" />
          <HelpCard v-show="!turning" class="conditions" :own="FIGURES">
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
                :sided="draft.sides.length > 1"
                :amiss="preview?.problems.find((p) => p.subject === `conditions.${n}.side`)"
                :lacks="saidOf(n) ? preview?.undecided_by[n] : ''"
                :constant="saidOf(n) ? preview?.constant[n] : null"
                :scales="scales[n] ?? []"
                :open="open === n"
                :tied="(scale) => tied(n, scale)"
                :vocabulary="vocabulary"
                :own="own"
                @open="open = n"
                @remove="remove(n)"
                @duplicate="duplicate(n)"
                @move="move(n, $event)"
                @threshold="(scale, value) => moveThreshold(n, scale, value)"
                @tie="(scale) => tie(n, scale)"
                @hold="(own) => (held = own)"
                @next="goOn(n)"
                @another="add"
              />
            </ol>
            <p class="adds">
              <button class="button" @click="add">Add a condition <kbd>a</kbd></button>
              <button class="button plain" @click="addFormula">Name a formula</button>
              <button
                class="button plain"
                :disabled="!preview?.ok"
                title="The short side of a long sieve, or the long one of a short"
                @click="turning = about"
              >
                Mirror
              </button>
              <RouterLink class="button plain" to="/functions">Function reference</RouterLink>
              <RouterLink class="button plain" to="/formulas">Formulas of the desk</RouterLink>
            </p>
            <NamedFormulas
              v-model="draft.formulas"
              :readings="preview?.formulas"
              :problems="preview?.problems"
              :said-of="saidOfNamed"
              :vocabulary="vocabulary"
              :own="own"
            />
            <div class="rank">
              <span class="quiet">ranked by</span>
              <div>
                <FormulaEditor
                  v-model="draft.rank"
                  label="Ranking formula"
                  hint="no ranking beyond the score"
                  :problems="preview?.rank?.problems"
                  :offers="about?.rank === draft.rank ? preview?.rank?.offers : []"
                  :nearest="about?.rank === draft.rank ? preview?.rank?.nearest : []"
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
          </HelpCard>
        </section>
        <section class="below">
          <FiredChart
            v-if="!many"
            :sieve="sifted"
            :code="chosen"
            :name="chosenName"
            :focus="open"
            :scales="open === undefined ? [] : (scales[open] ?? [])"
            class="one"
            @move="(scale, value) => moveThreshold(open!, scale, value)"
            @hold="(own) => (held = own)"
            @take="take"
          >
            <button
              class="button plain"
              title="Small sheets of many instruments"
              @click="many = true"
            >
              many <kbd>v</kbd>
            </button>
          </FiredChart>
          <FiredSheets v-else class="many" :sieve="sifted" :chosen="chosen" @choose="choose">
            <button class="button plain" title="The chart of one instrument" @click="many = false">
              one <kbd>v</kbd>
            </button>
          </FiredSheets>
        </section>
        <aside
          class="leaves"
          :class="{ old: preview && !fresh && !held }"
          aria-label="What it leaves"
        >
          <ErrorNote v-if="error" :error="error" what="No preview" :again="ask" />
          <template v-else-if="preview">
            <Leaves
              aria-live="polite"
              :preview="preview"
              :last="last ?? preview"
              :names="names"
              :rank="draft.rank"
              :then="Boolean(from)"
              :chosen="chosen"
              :sided="(sifted?.sides.length ?? 1) > 1"
              @choose="choose"
            >
              <EvidenceLine
                v-if="sifted"
                :sieve="sifted"
                :at="`/sieves/${id}/evidence`"
                :fresh="fresh && preview.ok"
              />
              <WhyNot
                v-if="sifted"
                ref="why"
                v-model="asked"
                :offered="everyone"
                :ask="askWhy"
                :about="sifted"
                :names="names"
                :sided="sifted.sides.length > 1"
                @told="choose"
              />
            </Leaves>
          </template>
          <p v-else class="quiet">sifting…</p>
        </aside>
      </div></Reply
    >
  </main>
</template>

<style scoped>
.page {
  padding: 8px 0 0 20px;
}
.desk {
  display: grid;
  grid-template:
    'shape leaves' minmax(0, 1fr) 'below leaves' minmax(240px, 44%) / minmax(0, 1fr)
    316px;
  gap: 0 20px;
  height: calc(100vh - var(--top) - 9px);
  min-height: 560px;
}
.shape {
  grid-area: shape;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.conditions {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding-right: 6px;
  border-top: 1px solid var(--ink);
}
.below {
  grid-area: below;
  position: relative;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  border-top: 1px solid var(--ink);
  padding: 4px 0 8px;
}
.one {
  flex: 1;
}
.many {
  overflow: auto;
}
ol {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
.adds {
  margin: 0;
}
.rank {
  display: grid;
  grid-template-columns: 66px minmax(0, 1fr);
  gap: 10px;
  margin-top: 12px;
}
.says {
  margin: 3px 0 0;
}
.note {
  width: 100%;
  margin: 10px 0;
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid var(--hair);
  border-radius: 3px;
  padding: 4px 8px;
}
.leaves {
  grid-area: leaves;
  border-left: 1px solid var(--hair);
  padding: 4px 14px 12px;
  overflow: auto;
  min-height: 0;
}
.old {
  opacity: 0.45;
}
@media (min-width: 1600px) {
  .desk {
    grid-template: 'shape below leaves' minmax(0, 1fr) / minmax(0, 10fr) minmax(0, 11fr) 330px;
  }
  .below {
    border-top: 0;
  }
}
@media (max-width: 900px) {
  .page {
    padding: 8px 12px;
  }
  .desk {
    display: block;
    height: auto;
  }
  .below {
    height: 380px;
  }
  .leaves {
    border-left: 0;
    padding: 8px 0;
  }
}
</style>
