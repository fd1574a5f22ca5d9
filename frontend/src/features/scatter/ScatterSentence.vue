<script setup lang="ts">
import { computed, ref } from 'vue'
import ArrangedBy from '@/shared/ArrangedBy.vue'
import type { Arranging } from '@/shared/arranging'
import { plural } from '@/shared/format'
import FormingPart from '@/shared/FormingPart.vue'
import InlineText from '@/shared/InlineText.vue'
import { useVocabulary } from '@/shared/queries'
import UniversePart from '@/shared/UniversePart.vue'
import MeasurePart from './MeasurePart.vue'
import type { ScatterSet } from './plane'

/** What a scatter shows, as a sentence whose parts are changed where they stand. */
const props = defineProps<{
  arranging: Arranging
  arranged: ScatterSet
  /** The run whose hits it is of, or how many instruments were chosen elsewhere. */
  run: number | null
  count: number
  /** Names of facts that are words, by which points may be coloured. */
  words: readonly string[]
}>()
const emit = defineEmits<{ arrange: [part: Partial<ScatterSet>]; universe: [] }>()
const vocabulary = useVocabulary()
const MOST = 60
const setTrail = (moves: number) =>
  emit('arrange', { trail: Math.max(0, Math.min(MOST, Math.round(moves))) })
const otherWords = computed(() => {
  const now = props.arranged.colour === 'fact' ? [props.arranged.fact ?? ''] : []
  return [...new Set([...props.words, ...now])].filter((word) => word !== 'sector')
})
function colourBy(value: string) {
  const fact = value.startsWith('fact ') ? value.slice(5) : ''
  emit('arrange', { colour: fact ? 'fact' : (value as ScatterSet['colour']), fact })
}
const bar = ref<InstanceType<typeof ArrangedBy>>()
defineExpose({ begin: () => bar.value?.begin() })
</script>

<template>
  <p class="sentence">
    Look at
    <template v-if="run || count">
      {{ run ? `the hits of run ${run}` : plural(count, 'chosen instrument') }}
      <button class="button plain" @click="emit('universe')">a universe instead</button>
    </template>
    <UniversePart
      v-else
      :name="arranged.universe"
      @choose="(universe) => emit('arrange', { universe })"
    />
    by <ArrangedBy ref="bar" :of="arranging" label="Scatter" />: across
    <MeasurePart
      :measure="arranged.x"
      :scale="arranged.x_scale"
      label="across"
      :offered="vocabulary.data.value?.bars ?? []"
      @measure="(x) => emit('arrange', { x })"
      @scale="(to) => emit('arrange', { x_scale: to })"
    />, up
    <MeasurePart
      :measure="arranged.y"
      :scale="arranged.y_scale"
      label="up"
      :offered="vocabulary.data.value?.bars ?? []"
      @measure="(y) => emit('arrange', { y })"
      @scale="(to) => emit('arrange', { y_scale: to })"
    />, as large as
    <MeasurePart
      :measure="arranged.size"
      label="of the size"
      :offered="vocabulary.data.value?.bars ?? []"
      @measure="(size) => emit('arrange', { size })"
    />, coloured by
    <select
      class="inline-part"
      aria-label="Coloured by"
      :value="arranged.colour === 'fact' ? `fact ${arranged.fact}` : arranged.colour"
      @change="colourBy(($event.target as HTMLSelectElement).value)"
    >
      <option value="sector">sector</option>
      <option value="side">side</option>
      <option v-for="word in otherWords" :key="word" :value="`fact ${word}`">
        {{ word.replaceAll('_', ' ') }}
      </option>
      <option value="measure">a number</option>
      <option value="none">nothing</option></select
    ><template v-if="arranged.colour === 'measure'"
      >,
      <MeasurePart
        :measure="arranged.tint ?? { formula: '', bars: arranged.x.bars }"
        label="of the colour"
        :offered="vocabulary.data.value?.bars ?? []"
        @measure="(tint) => emit('arrange', { tint })" /></template
    >, with
    <input
      class="inline-part trail"
      type="number"
      min="0"
      max="60"
      aria-label="Moves of the trail"
      :value="arranged.trail"
      @change="setTrail(Number(($event.target as HTMLInputElement).value))"
    />
    moves<template v-if="arranged.trail">
      of
      <InlineText
        :value="arranged.move ?? ''"
        :least="5"
        placeholder="a bar"
        list="bars-across"
        aria-label="Bars of a move"
        @take="(move) => emit('arrange', { move })"
    /></template>
    behind them, the far ones
    <select
      class="inline-part"
      aria-label="The far ones"
      :value="String(arranged.clip)"
      @change="emit('arrange', { clip: ($event.target as HTMLSelectElement).value === 'true' })"
    >
      <option value="true">at the edge</option>
      <option value="false">where they lie</option></select
    >, on
    <FormingPart :forming="arranged.forming" @choose="(forming) => emit('arrange', { forming })" />.
  </p>
</template>

<style scoped>
.trail {
  width: 6ch;
}
</style>
