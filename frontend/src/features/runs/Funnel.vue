<script setup lang="ts">
import { computed } from 'vue'
import type { RunView } from '@/shared/api'
import { sides, whole } from '@/shared/format'

/** Instruments left after each deciding condition; what one alone would let through is in the title. */
const props = defineProps<{ view: RunView }>()
const instruments = computed(() => props.view.run.outcome?.instruments ?? 0)
/** One funnel, or one of each side that is looked for. */
const funnels = computed(() => {
  const { counts = [], funnels = [] } = props.view.run.outcome ?? {}
  if (!funnels.length) return [{ side: undefined, steps: stepsOf(counts.map((c) => c.so_far)) }]
  return funnels.map(({ side, so_far }) => ({ side, steps: stepsOf(so_far) }))
})
function stepsOf(left: readonly (number | null)[]) {
  const { outcome, sieve } = props.view.run
  let before = instruments.value
  return left.flatMap((so_far, n) => {
    const [row, count] = [sieve.conditions[n]!, outcome?.counts[n]]
    if (so_far === null || row.role === 'boost' || row.off) return []
    const cut = before - so_far
    before = so_far
    return [{ ...row, ...count, so_far, n, cut, share: (100 * so_far) / (instruments.value || 1) }]
  })
}
</script>

<template>
  <ol
    v-for="{ side, steps } in funnels"
    :key="side ?? ''"
    class="funnel"
    :aria-label="side ? `Funnel, ${side}` : 'Funnel'"
  >
    <li>
      <span class="left"><i style="width: 100%"></i></span>
      <b>{{ instruments }}</b>
      <span class="quiet">
        in the universe<template v-if="side">, {{ sides([side]) }}</template></span
      >
    </li>
    <li
      v-for="step in steps"
      :key="step.n"
      :title="`${step.formula}\n${step.alone} alone, ${step.without} without it`"
    >
      <span class="left"><i :style="{ width: `${Math.max(0.6, step.share)}%` }"></i></span>
      <b>{{ step.so_far }}</b>
      <span class="quiet">{{ step.cut ? `−${whole(step.cut)}` : '' }}</span>
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
