<script setup lang="ts">
import { sides, told } from '@/shared/format'
import type { Offered } from './offered'

/** A sieve that may be taken: what it is, and what of it is not here. */
defineProps<{ offered: Offered }>()
defineEmits<{ take: [] }>()
</script>

<template>
  <article>
    <div>
      <b>{{ offered.sieve.name }}</b>
      <span class="quiet">
        {{ offered.sieve.universe }}, bars of {{ offered.sieve.timeframes[0] }},
        {{ sides(offered.sieve.sides) }}
      </span>
      <p>{{ offered.sieve.note }}</p>
      <p v-for="(problem, n) in offered.missing" :key="n" class="warn">
        Not here: {{ told(problem) }}
      </p>
      <p v-if="offered.differing.length" class="warn">
        {{ offered.differing.join(', ') }} has another text on this desk: the sieve brings its own
        and changes nothing.
      </p>
    </div>
    <button class="button" @click="$emit('take')">
      Look at it<span class="visually-hidden">: {{ offered.sieve.name }}</span>
    </button>
  </article>
</template>

<style scoped>
article {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 16px;
  border-bottom: 1px solid var(--hair);
  padding: 6px 0;
}
.quiet {
  margin-left: 8px;
}
p {
  margin: 2px 0 0;
}
</style>
