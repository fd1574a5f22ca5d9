<script setup lang="ts">
import { computed } from 'vue'
import { instrumentAt } from '@/shared/addresses'
import { barTime } from '@/shared/format'
import { found } from '@/parts/chart/look'
import type { Schemas } from '@/shared/api'

/** What the data check found of an instrument: the first few, the others when asked for. */
const props = defineProps<{
  code: string
  universe: string
  findings: Schemas['Finding'][]
}>()
const FEW = 3
/** One more is not worth a press. */
const first = computed(() =>
  props.findings.length > FEW + 1 ? props.findings.slice(0, FEW) : props.findings,
)
const others = computed(() => props.findings.slice(first.value.length))
const groups = computed(() => [first.value, others.value].filter((group) => group.length))
const times = (of: Schemas['Finding']) =>
  of.first === of.last ? barTime(of.first) : `${barTime(of.first)} – ${barTime(of.last)}`
</script>

<template>
  <component :is="n ? 'details' : 'div'" v-for="(group, n) in groups" :key="n">
    <summary v-if="n">and {{ others.length }} more</summary>
    <span v-for="f in group" :key="`${f.kind}${f.first}`" class="finding">
      <RouterLink
        v-if="f.bars"
        :to="{ path: instrumentAt(code), query: { universe, ...found(f) } }"
        >{{ f.kind }}</RouterLink><b v-else>{{ f.kind }}</b> {{ f.detail }}, {{ times(f) }}
    </span>
  </component>
  <span v-if="!findings.length" class="quiet">sound</span>
</template>

<style scoped>
.finding a,
.finding b {
  color: var(--fall);
}
.finding {
  display: block;
  white-space: normal;
  min-width: 200px;
}
summary {
  cursor: pointer;
  min-height: 24px;
  color: var(--accent);
}
@media (max-width: 1400px) {
  .finding {
    min-width: 160px;
  }
}
</style>
