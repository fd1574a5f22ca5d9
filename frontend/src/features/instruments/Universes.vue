<script setup lang="ts">
import { computed } from 'vue'
import Archived from '@/shared/Archived.vue'
import { useAct } from '@/shared/act'
import { answer, type Universe } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import ListOut from '@/shared/ListOut.vue'
import { useArchivedUniverses, useUniverses } from '@/shared/queries'
import { done } from '@/shared/undo'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** The universes, each with its size; the chosen one with what can be done with it. */
defineProps<{ chosen: string }>()
const emit = defineEmits<{ choose: [name: string]; edit: [universe?: Universe] }>()
const universes = useUniverses()
const archived = useArchivedUniverses()
const gone = computed(() =>
  (archived.data.value ?? []).map((u) => ({ id: u.id, name: u.universe.name })),
)
const columns = () => {
  const all = universes.data.value ?? []
  return {
    universe: all.map((u) => u.name),
    instruments: all.map((u) => u.instruments),
    flagged: all.map((u) => u.flagged),
  }
}
const { act, busy, failure } = useAct()
const refresh = () =>
  readAnew(keys.universes, keys.archivedUniverses, keys.instruments(), keys.doubts())
async function restore(id: number) {
  const path = { universe_id: id }
  await answer(server.POST('/api/universes/{universe_id}/restore', { params: { path } }))
  await refresh()
}
const remove = (universe: Universe) =>
  act('Not archived', async () => {
    const path = { universe_id: universe.id }
    await answer(server.DELETE('/api/universes/{universe_id}', { params: { path } }))
    await refresh()
    done(`${universe.name} was archived; its instruments are untouched.`, () =>
      restore(universe.id),
    )
    emit('choose', 'All instruments')
  })
</script>

<template>
  <aside aria-label="Universes">
    <h2>
      Universes <button class="button plain" @click="emit('edit')">new <kbd>u</kbd></button>
    </h2>
    <Reply :of="universes" what="The universes can't be shown"
      ><ul>
        <li v-for="universe in universes.data.value" :key="universe.id">
          <button
            :class="{ here: universe.name === chosen }"
            :title="universe.problem || universe.name"
            @click="emit('choose', universe.name)"
          >
            <span class="name">{{ universe.name }}</span>
            <span class="quiet">
              <span v-if="universe.problem" class="flag">!</span
              ><template v-else>{{ universe.instruments }}</template
              ><span v-if="universe.flagged" class="flag"> · {{ universe.flagged }} ⚑</span>
            </span>
          </button>
          <p v-if="universe.name === chosen && universe.name !== 'All instruments'" class="acts">
            <button class="button plain" @click="emit('edit', universe)">change</button>
            <button class="button plain" :disabled="busy" @click="remove(universe)">archive</button>
          </p>
        </li>
      </ul>
    </Reply>
    <Failed :failure="failure" />
    <ListOut v-if="universes.data.value?.length" name="Universes" :columns="columns" />
    <Archived :entries="gone" @back="(id) => act('Not restored', () => restore(Number(id)))" />
  </aside>
</template>

<style scoped>
h2 {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 8px 0 4px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li > button {
  width: 100%;
  display: flex;
  justify-content: space-between;
  gap: 8px;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
  padding: 5px 4px;
  cursor: pointer;
  text-align: left;
}
li > button.here {
  background: var(--accent-wash);
}
.name {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li > button > span:last-child {
  white-space: nowrap;
}
.flag {
  color: var(--fall);
}
.acts {
  margin: 0;
  display: flex;
  gap: 8px;
}
</style>
