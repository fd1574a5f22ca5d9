<script setup lang="ts">
import { computed, ref } from 'vue'
import { answer } from '@/shared/api'
import Differences from '@/shared/Differences.vue'
import { moment } from '@/shared/format'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** Earlier states of a formula: each compared with what stands on the page, and taken back. */
const props = defineProps<{ id: number; version: number; text: string }>()
const emit = defineEmits<{ take: [text: string] }>()
const open = ref(false)
const versions = useRead(() => {
  const params = { path: { formula_id: props.id } }
  return {
    of: keys.formulaVersions(props.id, props.version),
    enabled: open.value,
    read: (server) => answer(server.GET('/api/formulas/{formula_id}/versions', { params })),
  }
})
const chosen = ref<number>()
const compared = computed(() => versions.data.value?.find((v) => v.version === chosen.value))
</script>

<template>
  <details @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary>Versions: {{ version }}</summary>
    <Reply v-if="open" :of="versions" what="The versions can't be shown">
      <ul>
        <li v-for="own in versions.data.value" :key="own.version">
          <button
            class="button plain"
            :aria-pressed="chosen === own.version"
            @click="chosen = chosen === own.version ? undefined : own.version"
          >
            compare {{ own.version }}
          </button>
          <span class="quiet">{{ moment(own.created_at) }} · {{ own.name }}</span>
        </li>
      </ul>
      <template v-if="compared">
        <Differences
          :before="compared.text"
          :after="text"
          :names="[`version ${compared.version}`, 'on the page']"
        />
        <button class="button" @click="emit('take', compared.text)">
          Take its text onto the page
        </button>
      </template></Reply
    >
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  color: var(--accent);
  min-height: 24px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
