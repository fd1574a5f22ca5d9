<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api } from './api'
import ErrorNote from './ErrorNote.vue'

/** How two texts differ, line by line: what only the one has, and what only the other. */
const props = defineProps<{ before: string; after: string; names: [string, string] }>()
const found = useQuery({
  queryKey: ['compare', computed(() => [props.before, props.after])],
  queryFn: () =>
    answer(api.POST('/api/compare', { body: { before: props.before, after: props.after } })),
})
const SIGNS = { both: ' ', before: '−', after: '+' }
const same = computed(() => found.data.value?.every((line) => line.side === 'both'))
</script>

<template>
  <div class="differences">
    <p class="quiet">
      − {{ names[0] }}, + {{ names[1] }}<template v-if="same">: they say the same</template>
    </p>
    <ErrorNote v-if="found.isError.value" :error="found.error.value" what="Not compared" />
    <pre v-else><span
      v-for="(line, n) in found.data.value"
      :key="n"
      :class="line.side"
    >{{ SIGNS[line.side] }} {{ line.text }}
</span></pre>
  </div>
</template>

<style scoped>
p {
  margin: 2px 0;
}
pre {
  margin: 2px 0;
  font: 12px/1.5 var(--mono);
  white-space: pre-wrap;
}
.both {
  color: var(--quiet);
}
.before {
  color: var(--fall);
}
.after {
  color: var(--rise);
}
</style>
