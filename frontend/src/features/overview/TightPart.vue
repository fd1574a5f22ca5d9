<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, toRef } from 'vue'
import { barTime, plural, told, whole, wholeWithin } from '@/shared/format'
import FormulaText from '@/parts/editor/FormulaText.vue'
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
const released = computed(() => {
  const found = reply.value?.released ?? []
  return all.value ? found : found.slice(0, SHOWN)
})
type Release = NonNullable<typeof reply.value>['released'][number]['releases'][number]
const way = (own: Release) =>
  `${own.bars} ${own.side > 0 ? 'up' : 'down'}, ${own.ago ? `${plural(own.ago, 'bar')} ago` : 'now'}`
const chart = (code: string, bars: string) => {
  const { universe, tight } = props.arranged
  return { path: instrumentAt(code), query: { universe, bars, line: tight.near } }
}
type Tight = OverviewSet['tight']
const set = (part: Partial<Tight>) =>
  emit('arrange', { tight: { ...props.arranged.tight, ...part } })
const PARTS: [
  keyof Tight & ('held' | 'lasted' | 'near' | 'trend' | 'structure' | 'momentum' | 'released'),
  string,
][] = [
  ['held', 'it is tight where'],
  ['lasted', 'for so many bars'],
  ['near', 'the nearer to its release the larger'],
  ['trend', 'its trend'],
  ['structure', 'its structure'],
  ['momentum', 'its momentum'],
  ['released', 'it released where, up above 0, down below'],
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
          :value="arranged.tight[name] ?? ''"
          :least="16"
          :most="70"
          :needed="name !== 'released'"
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
      <table v-else-if="reply" class="ledger tight">
        <thead>
          <tr>
            <th scope="col">Code</th>
            <th v-for="bars in arranged.tight.bars" :key="bars" scope="col">
              {{ bars }}
              <span class="cell quiet" aria-hidden="true">
                <i></i>
                <span title="for so many bars">bars</span>
                <span title="how far on the way to its release">way</span>
                <span title="trend, structure, momentum">t s m</span>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.code">
            <td>
              <RouterLink
                class="mono"
                :title="row.name"
                :to="chart(row.code, arranged.tight.bars[0]!)"
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
        ■ tight: for so many bars, and so far on the way to its release; ▲ up, ▼ down: trend,
        structure, momentum.
      </p>
      <p v-if="reply?.rows.length">
        {{ reply.rows.length }} of {{ reply.looked }}.
        <button v-if="reply.rows.length > SHOWN" class="button plain" @click="all = !all">
          {{ all ? 'the first ones only' : 'all of them' }}
        </button>
        <KeepUniverse :codes="reply.rows.map((row) => row.code)" what="A universe of them" />
      </p>
      <template v-if="released.length">
        <h3>
          Released in the last {{ plural(arranged.tight.within ?? 4, 'bar') }}; the newest first
        </h3>
        <table class="ledger" aria-label="Released">
          <thead>
            <tr>
              <th v-for="name in ['Code', 'First', 'Since', 'Then', 'Still tight']" :key="name">
                {{ name }}
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="own in released" :key="own.code">
              <td>
                <RouterLink
                  class="mono"
                  :title="own.name"
                  :to="chart(own.code, own.releases[0]!.bars)"
                  >{{ own.code }}</RouterLink
                >
              </td>
              <td :class="own.releases[0]!.side > 0 ? 'rise' : 'fall'">
                {{ way(own.releases[0]!) }}
              </td>
              <td>{{ barTime(own.releases[0]!.at) }}</td>
              <td>{{ own.releases.slice(1).map(way).join(', ') }}</td>
              <td>{{ own.bars.join(', ') }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="(reply?.released.length ?? 0) > SHOWN">
          {{ plural(reply!.released.length, 'instrument') }}.
          <button class="button plain" @click="all = !all">
            {{ all ? 'the first ones only' : 'all of them' }}
          </button>
        </p>
      </template>
      <p v-if="reply?.stopped.length"><StoppedPart :codes="reply.stopped" /></p>
    </Reply>
  </section>
</template>

<style scoped>
.cell {
  display: grid;
  grid-template-columns: 14px 26px 40px auto;
  align-items: center;
  gap: 4px;
}
.cell b {
  text-align: right;
  font-weight: 500;
}
.tight td:not(.held) {
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
