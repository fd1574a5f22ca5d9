<script setup lang="ts">
import { ElDialog } from 'element-plus'
import { computed } from 'vue'
import { ABOUT, activeKeys, useKeys } from '@/shared/keys'
import { toggleNight } from '@/shared/theme'
import { showKeys } from '@/shared/keyList'

useKeys([
  { key: '?', does: 'list the keys', about: 'everywhere', run: () => (showKeys.value = true) },
  { key: 'n', does: 'night or day', about: 'everywhere', run: () => toggleNight() },
])
const groups = computed(() =>
  ABOUT.map((about) => ({
    about,
    keys: activeKeys.filter((entry) => entry.about === about),
  })).filter((group) => group.keys.length),
)
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
  <ElDialog v-model="showKeys" title="Keys on this page" width="min(1160px, 94vw)" top="4vh">
    <div class="groups">
      <section v-for="group in groups" :key="group.about">
        <h3>{{ group.about }}</h3>
        <dl>
          <div v-for="entry in group.keys" :key="entry.key">
            <dt>
              <kbd>{{ SIGNS[entry.key] ?? entry.key }}</kbd>
            </dt>
            <dd>{{ entry.does }}</dd>
          </div>
        </dl>
      </section>
    </div>
  </ElDialog>
</template>

<style scoped>
.groups {
  columns: 4 230px;
  column-gap: 28px;
}
h3 {
  margin: 0 0 2px;
  font-size: 13px;
  break-after: avoid;
}
dl {
  margin: 0 0 12px;
}
dl div {
  display: grid;
  grid-template-columns: 62px 1fr;
  gap: 8px;
  padding: 1px 0;
  line-height: 20px;
  break-inside: avoid;
}
dd {
  margin: 0;
}
</style>
