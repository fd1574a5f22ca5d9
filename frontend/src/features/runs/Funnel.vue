<script setup lang="ts">
import { computed } from 'vue'
import type { RunView } from '@/shared/api'

/** Instruments left after each deciding condition; what one alone would let through is in the title. */
const props = defineProps<{ view: RunView }>()
const steps = computed(() => {
  const all = Math.max(1, props.view.run.outcome?.instruments ?? 0)
  const conditions = props.view.run.sieve.conditions
  const rows = (props.view.run.outcome?.counts ?? [])
    .map((count, n) => ({ ...count, ...conditions[n]!, n }))
    .filter((row) => row.role !== 'boost' && !row.off)
  let before = props.view.run.outcome?.instruments ?? 0
  return rows.map((row) => {
    const cut = before - row.so_far
    before = row.so_far
    return { ...row, cut, share: (100 * row.so_far) / all }
  })
})
</script>

<template>
  <ol class="funnel" aria-label="Funnel">
    <li>
      <span class="left"><i style="width: 100%"></i></span>
      <b>{{ view.run.outcome?.instruments }}</b> <span class="quiet">in the universe</span>
    </li>
    <li
      v-for="step in steps"
      :key="step.n"
      :title="`${step.formula}\n${step.alone} alone, ${step.without} without it`"
    >
      <span class="left"><i :style="{ width: `${Math.max(0.6, step.share)}%` }"></i></span>
      <b>{{ step.so_far }}</b> <span class="quiet">{{ step.cut ? `−${step.cut}` : '' }}</span>
      <code>{{ step.role === 'veto' ? 'not ' : '' }}{{ step.formula }}</code>
    </li>
  </ol>
</template>

<style scoped>
.funnel {
  display: flex;
  gap: 10px;
  list-style: none;
  padding: 0;
  margin: 0 0 10px;
}
li {
  flex: 1 1 0;
  min-width: 0;
}
.left {
  display: block;
  height: 7px;
  background: var(--wash);
  margin-bottom: 3px;
}
.left i {
  display: block;
  height: 100%;
  background: var(--accent);
}
code {
  display: block;
  font: 11px var(--mono);
  color: var(--quiet);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
