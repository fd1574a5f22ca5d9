<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import Ranks from '@/parts/drawings/Ranks.vue'
import { orders, risen } from '@/parts/drawings/ranks'
import { signed, told, wholeWithin } from '@/shared/format'
import InlineText from '@/shared/InlineText.vue'
import { useUniverses } from '@/shared/queries'
import StoppedPart from '@/shared/StoppedPart.vue'
import { usePart, type OverviewSet } from './parts'
import Reply from '@/shared/Reply.vue'

/** How the sectors of the universe turn: their mean moves ranked span by span. */
const props = defineProps<{ arranged: OverviewSet }>()
const emit = defineEmits<{ arrange: [part: Partial<OverviewSet>] }>()
const { view, reply } = usePart('rotation', toRef(props, 'arranged'))
const universes = useUniverses()
const changing = ref(false)
const chosen = ref('')
type Span = OverviewSet['spans'][number]
const called = (span: Span) => span.label || `${span.count} × ${span.bars}`
const columns = computed(() =>
  props.arranged.spans.map((span) => ({
    label: called(span),
    told: `${called(span)}: the mean move over ${span.count} bars of ${span.bars}, in percent`,
  })),
)
const rows = computed(() =>
  (reply.value?.groups ?? []).map((name, n) => ({
    name,
    told: `${reply.value!.counts[n]} instruments`,
    values: reply.value!.moves[n]!,
  })),
)
/** Who rose and who fell most from the first span to the last. */
const changed = computed(() => {
  const ranked = orders(rows.value, columns.value.length)
  return rows.value
    .map((row, place) => ({ name: row.name, by: risen(place, ranked) ?? 0 }))
    .filter((own) => Math.abs(own.by) > 1)
    .sort((a, b) => Math.abs(b.by) - Math.abs(a.by))
    .slice(0, 4)
})
const universe = computed(() =>
  universes.data.value?.find((own) => own.name.toLowerCase() === chosen.value.toLowerCase()),
)
const figure = (value: number) => signed(value, 2)
function set(n: number, part: Partial<Span>) {
  emit('arrange', {
    spans: props.arranged.spans.map((own, m) => (m === n ? { ...own, label: '', ...part } : own)),
  })
}
function setCount(n: number, text: string) {
  const count = wholeWithin(text, 1, 5000)
  if (count) set(n, { count })
}
</script>

<template>
  <section aria-label="Rotation">
    <h2>
      Rotation by {{ arranged.by }}
      <button class="button plain" @click="changing = !changing">
        {{ changing ? 'close' : 'change' }}
      </button>
    </h2>
    <p v-if="changing" class="sentence form">
      By
      <InlineText
        :value="arranged.by ?? ''"
        :least="8"
        aria-label="Grouped by the fact"
        @take="(by) => by && emit('arrange', { by })"
      />
      over
      <template v-for="(span, n) in arranged.spans" :key="n"
        ><InlineText
          :value="String(span.count)"
          :least="3"
          :aria-label="`Bars of span ${n + 1}`"
          @take="(text) => setCount(n, text)"
        />
        ×
        <InlineText
          :value="span.bars"
          :least="4"
          :aria-label="`Bar of span ${n + 1}`"
          @take="(bars) => bars && set(n, { bars })"
        />,
      </template>
    </p>
    <Reply :of="view" what="Rotation can't be shown">
      <template v-for="(problem, n) in reply?.problems ?? []" :key="n">
        <p v-if="problem" class="fall" role="alert">{{ columns[n]?.label }}: {{ told(problem) }}</p>
      </template>
      <p v-if="reply && !rows.length" class="quiet">
        Nothing in {{ arranged.universe }} has the fact {{ arranged.by }}.
      </p>
      <Ranks
        v-else
        :columns="columns"
        :rows="rows"
        :chosen="chosen"
        :figure="figure"
        :row="26"
        @choose="(name) => (chosen = chosen === name ? '' : name)"
      />
      <p v-if="changed.length">
        Changed most:
        <template v-for="(own, n) in changed" :key="own.name"
          ><template v-if="n">, </template
          ><span :class="own.by > 0 ? 'rise' : 'fall'"
            >{{ own.name }} {{ own.by > 0 ? '▲' : '▼' }} {{ Math.abs(own.by) }}</span
          ></template
        >.
        <RouterLink
          v-if="universe"
          class="button plain"
          :to="{ path: '/instruments', query: { universe: universe.name } }"
          >{{ universe.name }}, its instruments</RouterLink
        >
      </p>
      <p v-if="reply?.stopped.length"><StoppedPart :codes="reply.stopped" /></p>
    </Reply>
  </section>
</template>
