<script setup lang="ts">
import { ref } from 'vue'
import { useAct } from '@/shared/act'
import { answer, type Schemas } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { plural } from '@/shared/format'
import { done } from '@/shared/undo'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** Folders whose files are taken by themselves, new and changed ones. */
const sources = useRead(() => ({
  of: keys.sources,
  read: (server) => answer(server.GET('/api/sources')),
  refetchInterval: (known) => (known?.length ? 10_000 : false),
}))
const troublesOf = (own: Schemas['WatchedFolder']) => Object.entries(own.troubles ?? {})
const folder = ref('')
const { act, busy, failure } = useAct()
const refresh = () => readAnew(keys.sources)
async function put(path: string) {
  await answer(server.POST('/api/sources', { body: { folder: path } }))
  await refresh()
}
const add = () =>
  act('Not read', async () => {
    await put(folder.value)
    folder.value = ''
  })
const remove = (path: string) =>
  act('Not left', async () => {
    await answer(server.POST('/api/sources/remove', { body: { folder: path } }))
    await refresh()
    done(`${path} is read no more; what was taken stays.`, () => put(path))
  })
</script>

<template>
  <section aria-label="Folders">
    <h2>Watched folders</h2>
    <ul>
      <li v-for="s in sources.data.value" :key="s.folder">
        <span class="mono" :title="s.folder">{{ s.folder }}</span>
        <button
          class="button plain"
          :disabled="busy"
          :aria-label="`Read ${s.folder} no more`"
          @click="remove(s.folder)"
        >
          ×
        </button>
        <span v-if="s.trouble" class="fall words">{{ s.trouble }}, trying again</span>
        <span v-else class="quiet words">
          {{ plural(Object.keys(s.seen).length, 'file') }} read</span
        >
        <details v-if="troublesOf(s).length" class="words">
          <summary class="fall">{{ plural(troublesOf(s).length, 'file') }} left out</summary>
          <p v-for="[name, why] in troublesOf(s)" :key="name">
            <span class="mono">{{ name }}</span> {{ why }}
          </p>
        </details>
      </li>
    </ul>
    <form @submit.prevent="add">
      <input
        v-model="folder"
        class="field mono"
        aria-label="Folder to watch"
        placeholder="/home/me/bars"
      />
      <button class="button" :disabled="busy || !folder.trim()">Read it</button>
    </form>
    <Failed :failure="failure" />
  </section>
</template>

<style scoped>
h2 {
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 18px 0 4px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  border-bottom: 1px solid var(--hair);
  font-size: 12px;
}
li .mono {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  direction: rtl;
  text-align: left;
}
.words {
  grid-column: 1 / -1;
}
.words p {
  margin: 2px 0;
  overflow-wrap: anywhere;
}
form {
  display: flex;
  gap: 6px;
  margin-top: 6px;
}
form .field {
  min-width: 0;
  flex: 1;
}
</style>
