<script setup lang="ts">
import { offer } from '@/shared/undo'

function takeBack() {
  offer.value?.undo?.()
  offer.value = null
}
</script>

<template>
  <div v-if="offer" class="undo" role="status">
    {{ offer.text }}
    <button v-if="offer.undo" class="button plain" @click="takeBack">Undo</button>
  </div>
</template>

<style scoped>
.undo {
  position: fixed;
  bottom: 14px;
  left: 50%;
  transform: translateX(-50%);
  background: var(--sheet);
  border: 1px solid var(--ink);
  padding: 6px 14px;
  z-index: 50;
}
</style>
