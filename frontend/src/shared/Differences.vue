<script setup lang="ts">
import { computed } from 'vue'
import { answer } from './api'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** How two texts differ, line by line: what only the one has, and what only the other. */
const props = defineProps<{ before: string; after: string; names: [string, string] }>()
const found = useRead(() => {
  const { before, after } = props
  return {
    of: keys.differences(before, after),
    read: (server) => answer(server.POST('/api/compare', { body: { before, after } })),
  }
})
const SIGNS = { both: ' ', before: '−', after: '+' }
const same = computed(() => found.data.value?.every((line) => line.side === 'both'))
</script>

<template>
  <div class="differences">
    <p class="quiet">
      − {{ names[0] }}, + {{ names[1] }}<template v-if="same">: they say the same</template>
    </p>
    <Reply :of="found" what="Not compared">
      <pre><span
      v-for="(line, n) in found.data.value"
      :key="n"
      :class="line.side"
    >{{ SIGNS[line.side] }} {{ line.text }}
</span></pre>
    </Reply>
  </div>
</template>

<style scoped>
p {
  margin: 2px 0;
}
pre {
  margin: 2px 0;
  font: 12px/1.5 var(--mono);
  white-space: pre-wrap;
}
.both {
  color: var(--quiet);
}
.before {
  color: var(--fall);
}
.after {
  color: var(--rise);
}
</style>
