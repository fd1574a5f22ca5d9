<script setup lang="ts">
import { ref } from 'vue'
import { useRoute } from 'vue-router'
import { found } from '@/parts/chart/look'
import { useAct } from '@/shared/act'
import type { Mending, Schemas, StoredMending } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { barTime } from '@/shared/format'
import { done } from '@/shared/undo'
import MendForm from './MendForm.vue'
import { begun, mend, restore, takeBack } from './mending'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'

const readAnew = useReadAnew()

/** What the data check doubts, and what was mended; both are acted upon where they stand. */
type Finding = Schemas['Finding']
const props = defineProps<{
  code: string
  findings: readonly Finding[]
  mendings: readonly StoredMending[]
  coverage: readonly { seconds: number }[]
}>()
const route = useRoute()
const form = ref<Mending>()
const { act, busy, failure } = useAct()

/** What the bars are by now is read anew wherever it is shown. */
const refresh = () =>
  readAnew(
    keys.look(),
    keys.instrument(),
    keys.instruments(),
    keys.doubts(),
    keys.thread,
    keys.universes,
  )
const change = (what: string, work: () => Promise<unknown>) =>
  act(what, async () => {
    await work()
    await refresh()
  })
const apply = (mending: Mending) =>
  act('Not corrected', async () => {
    const stored = await mend(mending)
    form.value = undefined
    done(`${stored.told}.`, () => back(stored))
    await refresh()
  })
async function back(stored: StoredMending) {
  await takeBack(stored.id)
  await refresh()
}
const undo = (stored: StoredMending) =>
  change('Not taken back', async () => {
    await takeBack(stored.id)
    done(`Taken back: ${stored.told}.`, async () => {
      await restore(stored.id)
      await refresh()
    })
  })
/** Begin to mend: the bars of a finding, one bar of a table, or anything. */
function begin(seconds?: number, time?: number) {
  const base = seconds ?? props.coverage.find((c) => c.seconds)?.seconds ?? 86_400
  form.value = begun(props.code, { seconds: base, first: time ?? 0, last: time ?? 0 })
}
const baseOf = (f: Finding) =>
  f.first % 86_400 === 0 && props.coverage.some((c) => c.seconds === 86_400)
    ? 86_400
    : Math.min(...props.coverage.map((c) => c.seconds).filter((s) => s))
const SPLIT = /split of (\d+) for (\d+)/
function answerTo(f: Finding, kind: Mending['kind']) {
  const terms = SPLIT.exec(f.detail)
  form.value = begun(props.code, {
    kind,
    seconds: kind === 'accept' ? 0 : baseOf(f),
    first: f.first,
    last: kind === 'split' ? f.first : f.last,
    finding: kind === 'accept' ? f.kind : '',
    new: terms ? Number(terms[1]) : 1,
    old: terms ? Number(terms[2]) : 1,
  })
}
const MENDS: Record<string, Mending['kind'][]> = {
  'bad print': ['leave out', 'correct'],
  frozen: ['leave out'],
  'outside hours': ['leave out'],
  jump: ['split'],
}
defineExpose({ begin })
</script>

<template>
  <h2>
    Data check
    <button class="button plain" @click="begin()">correct <kbd>m</kbd></button>
  </h2>
  <p v-for="f in findings" :key="`${f.kind}${f.first}`">
    <RouterLink
      v-if="f.bars"
      class="fall"
      replace
      :to="{ query: { ...route.query, ...found(f) } }"
      >{{ f.kind }}</RouterLink><b v-else class="fall">{{ f.kind }}</b> {{ f.detail }},
    {{ barTime(f.first) }}
    <template v-if="f.last !== f.first"> – {{ barTime(f.last) }}</template>
    <span v-if="f.bars" class="acts">
      <button
        v-for="kind in MENDS[f.kind] ?? []"
        :key="kind"
        class="button plain"
        @click="answerTo(f, kind)"
      >
        {{ kind }}
      </button>
      <button class="button plain" @click="answerTo(f, 'accept')">accept</button>
    </span>
  </p>
  <p v-if="!findings.length">sound</p>
  <MendForm
    v-if="form"
    :key="`${form.kind}${form.first}${form.finding}`"
    :mending="form"
    :bases="coverage.map((c) => c.seconds).filter((s) => s)"
    :busy="busy"
    @mend="apply"
    @close="form = undefined"
  />
  <Failed :failure="failure" />
  <template v-if="mendings.length">
    <h2>Mended</h2>
    <p v-for="m in mendings" :key="m.id">
      {{ m.told }}<span v-if="m.mending.reason" class="quiet"> ({{ m.mending.reason }})</span>
      <button
        class="button plain"
        :disabled="busy"
        :aria-label="`Take back: ${m.told}`"
        @click="undo(m)"
      >
        take back
      </button>
    </p>
  </template>
</template>

<style scoped>
h2 {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 10px 0 0;
}
p {
  margin: 2px 0;
}
.acts {
  white-space: nowrap;
}
</style>
