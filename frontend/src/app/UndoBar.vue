<script setup lang="ts">
import { offer, takeBack } from '@/shared/undo'
</script>

<template>
  <span v-if="offer" class="undo" role="status" :class="{ fall: offer.failed }">
    <span class="words" :title="offer.text">{{ offer.text }}</span>
    <button v-if="offer.undo" class="button plain" @click="takeBack">Undo</button>
  </span>
</template>

<style scoped>
.undo {
  display: flex;
  align-items: center;
  min-width: 0;
}
.words {
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
