<script setup lang="ts">
import { computed } from 'vue'
import type { Vocabulary } from '@/shared/api'
import FormulaEditor from '@/parts/editor/FormulaEditor.vue'
import { BLANK, group, type Row } from './rows'

/** A condition as parts, or a group of such: each part is changed where it stands. */
const props = withDefaults(
  defineProps<{
    row: Row
    /** Which condition it is: 2, or 2.1 inside a group. */
    place: string
    path?: string
    problemAt: (path: string) => string | undefined
    vocabulary?: Vocabulary
    own?: readonly string[]
    /** It stands in a group, and can leave it. */
    inside?: boolean
    first?: boolean
    last?: boolean
  }>(),
  { path: '', vocabulary: undefined, own: () => [] },
)
const emit = defineEmits<{ change: [row: Row]; remove: []; move: [by: number] }>()
const change = (to: Partial<Row>) => emit('change', { ...props.row, ...to })
const value = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value

const RELATIONS: [Row['relation'], string][] = [
  ['>', 'above'],
  ['>=', 'at or above'],
  ['<', 'below'],
  ['<=', 'at or below'],
  ['==', 'equal to'],
  ['!=', 'different from'],
  ['within', 'within'],
  ['between', 'between'],
  ['crosses', 'crosses'],
  ['crosses above', 'crosses above'],
  ['crosses below', 'crosses below'],
  ['holds', 'holds'],
]
const HOWS: [NonNullable<Row['how']>, string][] = [
  ['all', 'all of'],
  ['any', 'any of'],
  ['least', 'at least'],
  ['then', 'one then the other'],
  ['until', 'one until the other'],
]
const SPANS: [Row['span'], string][] = [
  ['', 'now'],
  ['in last', 'in the last'],
  ['for', 'for'],
  ['at least', 'at least'],
]
const TOLERANT = ['>', '>=', '<', '<=', 'within']
const tolerant = computed(() => TOLERANT.includes(props.row.relation))
function relate(relation: Row['relation']) {
  const { right, tolerance } = props.row
  const needs = relation === 'within' && !tolerance ? '1%' : tolerance
  change({
    relation,
    tolerance: TOLERANT.includes(relation) ? needs : '',
    right: relation === 'holds' ? { text: '', on: '' } : right,
    other: relation === 'between' ? props.row.other : { text: '', on: '' },
  })
}
function span(now: Row['span']) {
  const bars = now ? props.row.bars || '3' : ''
  change({ span: now, bars, least: now === 'at least' ? props.row.least || '2' : '' })
}
function rejoin(how: NonNullable<Row['how']>) {
  const count =
    how === 'least' ? props.row.count || '2' : how === 'then' ? props.row.count || '5' : ''
  change({ how, count })
}
const withPart = (n: number, part: Row) =>
  change({ parts: props.row.parts.map((own, m) => (m === n ? part : own)) })
const without = (n: number) => change({ parts: props.row.parts.filter((_, m) => m !== n) })
function shift(n: number, by: number) {
  const parts = [...props.row.parts]
  const [moved] = parts.splice(n, 1)
  if (moved) parts.splice(n + by, 0, moved)
  change({ parts })
}
/** What is asked of the group stays with it; the condition goes inside. */
const enclose = () => emit('change', group('any', [props.row, { ...BLANK }]))
const pairs = computed(() => props.row.how === 'then' || props.row.how === 'until')
const RELATION_WORDS: Partial<Record<Row['relation'], string>> = {
  within: 'within … of',
  between: 'between … and',
}
const SPAN_WORDS: Record<Row['span'], string> = {
  '': '',
  'in last': 'in last … bars',
  for: 'for … bars',
  'at least': 'at least … of … bars',
}
const HOW_WORDS: Record<NonNullable<Row['how']>, string> = {
  all: 'and',
  any: 'or',
  least: 'at least … of',
  then: 'then … within … bars',
  until: 'until',
}
/** Under which word help is found for what is chosen. */
const relationWord = computed(() => RELATION_WORDS[props.row.relation] ?? props.row.relation)
const spanWord = computed(() => SPAN_WORDS[props.row.span] || undefined)
const howWord = computed(() => props.row.how && HOW_WORDS[props.row.how])
const OPERANDS = ['left', 'right', 'other'] as const
const NAMES = { left: 'Left', right: 'Right', other: 'Upper end' }
const shown = computed(() =>
  OPERANDS.filter((side) =>
    side === 'left'
      ? true
      : side === 'right'
        ? props.row.relation !== 'holds'
        : props.row.relation === 'between',
  ),
)
</script>

<template>
  <div class="form" :class="{ group: row.how }">
    <div class="line">
      <button
        class="button plain not"
        :aria-pressed="row.negated"
        :aria-label="`Opposite of condition ${place}`"
        title="Ask for the opposite"
        @click="change({ negated: !row.negated })"
      >
        not
      </button>
      <template v-if="row.how">
        <select
          class="part"
          :value="row.how"
          :data-help="howWord"
          :aria-label="`How condition ${place} joins`"
          @change="rejoin(value($event) as NonNullable<Row['how']>)"
        >
          <option
            v-for="[how, told] in HOWS"
            :key="how"
            :value="how"
            :disabled="(how === 'then' || how === 'until') && row.parts.length !== 2"
          >
            {{ told }}
          </option>
        </select>
        <label v-if="row.how === 'least' || row.how === 'then'">
          <span v-if="row.how === 'then'" class="quiet">within</span>
          <input
            class="part number"
            :value="row.count"
            :aria-label="`${row.how === 'then' ? 'Bars between' : 'How many'} of condition ${place}`"
            maxlength="20"
            @input="change({ count: value($event) })"
          />
          <span class="quiet">{{ row.how === 'then' ? 'bars' : `of ${row.parts.length}` }}</span>
        </label>
      </template>
      <template v-for="side in row.how ? [] : shown" :key="side">
        <select
          v-if="side === 'right'"
          class="part relation"
          :value="row.relation"
          :aria-label="`Relation of condition ${place}`"
          :data-help="relationWord"
          @change="relate(value($event) as Row['relation'])"
        >
          <option v-for="[relation, told] in RELATIONS" :key="relation" :value="relation">
            {{ told }}
          </option>
        </select>
        <label v-if="side === 'right' && row.relation === 'within'" class="quiet">
          <input
            class="part number"
            :value="row.tolerance"
            :aria-label="`Tolerance of condition ${place}`"
            maxlength="200"
            @input="change({ tolerance: value($event) })"
          />
          of
        </label>
        <span v-if="side === 'other'" class="quiet">and</span>
        <span
          class="operand"
          :class="{ wrong: problemAt(`${path}${side}`) }"
          :style="{
            flexBasis: `${Math.min(430, 64 + 8.2 * Math.max(5, row[side].text.length))}px`,
          }"
        >
          <FormulaEditor
            small
            :model-value="row[side].text"
            :label="`${NAMES[side]} of condition ${place}`"
            hint="close"
            :vocabulary="vocabulary"
            :own="own"
            @update:model-value="(text) => change({ [side]: { ...row[side], text } })"
          />
          <label class="quiet"
            ><template v-if="row[side].on">on </template>
            <input
              class="part frame mono"
              :value="row[side].on"
              list="timeframes"
              placeholder="on …"
              :aria-label="`Timeframe of the ${NAMES[side].toLowerCase()} of condition ${place}`"
              maxlength="40"
              @input="change({ [side]: { ...row[side], on: value($event).trim() } })"
          /></label>
        </span>
      </template>
      <select
        v-if="!row.how && row.relation === 'holds'"
        class="part relation"
        :value="row.relation"
        :aria-label="`Relation of condition ${place}`"
        @change="relate(value($event) as Row['relation'])"
      >
        <option v-for="[relation, told] in RELATIONS" :key="relation" :value="relation">
          {{ told }}
        </option>
      </select>
      <label v-if="!row.how && tolerant && row.relation !== 'within'" class="quiet"
        >by
        <input
          class="part number"
          :value="row.tolerance"
          placeholder="–"
          title="At least so far beyond: 3%, or 0.5 * atr(21)"
          :aria-label="`Tolerance of condition ${place}`"
          maxlength="200"
          @input="change({ tolerance: value($event) })"
        />
      </label>
      <span class="when">
        <select
          class="part"
          :value="row.span"
          :aria-label="`Over time of condition ${place}`"
          :data-help="spanWord"
          @change="span(value($event) as Row['span'])"
        >
          <option v-for="[name, told] in SPANS" :key="name" :value="name">{{ told }}</option>
        </select>
        <template v-if="row.span">
          <template v-if="row.span === 'at least'">
            <input
              class="part number"
              :value="row.least"
              :aria-label="`At least how many bars of condition ${place}`"
              maxlength="20"
              @input="change({ least: value($event) })"
            />
            <span class="quiet">of</span>
          </template>
          <input
            class="part number"
            :value="row.bars"
            :aria-label="`Bars of condition ${place}`"
            maxlength="20"
            @input="change({ bars: value($event) })"
          />
          <span class="quiet">bars</span>
        </template>
      </span>
      <label class="quiet"
        ><template v-if="row.on">on </template>
        <input
          class="part frame mono"
          :value="row.on"
          list="timeframes"
          placeholder="on …"
          title="The whole condition on other bars"
          :aria-label="`Timeframe of condition ${place}`"
          maxlength="40"
          @input="change({ on: value($event).trim() })"
        />
      </label>
      <span class="acts">
        <button class="button plain" title="Put it into a group of any of" @click="enclose">
          group
        </button>
        <template v-if="inside">
          <button
            class="button plain"
            :disabled="first"
            :aria-label="`Condition ${place} up`"
            @click="emit('move', -1)"
          >
            ↑
          </button>
          <button
            class="button plain"
            :disabled="last"
            :aria-label="`Condition ${place} down`"
            @click="emit('move', 1)"
          >
            ↓
          </button>
          <button
            class="button plain"
            :aria-label="`Remove condition ${place}`"
            @click="emit('remove')"
          >
            ×
          </button>
        </template>
      </span>
    </div>
    <p
      v-for="name in [
        'left',
        'right',
        'other',
        'tolerance',
        'bars',
        'least',
        'count',
        'on',
        'parts',
        'left.on',
        'right.on',
        'other.on',
      ]"
      v-show="problemAt(`${path}${name}`)"
      :key="name"
      class="fall"
      role="alert"
    >
      {{ problemAt(`${path}${name}`) }}
    </p>
    <div v-if="row.how" class="parts">
      <RowForm
        v-for="(part, n) in row.parts"
        :key="n"
        :row="part"
        :place="`${place}.${n + 1}`"
        :path="`${path}parts.${n}.`"
        :problem-at="problemAt"
        :vocabulary="vocabulary"
        :own="own"
        inside
        :first="n === 0"
        :last="n === row.parts.length - 1"
        @change="(to) => withPart(n, to)"
        @remove="without(n)"
        @move="(by) => shift(n, by)"
      />
      <button
        v-if="!pairs"
        class="button plain"
        :aria-label="`Add to condition ${place}`"
        @click="change({ parts: [...row.parts, { ...BLANK }] })"
      >
        add a condition to the group
      </button>
    </div>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 3px 6px;
}
.operand {
  display: flex;
  flex: 1 1 auto;
  max-width: 100%;
  align-items: center;
  gap: 4px;
  min-width: 0;
}
.operand > :first-child {
  flex: 1;
  min-width: 0;
}
.operand.wrong {
  outline: 1px solid var(--fall);
}
.part {
  font: inherit;
  color: var(--accent);
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
  min-height: 24px;
  border-radius: 0;
}
.part option {
  color: var(--ink);
  background: var(--sheet);
}
.number {
  width: 6ch;
  field-sizing: content;
  min-width: 4ch;
  max-width: 24ch;
}
.frame {
  width: 5ch;
  field-sizing: content;
  min-width: 5ch;
  max-width: 16ch;
}
select.part {
  field-sizing: content;
}
.not[aria-pressed='true'] {
  color: var(--on-accent);
  background: var(--fall);
}
.not,
.acts .button {
  padding: 0 4px;
}
.acts {
  margin-left: auto;
  white-space: nowrap;
}
.parts {
  margin: 3px 0 2px 6px;
  padding-left: 8px;
  border-left: 1px solid var(--accent);
}
p {
  margin: 2px 0 0;
}
</style>
