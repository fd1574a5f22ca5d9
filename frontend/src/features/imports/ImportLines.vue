<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { instrumentAt } from '@/shared/addresses'
import { useAct } from '@/shared/act'
import { answer, type Import } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { day, plural, whole } from '@/shared/format'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** What would change of each instrument, and which of them are not to be taken. */
const props = defineProps<{ own: Import }>()
const emit = defineEmits<{ left: [] }>()
const STEP = 100
const words = ref('')
const size = ref(STEP)
watch(words, () => (size.value = STEP))
const path = computed(() => ({ import_id: props.own.id }))
const query = useRead(() => {
  const { id, turn, state } = props.own
  const query = { words: words.value, size: size.value }
  const params = { path: { import_id: id }, query }
  return {
    of: keys.importLines(id, turn, state, query),
    keeps: true,
    read: (server) => answer(server.GET('/api/imports/{import_id}/lines', { params })),
  }
})
const found = computed(() => query.data.value)
const open = computed(() => props.own.state === 'ready')
const left = computed(() => new Set(props.own.left_out))
const { act, busy, failure } = useAct()
const leave = (codes: Iterable<string>) =>
  act('Not changed', async () => {
    const body = { codes: [...codes] }
    await answer(
      server.PUT('/api/imports/{import_id}/left-out', { params: { path: path.value }, body }),
    )
    emit('left')
  })
const reversible = computed(() => props.own.state === 'done' && props.own.reversible)
const takeBack = (code: string) =>
  act('Not taken back', async () => {
    const body = { codes: [code] }
    await answer(
      server.POST('/api/imports/{import_id}/back/some', { params: { path: path.value }, body }),
    )
    emit('left')
    await readAnew()
  })
function turn(code: string) {
  const now = new Set(left.value)
  if (!now.delete(code)) now.add(code)
  void leave(now)
}
</script>

<template>
  <section aria-label="By instrument">
    <h2>
      By instrument
      <span v-if="left.size" class="fall">
        {{ plural(left.size, 'instrument') }} {{ open ? 'left out' : 'not taken, or taken back' }}
        <button v-if="open" class="button plain" :disabled="busy" @click="leave([])">
          take all
        </button>
      </span>
    </h2>
    <input
      v-if="(found?.total ?? 0) > 12 || words"
      v-model.trim="words"
      class="field"
      type="search"
      aria-label="Find an instrument of the import"
      placeholder="find an instrument"
    />
    <Failed :failure="failure" />
    <Reply :of="query" what="The instruments can’t be shown">
      <table v-if="found?.lines.length" class="ledger">
        <thead>
          <tr>
            <th>{{ open ? 'Take' : '' }}</th>
            <th>Instrument</th>
            <th class="number">New</th>
            <th class="number">Changed</th>
            <th class="number">Same</th>
            <th>From</th>
            <th>To</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="line in found.lines" :key="line.code" :class="{ left: left.has(line.code) }">
            <td>
              <input
                v-if="open"
                type="checkbox"
                :checked="!left.has(line.code)"
                :disabled="busy"
                :aria-label="`Take ${line.code}`"
                @change="turn(line.code)"
              />
              <button
                v-else-if="reversible && !left.has(line.code)"
                class="button plain"
                :disabled="busy"
                :aria-label="`Take ${line.code} back`"
                @click="takeBack(line.code)"
              >
                take back
              </button>
            </td>
            <td class="mono">
              <RouterLink
                v-if="own.state === 'done' && !left.has(line.code)"
                :to="instrumentAt(line.code)"
                >{{ line.code }}</RouterLink
              >
              <template v-else>{{ line.code }}</template>
              <span v-if="line.fresh" class="quiet fresh">not known before</span>
            </td>
            <td class="number">{{ whole(line.new) }}</td>
            <td class="number">{{ whole(line.changed) }}</td>
            <td class="number">{{ whole(line.same) }}</td>
            <td>{{ day(line.first) }}</td>
            <td>{{ day(line.last) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="found && words" class="quiet">No instrument has “{{ words }}” in its code.</p>
      <button
        v-if="found && found.lines.length < found.total"
        class="button plain"
        @click="size = Math.min(1000, size * 3)"
      >
        {{ whole(found.total - found.lines.length) }} more
      </button></Reply
    >
  </section>
</template>

<style scoped>
.fresh {
  margin-left: 8px;
}
h2 {
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 12px 0 4px;
}
input[type='checkbox'] {
  width: 15px;
  height: 15px;
  margin: 0 0 0 6px;
}
tr.left td {
  color: var(--quiet);
  text-decoration: line-through;
}
tr.left td:first-child {
  text-decoration: none;
}
</style>
