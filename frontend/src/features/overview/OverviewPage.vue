<script setup lang="ts">
import { computed, ref } from 'vue'
import ArrangedBy from '@/shared/ArrangedBy.vue'
import { useArranging } from '@/shared/arranging'
import Failed from '@/shared/Failed.vue'
import FormingPart from '@/shared/FormingPart.vue'
import { useKeys } from '@/shared/keys'
import UniversePart from '@/shared/UniversePart.vue'
import AheadPart from './AheadPart.vue'
import BreadthPart from './BreadthPart.vue'
import type { OverviewSet } from './parts'
import RotationPart from './RotationPart.vue'
import SessionStrip from './SessionStrip.vue'
import StatementsPart from './StatementsPart.vue'
import TightPart from './TightPart.vue'
import Reply from '@/shared/Reply.vue'

/** How does the market stand, and what could undo it today? */
const LIKE: OverviewSet = {
  universe: '',
  subjects: [{ code: '', bars: [''] }],
  statements: [''],
  breadth: [{ label: '', formula: '' }],
  tight: {
    held: '',
    lasted: '',
    near: '',
    trend: '',
    structure: '',
    momentum: '',
    bars: [''],
    least: 2,
    released: '',
    within: 4,
  },
  spans: [{ bars: '1d', count: 1, label: '' }],
  by: 'sector',
  history: 130,
  ahead: 10,
  forming: false,
}
const arranging = useArranging<OverviewSet>('overview', LIKE)
const { arrange } = arranging
const arranged = computed(() => arranging.now.value)
const bar = ref<InstanceType<typeof ArrangedBy>>()
useKeys([{ key: 'k', does: 'keep the overview under a name', run: () => void bar.value?.begin() }])
</script>

<template>
  <main class="page">
    <p class="sentence">
      Look over
      <UniversePart :name="arranged?.universe" @choose="(universe) => arrange({ universe })" />
      as <ArrangedBy ref="bar" :of="arranging" label="Overview" />, on
      <FormingPart :forming="arranged?.forming" @choose="(forming) => arrange({ forming })" />.
    </p>
    <Failed :failure="arranging.failure.value" />
    <SessionStrip />
    <Reply :of="arranging.list" what="The overview can't be shown"
      ><div v-if="arranged" class="parts">
        <StatementsPart class="whole" :arranged="arranged" @arrange="arrange" />
        <BreadthPart :arranged="arranged" @arrange="arrange" />
        <RotationPart :arranged="arranged" @arrange="arrange" />
        <div class="stack">
          <TightPart :arranged="arranged" @arrange="arrange" />
          <AheadPart :arranged="arranged" @arrange="arrange" />
        </div></div
    ></Reply>
  </main>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 14px 32px;
  margin-top: 10px;
}
.whole {
  grid-column: 1 / -1;
}
.stack {
  display: contents;
}
.parts :deep(h2) {
  font-size: 14px;
  font-weight: 500;
  margin: 2px 0 4px;
}
.parts :deep(.form) {
  font-size: 14px;
}
@media (min-width: 1600px) {
  .parts {
    grid-template-columns: repeat(3, minmax(0, 1fr));
  }
  .stack {
    display: flex;
    flex-direction: column;
    gap: 14px;
  }
}
@media (max-width: 900px) {
  .parts {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
