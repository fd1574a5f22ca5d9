<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, toRef } from 'vue'
import { plural, told, whole, wholeWithin } from '@/shared/format'
import FormulaText from '@/shared/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'
import KeepUniverse from '@/shared/KeepUniverse.vue'
import StoppedPart from '@/shared/StoppedPart.vue'
import { usePart, type OverviewSet } from './parts'
import TextList from './TextList.vue'
import Reply from '@/shared/Reply.vue'

/** Who is tight on several nested kinds of bars, in the order in which they would release. */
const props = defineProps<{ arranged: OverviewSet }>()
const emit = defineEmits<{ arrange: [part: Partial<OverviewSet>] }>()
const { view, reply } = usePart('tightness', toRef(props, 'arranged'))
const changing = ref(false)
const SHOWN = 14
const all = ref(false)
const rows = computed(() => {
  const found = reply.value?.rows ?? []
  return all.value ? found : found.slice(0, SHOWN)
})
type Tight = OverviewSet['tight']
const set = (part: Partial<Tight>) =>
  emit('arrange', { tight: { ...props.arranged.tight, ...part } })
const PARTS: [
  keyof Tight & ('held' | 'lasted' | 'near' | 'trend' | 'structure' | 'momentum'),
  string,
][] = [
  ['held', 'it is tight where'],
  ['lasted', 'for so many bars'],
  ['near', 'the nearer to its release the larger'],
  ['trend', 'its trend'],
  ['structure', 'its structure'],
  ['momentum', 'its momentum'],
]
function setLeast(text: string) {
  const least = wholeWithin(text, 1, 8)
  if (least) set({ least })
}
const arrow = (sign: number | null | undefined) =>
  sign == null ? '?' : sign > 0 ? '▲' : sign < 0 ? '▼' : '–'
const WORDS = { '▲': 'up', '▼': 'down', '–': 'neither', '?': 'unknown' } as const
type On = NonNullable<typeof reply.value>['rows'][number]['on'][number]
const words = (own: On) => {
  const held =
    own.held == null
      ? 'unknown'
      : own.held
        ? `tight for ${plural(own.lasted ?? 0, 'bar')}`
        : 'not tight'
  const points = (['trend', 'structure', 'momentum'] as const).map(
    (name) => `${name} ${WORDS[arrow(own[name])]}`,
  )
  return [
    held,
    own.held && own.near != null ? `${whole(own.near)} % towards release` : '',
    ...points,
  ]
    .filter(Boolean)
    .join(', ')
}
</script>

<template>
  <section aria-label="Tightness">
    <h2>
      Tight on at least {{ arranged.tight.least }} of {{ arranged.tight.bars.join(', ') }}; nearest
      to release first
      <button class="button plain" @click="changing = !changing">
        {{ changing ? 'close' : 'change' }}
      </button>
    </h2>
    <p v-if="changing" class="sentence form">
      On at least
      <InlineText
        :value="String(arranged.tight.least)"
        :least="3"
        aria-label="On at least so many"
        @take="setLeast"
      />
      of
      <TextList
        :texts="arranged.tight.bars"
        what="Bars of tightness"
        @change="(bars) => bars.length && set({ bars })"
      />;
      <template v-for="[name, what] in PARTS" :key="name">
        {{ what }}
        <FormulaText
          :value="arranged.tight[name]"
          :least="16"
          :most="70"
          needed
          :label="`Formula: ${what}`"
          @take="(text) => set({ [name]: text })"
        />;
      </template>
    </p>
    <Reply :of="view" what="Tightness can't be shown">
      <p v-for="(one, n) in reply?.problems ?? []" :key="n" class="fall" role="alert">
        {{ told(one) }}
      </p>
      <p v-if="reply && !rows.length" class="quiet">
        None of {{ reply.looked }} in {{ arranged.universe }} is tight on so many.
      </p>
      <table v-else-if="reply" class="ledger">
        <thead>
          <tr>
            <th scope="col">Code</th>
            <th v-for="bars in arranged.tight.bars" :key="bars" scope="col">{{ bars }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.code">
            <td>
              <RouterLink
                class="mono"
                :title="row.name"
                :to="{
                  path: instrumentAt(row.code),
                  query: { universe: arranged.universe, bars: arranged.tight.bars[0], line: arranged.tight.near }, // prettier-ignore
                }"
                >{{ row.code }}</RouterLink
              >
            </td>
            <td v-for="(own, n) in row.on" :key="n" :class="{ held: own.held }" :title="words(own)">
              <span class="visually-hidden">{{ words(own) }}</span>
              <span aria-hidden="true" class="cell">
                <i :class="own.held == null ? 'unknown' : own.held ? 'yes' : 'no'"></i>
                <b>{{ own.held ? own.lasted : '' }}</b>
                <span>{{ own.held && own.near != null ? `${whole(own.near)} %` : '' }}</span>
                <span
                  >{{ arrow(own.trend) }}{{ arrow(own.structure) }}{{ arrow(own.momentum) }}</span
                >
              </span>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="reply?.rows.length" class="quiet">
        ■ tight, for how many bars, and how far on the way to its release; ▲ ▼ trend, structure,
        momentum.
      </p>
      <p v-if="reply?.rows.length">
        {{ reply.rows.length }} of {{ reply.looked }}.
        <button v-if="reply.rows.length > SHOWN" class="button plain" @click="all = !all">
          {{ all ? 'the first ones only' : 'all of them' }}
        </button>
        <KeepUniverse :codes="reply.rows.map((row) => row.code)" what="A universe of them" />
      </p>
      <p v-if="reply?.stopped.length"><StoppedPart :codes="reply.stopped" /></p>
    </Reply>
  </section>
</template>

<style scoped>
.cell {
  display: grid;
  grid-template-columns: 14px 20px 40px auto;
  align-items: center;
  gap: 4px;
}
.cell b {
  text-align: right;
  font-weight: 500;
}
td:not(.held) {
  color: var(--quiet);
}
i {
  width: 9px;
  height: 9px;
}
.yes {
  background: var(--ink);
}
.no {
  border: 1.4px solid var(--quiet);
  border-radius: 50%;
}
.unknown {
  background: repeating-linear-gradient(-45deg, transparent 0 2px, var(--quiet) 2px 3px);
}
</style>
