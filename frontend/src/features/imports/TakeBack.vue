<script setup lang="ts">
import { computed, ref } from 'vue'
import { useAct } from '@/shared/act'
import { answer, type Import, type Schemas } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { plural, whole } from '@/shared/format'
import { useServer } from '@/shared/moment'

const server = useServer()

/** Undoing an import whole: first what it would do, then doing it; what it did afterwards. */
const props = defineProps<{ own: Import }>()
const emit = defineEmits<{ taken: [] }>()
const { act, busy, failure } = useAct()
const path = computed(() => ({ params: { path: { import_id: props.own.id } } }))
/** What it would do, once that was asked. */
const would = ref<Schemas['TakenBack']>()
const nouns = computed(() => {
  const own = props.own.account?.nouns ?? 'rows'
  return own.startsWith('bars') ? 'bars' : own
})
const told = (own: Schemas['TakenBack']) =>
  [
    own.removed ? `${whole(own.removed)} ${nouns.value} that it added` : '',
    own.restored ? `${whole(own.restored)} ${nouns.value} as they were before it` : '',
  ] as const
const covered = (own: Schemas['TakenBack']) =>
  (own.covered ?? []).map((c) => ({ number: c.import_id, count: whole(c.count) }))
const ask = () =>
  act('It can’t be told', async () => {
    would.value = await answer(server.GET('/api/imports/{import_id}/back', path.value))
  })
const go = () =>
  act('Not taken back', async () => {
    await answer(server.POST('/api/imports/{import_id}/back', path.value))
    would.value = undefined
    emit('taken')
  })
const shown = computed(() => (props.own.state === 'gone' ? props.own.uncovered : would.value))
</script>

<template>
  <div v-if="own.state === 'gone' || (own.state === 'done' && own.reversible)" class="back">
    <p v-if="own.state === 'done' && own.reason" class="fall" role="alert">
      It was not taken back: {{ own.reason }}.
    </p>
    <p v-if="shown" class="sentence" role="status">
      <template v-if="own.state === 'gone'">It was taken back:</template>
      <template v-else>Taking it back</template>
      <template v-if="told(shown)[0]">
        {{ own.state === 'gone' ? 'gone are' : 'lets go' }} <b>{{ told(shown)[0] }}</b></template
      ><template v-if="told(shown)[0] && told(shown)[1]">;</template>
      <template v-if="told(shown)[1]">
        {{ own.state === 'gone' ? 'there again are' : 'brings back' }}
        <b>{{ told(shown)[1] }}</b></template
      ><template v-if="!told(shown)[0] && !told(shown)[1]"> changes nothing</template>.
      <template v-for="{ number, count } in covered(shown)" :key="number">
        {{ count }} were changed later<template v-if="number"
          >, by <RouterLink :to="`/imports/${number}`">another import</RouterLink></template
        >: they stay as they are.
      </template>
      <template v-if="shown.put_away">
        {{ plural(shown.put_away, 'instrument') }} that it made
        {{ shown.put_away === 1 ? 'has' : 'have' }} no bars left, and
        {{ shown.put_away === 1 ? 'is' : 'are' }} gone from all universes.
      </template>
    </p>
    <p v-if="own.state === 'done'">
      <button v-if="!would" class="button plain" :disabled="busy" @click="ask">
        Take it back…
      </button>
      <template v-else>
        <button class="button primary" :disabled="busy" @click="go">Take it back</button>
        <button class="button" :disabled="busy" @click="would = undefined">Leave it</button>
      </template>
    </p>
    <Failed :failure="failure" />
  </div>
</template>

<style scoped>
.back {
  margin: 6px 0;
}
.back p {
  margin: 4px 0;
}
</style>
