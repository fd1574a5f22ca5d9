<script setup lang="ts">
/** Whether bars that are not over yet count, as a part of a sentence. */
defineProps<{ forming: boolean | undefined }>()
const emit = defineEmits<{ choose: [forming: boolean] }>()
</script>

<template>
  <select
    class="inline-part"
    aria-label="Bars that count"
    :value="String(Boolean(forming))"
    @change="emit('choose', ($event.target as HTMLSelectElement).value === 'true')"
  >
    <option value="false">closed bars</option>
    <option value="true">unfinished bars too</option>
  </select>
</template>
