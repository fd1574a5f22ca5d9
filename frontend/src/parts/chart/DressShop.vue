<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import type { Chart } from '@/shared/api'
import { shaped, useArrangements } from '@/shared/arranging'
import { useVocabulary } from '@/shared/queries'
import type { Dressing } from './dress'
import { LIKE } from './layout'
import Workshop from './Workshop.vue'

/** The workshop for what is drawn beside, on a page that keeps no layouts of its own. */
defineProps<{
  of: Dressing
  chart?: Chart
  bars: string
  universe?: string
  stretch?: { since: number; until: number }
}>()
const vocabulary = useVocabulary()
const shop = ref<InstanceType<typeof Workshop>>()
onMounted(() => shop.value?.focus())
const list = useArrangements('chart')
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
    :universe="universe"
    :functions="vocabulary.data.value?.functions ?? []"
    :stretch="stretch"
    :kept="kept"
    @change="of.change"
    @close="of.turn"
  />
</template>
