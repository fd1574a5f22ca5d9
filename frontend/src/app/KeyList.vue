<script setup lang="ts">
import { ElDialog } from 'element-plus'
import { activeKeys, useKeys } from '@/shared/keys'
import { toggleNight } from '@/shared/theme'
import { showKeys } from '@/shared/keyList'

useKeys([
  { key: '?', does: 'list the keys', run: () => (showKeys.value = true) },
  { key: 'n', does: 'night or day', run: () => toggleNight() },
])
const SIGNS: Record<string, string> = {
  ArrowDown: '↓',
  ArrowUp: '↑',
  ArrowLeft: '←',
  ArrowRight: '→',
  'Shift+ArrowLeft': '⇧ ←',
  'Shift+ArrowRight': '⇧ →',
}
</script>

<template>
  <ElDialog v-model="showKeys" title="Keys on this page" width="420">
    <dl>
      <template v-for="entry in activeKeys" :key="entry.key">
        <dt>
          <kbd>{{ SIGNS[entry.key] ?? entry.key }}</kbd>
        </dt>
        <dd>{{ entry.does }}</dd>
      </template>
    </dl>
  </ElDialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 14px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
