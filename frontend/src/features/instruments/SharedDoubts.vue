<script setup lang="ts">
import { computed } from 'vue'
import { useAct } from '@/shared/act'
import { answer, type Schemas } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { barTime, plural } from '@/shared/format'
import { done } from '@/shared/undo'
import { begun } from './mending'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** What the data check found of the same bars of several instruments: one cause, accepted at once. */
const props = defineProps<{ universe: string }>()
const emit = defineEmits<{ only: [codes: readonly string[]] }>()
type SharedDoubt = Schemas['SharedDoubt']
const { act, busy, failure } = useAct()
const MOST = 6
const found = useRead(() => {
  const query = { universe: props.universe }
  return {
    of: keys.doubts(query.universe),
    read: (server) => answer(server.GET('/api/doubts', { params: { query } })),
  }
})
const shown = computed(() => (found.data.value ?? []).slice(0, MOST))
const more = computed(() => (found.data.value?.length ?? 0) - shown.value.length)
const when = (own: SharedDoubt) =>
  own.first === own.last ? barTime(own.first) : `${barTime(own.first)} – ${barTime(own.last)}`
const refresh = () => readAnew()
const accept = (own: SharedDoubt) =>
  act('Not accepted', async () => {
    const { kind, first, last } = own
    const accepted = own.codes.map((code) =>
      begun(code, { kind: 'accept', seconds: 0, first, last, finding: kind }),
    )
    const numbers = await answer(server.POST('/api/doubts/accept', { body: { accepted } }))
    await refresh()
    done(
      `${kind} of ${when(own)} accepted for ${plural(own.codes.length, 'instrument')}.`,
      async () => {
        if (numbers.length) await answer(server.POST('/api/doubts/back', { body: { numbers } }))
        await refresh()
      },
    )
  })
</script>

<template>
  <div v-if="shown.length" class="shared" role="group" aria-label="One cause, many instruments">
    <p v-for="own in shown" :key="`${own.kind}${own.first}${own.last}`">
      <button class="inline-part" @click="emit('only', own.codes)">
        {{ plural(own.codes.length, 'instrument') }}
      </button>
      at once: <b class="fall">{{ own.kind }}</b> {{ own.detail }}, {{ when(own) }}
      <button class="button plain" :disabled="busy" @click="accept(own)">
        accept for all {{ own.codes.length }}
      </button>
    </p>
    <p v-if="more > 0" class="quiet">
      and {{ plural(more, 'other cause') }} of several instruments
    </p>
    <Failed :failure="failure" />
  </div>
</template>

<style scoped>
.shared {
  margin-bottom: 6px;
}
p {
  margin: 2px 0;
}
</style>
