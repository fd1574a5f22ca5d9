<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed } from 'vue'

/** Codes that lead to their instruments; of very many the first, and the rest as text. */
const props = defineProps<{ codes: readonly string[] }>()
const MOST = 300
const linked = computed(() => props.codes.slice(0, MOST))
const rest = computed(() => props.codes.slice(MOST))
</script>

<template>
  <span class="mono codes">
    <RouterLink v-for="code in linked" :key="code" :to="instrumentAt(code)">{{ code }}</RouterLink>
    {{ rest.join('  ') }}
  </span>
</template>

<style scoped>
.codes {
  display: block;
  white-space: normal;
  overflow-wrap: anywhere;
}
a {
  margin-right: 12px;
}
</style>
