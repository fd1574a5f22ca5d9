<script setup lang="ts">
import { lookOf } from './paint'

/** The groups that colours and shapes tell; one that is pressed stands out alone. */
defineProps<{ names: readonly string[]; only: number; ordered?: boolean; of?: string }>()
const emit = defineEmits<{ only: [group: number] }>()
</script>

<template>
  <ul class="legend" aria-label="Colours">
    <li v-if="of" class="quiet">{{ of }}</li>
    <li v-for="(name, n) in names" :key="name">
      <button
        class="button plain"
        :aria-pressed="only === n"
        @click="emit('only', only === n ? -1 : n)"
      >
        <i
          :class="lookOf(names, n, ordered).shape"
          :style="{ background: `var(--${lookOf(names, n, ordered).colour})` }"
        ></i
        >{{ name }}
      </button>
    </li>
  </ul>
</template>

<style scoped>
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 0 6px;
  margin: 0;
  padding: 0;
  list-style: none;
  align-items: center;
}
.legend [aria-pressed='true'] {
  background: var(--accent-wash);
}
.legend i {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-right: 5px;
}
.legend .round {
  border-radius: 50%;
}
.legend .diamond {
  transform: rotate(45deg) scale(0.85);
}
.legend .up {
  clip-path: polygon(50% 0, 100% 100%, 0 100%);
}
.legend .down {
  clip-path: polygon(50% 100%, 100% 0, 0 0);
}
</style>
