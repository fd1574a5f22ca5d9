<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { useKept } from '@/shared/store'
import { computed, ref, watch } from 'vue'
import { beginning, isTold } from '@/shared/beginning'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import Failed from '@/shared/Failed.vue'
import { moment, price, told, wholeWithin } from '@/shared/format'
import FormulaText from '@/parts/editor/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'
import { useKeys } from '@/shared/keys'
import { useLatest } from '@/shared/latest'
import ListOut from '@/shared/ListOut.vue'
import Mesh from '@/shared/Mesh.vue'
import { done, undoKey } from '@/shared/undo'
import FrozenPicture from './FrozenPicture.vue'
import {
  begun,
  begunHere,
  fresh,
  leaning,
  LEANS,
  leanTold,
  outcome,
  recordTold,
  type Draft,
  type Seen,
} from './outlook'
import { useMoment, useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const looksFrom = useMoment()

/** What do I expect, what does it rest on, and how often was I right? */
/** What is being written survives leaving the page. */
const draft = useKept<Draft>('outlook', fresh(), { mergeDefaults: true })
// Where this desk begins may come late: nothing can be written until then, so nothing is written over.
const begins = computed(() => draft.value.code || isTold())
watch(beginning, () => (draft.value = begunHere(draft.value)), { immediate: true })
const route = useRoute()
const router = useRouter()
draft.value = begun(draft.value, route.query.code, route.query.reason)
// Begun once: what is changed from here on is not begun anew by a reload.
if (route.query.code)
  void router.replace({ query: { ...route.query, code: undefined, reason: undefined } })
const set = (part: Partial<Draft>) => (draft.value = { ...draft.value, ...part })
const setSettles = (part: Partial<Draft['settles']>) =>
  set({ settles: { ...draft.value.settles, ...part } })
const setReason = (n: number, part: Partial<NonNullable<Draft['reasons']>[number]>) =>
  set({
    reasons: draft.value
      .reasons!.map((own, m) => (m === n ? { ...own, ...part } : own))
      .filter((own) => own.formula),
  })
const addReason = (formula: string) =>
  formula &&
  set({
    reasons: [
      ...draft.value.reasons!,
      { bars: draft.value.reasons!.at(-1)?.bars ?? '1d', formula },
    ],
  })
function setHorizon(text: string) {
  const horizon = wholeWithin(text, 1, 5000)
  if (horizon) setSettles({ horizon })
}

const { reply, error, ask, later } = useLatest(200, (body: Draft, signal) =>
  answer(server.POST('/api/outlooks/look', { body, signal })),
)
/** The note is in nobody's way. */
const looked = computed(() => JSON.stringify({ ...draft.value, note: '' }))
watch(
  [looked, looksFrom],
  (_, before) => {
    if (!draft.value.code) return
    if (before[0] === undefined) void ask(draft.value)
    else later(draft.value)
  },
  { immediate: true },
)

const list = useRead(() => ({
  of: keys.outlooks,
  read: (server) => answer(server.GET('/api/outlooks')),
  refetchInterval: 60_000,
}))
const { act, busy, failure } = useAct()
const readAnew = useReadAnew()
const forget = () => readAnew(keys.outlooks)
const write = () =>
  act('Not written', async () => {
    await answer(server.POST('/api/outlooks', { body: draft.value }))
    set({ note: '' })
    await forget()
    done('The outlook is written down.')
  })
const archive = (seen: Seen) =>
  act('Not archived', async () => {
    const params = { path: { outlook_id: seen.id } }
    await answer(server.DELETE('/api/outlooks/{outlook_id}', { params }))
    await forget()
    done('The outlook is archived; it still counts.', async () => {
      await answer(server.POST('/api/outlooks/{outlook_id}/restore', { params }))
      await forget()
    })
  })
const when = (seconds: number) => moment(new Date(1000 * seconds).toISOString())
const problems = computed(() => [
  ...(reply.value?.problems ?? []),
  ...(reply.value?.said.flatMap((said) => said.problems) ?? []),
])
/** Fields in which something is written that was not taken. */
const held = ref(new Set<string>())
function hold(field: string, on: boolean) {
  if (on) held.value.add(field)
  else held.value.delete(field)
}
const ready = computed(
  () => reply.value?.start != null && !problems.value.length && !held.value.size,
)
const usual = computed(() => {
  const own = reply.value?.anyway
  if (!own?.of) return 'There are no earlier stretches of such a length to compare with.'
  return `In ${own.came} of ${own.of} earlier stretches of that length it did so anyway.`
})
const at = ref(0)
const shown = computed(() => list.data.value?.outlooks ?? [])
const step = (by: number) =>
  (at.value = Math.max(0, Math.min(shown.value.length - 1, at.value + by)))
const code = ref<InstanceType<typeof InlineText>>()
useKeys([
  undoKey,
  { key: '+', does: 'lean further up', run: () => (draft.value = leaning(draft.value, Math.min(2, draft.value.lean + 1))) }, // prettier-ignore
  { key: '-', does: 'lean further down', run: () => (draft.value = leaning(draft.value, Math.max(-2, draft.value.lean - 1))) }, // prettier-ignore
  { key: 'w', does: 'write the outlook down', run: () => void (ready.value && write()) },
  { key: 'i', does: 'change the instrument', run: () => code.value?.focus() },
  { key: 'ArrowDown', does: 'next outlook', repeats: true, run: () => step(1) },
  { key: 'ArrowUp', does: 'outlook before', repeats: true, run: () => step(-1) },
])
const table = () => ({
  written: shown.value.map((own) => new Date(1000 * own.outlook.written_at).toISOString()),
  code: shown.value.map((own) => own.outlook.code),
  lean: shown.value.map((own) => own.outlook.lean),
  start: shown.value.map((own) => own.outlook.start),
  settles: shown.value.map((own) => own.outlook.settles.formula),
  outcome: shown.value.map((own) => outcome(own, when)),
  came_anyway: shown.value.map((own) => own.outlook.anyway.came),
  of: shown.value.map((own) => own.outlook.anyway.of),
  note: shown.value.map((own) => own.outlook.note),
})
</script>

<template>
  <main class="page outlook">
    <section v-if="!begins" class="writer">
      <p class="empty">Reading where this desk begins …</p>
    </section>
    <section v-else aria-label="A new outlook" class="writer">
      <p class="sentence">
        Of
        <InlineText
          ref="code"
          :value="draft.code"
          :least="8"
          aria-label="Instrument"
          @take="(text) => text && set({ code: text.toUpperCase() })"
        />
        <template v-if="reply?.start != null"> at {{ price(reply.start, reply.tick) }}</template> I
        lean
        <select
          class="inline-part"
          aria-label="Lean"
          :value="draft.lean"
          @change="draft = leaning(draft, Number(($event.target as HTMLSelectElement).value))"
        >
          <option v-for="lean in LEANS" :key="lean" :value="lean">
            {{ leanTold(lean) }}
          </option></select
        >. It is settled by
        <FormulaText
          role="outcome"
          :value="draft.settles.formula"
          :least="16"
          :most="60"
          needed
          label="Settled by"
          @open="(on) => hold('settled', on)"
          @take="(formula) => setSettles({ formula })"
        />
        on
        <InlineText
          :value="draft.settles.bars ?? ''"
          :least="4"
          aria-label="Settled on bars"
          @take="(bars) => bars && setSettles({ bars })"
        />
        <select
          class="inline-part"
          aria-label="Settled when"
          :value="draft.settles.when"
          @change="setSettles({ when: ($event.target as HTMLSelectElement).value as 'comes' })"
        >
          <option value="comes">as soon as it comes, within</option>
          <option value="at the end">as it stands after</option>
        </select>
        <InlineText
          :value="String(draft.settles.horizon)"
          :least="4"
          aria-label="Horizon"
          @take="setHorizon"
        />
        bars. <span class="quiet">{{ reply && !problems.length ? usual : '' }}</span>
      </p>
      <p class="quiet">
        <code>start</code> is the close at the time of writing; in earlier stretches, the close
        before each.
      </p>
      <h2>It rests on</h2>
      <ul class="reasons">
        <li v-for="(reason, n) in draft.reasons" :key="n">
          <Mesh :cells="[reply?.said[n]?.cell ?? 'unknown']" :size="10" />
          <FormulaText
            role="condition"
            :value="reason.formula"
            :least="16"
            :most="50"
            :label="`Reason ${n + 1}`"
            @open="(on) => hold(`reason ${n}`, on)"
            @take="(formula) => setReason(n, { formula })"
          />
          on
          <InlineText
            :value="reason.bars"
            :least="4"
            :aria-label="`Bars of reason ${n + 1}`"
            @take="(bars) => bars && setReason(n, { bars })"
          />
          <span>{{ reply?.said[n]?.sentence }}</span>
        </li>
        <li>
          <FormulaText
            :key="draft.reasons!.length"
            role="condition"
            value=""
            :least="16"
            placeholder="+ a condition"
            label="One more reason"
            @take="addReason"
          />
        </li>
      </ul>
      <p v-for="(one, n) in problems" :key="n" class="fall" role="alert">
        {{ told(one) }}
      </p>
      <ErrorNote v-if="error" :error="error" what="It can't be told" :again="() => ask(draft)" />
      <textarea
        class="field note"
        rows="3"
        maxlength="4000"
        placeholder="why, in your own words"
        aria-label="Note"
        :value="draft.note"
        @input="set({ note: ($event.target as HTMLTextAreaElement).value })"
      ></textarea>
      <p>
        <button class="button primary" :disabled="busy || !ready" @click="write">
          Write it down <kbd>w</kbd>
        </button>
        <span v-if="looksFrom" class="fall">
          Written looking back from a moment of the past it does not count in the record.
        </span>
      </p>
      <Failed :failure="failure" />
    </section>
    <section aria-label="Record" class="record">
      <h2>How often each lean was right</h2>
      <dl v-if="list.data.value">
        <template v-for="own in list.data.value.record" :key="own.lean">
          <dt>{{ leanTold(own.lean) }}</dt>
          <dd :class="{ quiet: !own.settled }">{{ recordTold(own) }}</dd>
        </template>
      </dl>
    </section>
    <section aria-label="Outlooks" class="list">
      <h2>
        Written
        <ListOut v-if="shown.length" name="Outlooks" :columns="table" />
      </h2>
      <Reply :of="list" what="The outlooks can't be shown" :empty="!shown.length">
        <template #empty
          ><p class="empty">
            No outlook is written yet. Say what you expect above, and what it rests on: it is
            settled by itself.
          </p></template
        >
        <article
          v-for="(seen, n) in shown"
          :key="seen.id"
          :class="{ here: n === at }"
          :aria-label="`Outlook of ${when(seen.outlook.written_at)}`"
          @click="at = n"
        >
          <FrozenPicture :picture="seen.outlook.picture" :start="seen.outlook.start" />
          <div>
            <p class="head">
              <RouterLink
                class="mono"
                :to="{
                  path: instrumentAt(seen.outlook.code),
                  query: { bars: seen.outlook.settles.bars, at: seen.outlook.written_at },
                }"
                >{{ seen.outlook.code }}</RouterLink
              >
              {{ price(seen.outlook.start, seen.tick) }}, <b>{{ leanTold(seen.outlook.lean) }}</b>,
              {{ when(seen.outlook.written_at)
              }}<template v-if="seen.outlook.looking_back">, written looking back</template>
            </p>
            <p>
              <code>{{ seen.outlook.settles.formula }}</code> on {{ seen.outlook.settles.bars }},
              {{ seen.outlook.settles.when === 'comes' ? 'within' : 'after' }}
              {{ seen.outlook.settles.horizon }} bars:
              <b
                :class="
                  seen.settlement?.right == null ? '' : seen.settlement.right ? 'rise' : 'fall'
                "
                >{{ outcome(seen, when) }}</b><template v-if="seen.settlement?.again"
                >, {{ seen.settlement.again }}</template
              ><template v-if="seen.outlook.anyway.of"
                >; anyway {{ seen.outlook.anyway.came }} of {{ seen.outlook.anyway.of }}</template
              >
            </p>
            <ul class="reasons">
              <li v-for="(own, m) in seen.outlook.statements" :key="m" :title="own.formula">
                <Mesh :cells="[own.cell]" :size="9" /> {{ own.bars }}: {{ own.sentence }}
              </li>
            </ul>
            <p v-if="seen.outlook.note" class="words">{{ seen.outlook.note }}</p>
          </div>
          <button class="button plain" :disabled="busy" @click.stop="archive(seen)">archive</button>
        </article>
      </Reply>
    </section>
  </main>
</template>

<style scoped>
.outlook {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(260px, 32%);
  gap: 8px 36px;
  align-content: start;
}
.list {
  grid-column: 1 / -1;
}
h2 {
  font-size: 14px;
  font-weight: 500;
  margin: 6px 0 2px;
}
.reasons {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
.reasons li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
}
.note {
  width: 100%;
  resize: vertical;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 4px 16px;
  margin: 4px 0;
}
dd {
  margin: 0;
}
article {
  display: grid;
  grid-template-columns: 300px minmax(0, 1fr) max-content;
  gap: 20px;
  padding: 10px;
  border-top: 1px solid var(--hair);
}
article.here {
  box-shadow: inset 3px 0 var(--accent);
}
article p {
  margin: 0 0 4px;
}
.words {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
@media (max-width: 900px) {
  .outlook,
  article {
    grid-template-columns: minmax(0, 1fr);
  }
}
@media (min-width: 1600px) {
  .outlook {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
  .list {
    grid-column: 2;
    grid-row: 1 / span 3;
  }
}
</style>
