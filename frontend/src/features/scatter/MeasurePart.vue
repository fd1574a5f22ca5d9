<script setup lang="ts">
import FormulaText from '@/parts/editor/FormulaText.vue'
import InlineText from '@/shared/InlineText.vue'
import type { Measure, Scale } from './plane'

/** A measure as a part of a sentence: its formula, its bars, and how its axis is divided. */
const props = defineProps<{
  measure: Measure
  label: string
  scale?: Scale
  offered: readonly { value: string; told: string }[]
}>()
const emit = defineEmits<{ measure: [to: Measure]; scale: [to: Scale] }>()
const set = (to: Partial<Measure>) => emit('measure', { ...props.measure, ...to })
</script>

<template>
  <FormulaText
    role="number"
    :value="measure.formula"
    :least="8"
    :most="34"
    placeholder="nothing"
    :title="measure.formula"
    :label="`Formula ${label}`"
    @take="(text) => set({ formula: text, label: '' })"
  /><template v-if="measure.formula">
    on
    <InlineText
      :value="measure.bars"
      :least="5"
      :list="`bars-${label}`"
      :aria-label="`Bars ${label}`"
      @take="(text) => text && set({ bars: text })"
    /><datalist :id="`bars-${label}`">
      <option v-for="o in offered" :key="o.value" :value="o.value">{{ o.told }}</option></datalist
    ><template v-if="scale">
      <select
        class="inline-part"
        :aria-label="`Scale ${label}`"
        :value="scale"
        @change="emit('scale', ($event.target as HTMLSelectElement).value as Scale)"
      >
        <option value="linear">by value</option>
        <option value="log">by ratio</option>
        <option value="rank">by rank</option>
      </select></template
    ></template
  >
</template>
