<script setup lang="ts">
import { computed } from 'vue'
import type { Sieve, Vocabulary } from '@/shared/api'
import UniversePart from '@/shared/UniversePart.vue'

/** Where a sieve looks, as a sentence whose parts are changed where they stand. */
const draft = defineModel<Sieve>({ required: true })
defineProps<{ vocabulary?: Vocabulary }>()
/** With one side left, conditions of that side need not say so. */
const side = computed({
  get: () => [...draft.value.sides].sort().join(' '),
  set: (chosen: string) => {
    const sides = chosen.split(' ') as Sieve['sides']
    draft.value.sides = sides
    if (sides.length > 1) return
    for (const own of draft.value.conditions) if (own.side === sides[0]) own.side = null
  },
})
</script>

<template>
  <p class="sentence">
    Look in
    <UniversePart :name="draft.universe" @choose="(name) => (draft.universe = name)" />
    on bars of
    <input
      v-model.trim="draft.timeframes[0]"
      class="frame mono"
      list="timeframes"
      aria-label="Timeframe"
      maxlength="40"
    />
    <datalist id="timeframes">
      <option v-for="bar in vocabulary?.bars" :key="bar.value" :value="bar.value">
        {{ bar.told }}
      </option>
    </datalist>
    <select v-model="draft.forming" aria-label="Unfinished bar">
      <option :value="false">once they have closed</option>
      <option :value="true">the forming one included</option>
    </select>
    for
    <select v-model="side" aria-label="Side">
      <option value="long">long</option>
      <option value="short">short</option>
      <option value="long short">long or short</option>
    </select>
    setups that hold on the newest bar{{
      draft.fired_within === 1 ? '; look back over' : ', or held on one of the newest'
    }}&nbsp;
    <input
      v-model.number="draft.fired_within"
      class="small"
      type="number"
      min="1"
      max="250"
      aria-label="Bars"
      title="On one of so many of the newest bars all musts have to hold together"
    />
    {{ draft.fired_within === 1 ? 'bar' : 'bars' }}.
  </p>
</template>

<style scoped>
.sentence {
  margin: 2px 0 6px;
  font-size: 15px;
  line-height: 1.65;
}
.small {
  width: 48px;
}
.frame {
  field-sizing: content;
  min-width: 56px;
  max-width: 160px;
  margin-right: 5px;
}
</style>
