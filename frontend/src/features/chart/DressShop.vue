<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, onMounted, ref } from 'vue'
import { answer, api, type Chart } from '@/shared/api'
import { shaped } from '@/shared/arranging'
import { useVocabulary } from '@/shared/queries'
import type { Dressing } from './dress'
import { LIKE } from './layout'
import Workshop from './Workshop.vue'

/** The workshop for what is drawn beside, on a page that keeps no layouts of its own. */
defineProps<{
  of: Dressing
  chart?: Chart
  bars: string
  stretch?: { since: number; until: number }
}>()
const vocabulary = useVocabulary()
const shop = ref<InstanceType<typeof Workshop>>()
onMounted(() => shop.value?.focus())
const list = useQuery({
  queryKey: ['arrangements', 'chart'],
  queryFn: () =>
    answer(api.GET('/api/arrangements/{page}', { params: { path: { page: 'chart' } } })),
})
/** Layouts that were kept, to be drawn here too. */
const kept = computed(() =>
  (list.data.value ?? []).map(({ name, body }) => ({ name, body: shaped(LIKE, body) })),
)
</script>

<template>
  <Workshop
    ref="shop"
    :layout="of.layout.value"
    :chart="chart"
    :bars="bars"
    :functions="vocabulary.data.value?.functions ?? []"
    :stretch="stretch"
    :kept="kept"
    @change="of.change"
    @close="of.turn"
  />
</template>
