<script setup lang="ts">
import { useUniverses } from './queries'

/** A universe as a part of a sentence. */
defineProps<{ name: string | undefined }>()
const emit = defineEmits<{ choose: [name: string] }>()
const universes = useUniverses()
</script>

<template>
  <select
    class="inline-part"
    aria-label="Universe"
    :value="name"
    @change="emit('choose', ($event.target as HTMLSelectElement).value)"
  >
    <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option>
  </select>
</template>
