<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import Lines from '@/parts/drawings/Lines.vue'
import { told, wholeWithin } from '@/shared/format'
import FormulaText from '@/parts/editor/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'
import { usePart, type OverviewSet } from './parts'
import Reply from '@/shared/Reply.vue'

/** How many take part: numbers over all instruments of the universe, through time. */
const props = defineProps<{ arranged: OverviewSet }>()
const emit = defineEmits<{ arrange: [part: Partial<OverviewSet>] }>()
const { view, reply } = usePart('breadth', toRef(props, 'arranged'))
const changing = ref(false)
const lines = computed(() =>
  (reply.value?.lines ?? []).map((line, n) => ({
    name: props.arranged.breadth[n]?.label ?? '',
    values: line.values,
  })),
)
const problems = computed(() =>
  (reply.value?.lines ?? []).flatMap((line, n) =>
    line.problems.map((problem) => ({ formula: props.arranged.breadth[n]?.formula, problem })),
  ),
)
function set(n: number, part: Partial<OverviewSet['breadth'][number]>) {
  const next = props.arranged.breadth.map((own, m) => (m === n ? { ...own, ...part } : own))
  emit('arrange', { breadth: next.filter((own) => own.formula) })
}
const add = (formula: string) =>
  formula &&
  emit('arrange', {
    breadth: [...props.arranged.breadth, { label: formula.slice(0, 40), formula }],
  })
function setHistory(text: string) {
  const history = wholeWithin(text, 2, 5000)
  if (history) emit('arrange', { history })
}
</script>

<template>
  <section aria-label="Breadth">
    <h2>
      Breadth over {{ arranged.history }} days
      <button class="button plain" @click="changing = !changing">
        {{ changing ? 'close' : 'change' }}
      </button>
    </h2>
    <p v-if="changing" class="sentence form">
      Over
      <InlineText
        :value="String(arranged.history)"
        :least="4"
        aria-label="Days of breadth"
        @take="setHistory"
      />
      days:
      <template v-for="(line, n) in arranged.breadth" :key="n">
        <InlineText
          :value="line.label"
          :least="12"
          :aria-label="`Name of line ${n + 1}`"
          @take="(label) => set(n, { label })"
        />
        =
        <FormulaText
          role="condition"
          :value="line.formula"
          :least="20"
          :most="70"
          :label="`Formula of line ${n + 1}`"
          @take="(formula) => set(n, { formula })"
        />;
      </template>
      <FormulaText
        :key="arranged.breadth.length"
        role="condition"
        value=""
        :least="12"
        placeholder="+ formula"
        label="One more line"
        @take="add"
      />
    </p>
    <Reply :of="view" what="Breadth can't be shown">
      <p v-for="(one, n) in problems" :key="n" class="fall" role="alert">
        <code>{{ one.formula }}</code> shows nothing: {{ told(one.problem) }}
      </p>
      <Lines
        v-if="reply?.moments.length"
        label="Breadth through time"
        :moments="reply.moments"
        :lines="lines"
        unit=" %"
        :right="190"
        :height="240"
      />
      <p v-else-if="reply" class="quiet">There are no daily bars in {{ arranged.universe }}.</p>
    </Reply>
  </section>
</template>
