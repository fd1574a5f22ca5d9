<script setup lang="ts">
/** What was archived: closed until it is asked for, each entry with its way back. */
defineProps<{ entries: readonly { id: string | number; name: string; note?: string }[] }>()
defineEmits<{ back: [id: string | number] }>()
</script>

<template>
  <details v-if="entries.length" class="away">
    <summary class="quiet">Archived: {{ entries.length }}</summary>
    <ul>
      <li v-for="entry in entries" :key="entry.id">
        <span>{{ entry.name }}</span> <span class="quiet">{{ entry.note }}</span>
        <button class="button plain" @click="$emit('back', entry.id)">
          Restore<span class="visually-hidden"> {{ entry.name }}</span>
        </button>
      </li>
    </ul>
  </details>
</template>

<style scoped>
.away {
  margin-top: 18px;
}
summary {
  cursor: pointer;
  min-height: 24px;
}
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
li {
  display: flex;
  align-items: baseline;
  gap: 10px;
  border-bottom: 1px solid var(--hair);
}
li > span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
