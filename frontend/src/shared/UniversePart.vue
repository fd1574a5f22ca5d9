<script setup lang="ts">
import { computed } from 'vue'
import { useUniverses } from './queries'

/** A universe as a part of a sentence. */
const props = defineProps<{ name: string | undefined }>()
const emit = defineEmits<{ choose: [name: string] }>()
const universes = useUniverses()
const gone = computed(
  () => props.name && universes.data.value?.every((own) => own.name !== props.name),
)
</script>

<template>
  <select
    class="inline-part"
    aria-label="Universe"
    :value="name"
    @change="emit('choose', ($event.target as HTMLSelectElement).value)"
  >
    <option v-if="gone" :value="name">{{ name }}, not here</option>
    <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option>
  </select>
</template>
