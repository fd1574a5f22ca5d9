<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { droppedSieve } from '@/shared/dropped'
import { takeAsDraft, type Offered } from './offered'
import OfferedSieve from './OfferedSieve.vue'
import { useServer } from '@/shared/moment'
import { useReady } from '@/shared/queries'
import Reply from '@/shared/Reply.vue'

const server = useServer()

/** Sieves from elsewhere: ready ones, and those that are dropped as files. Nothing is kept before it is saved. */
const router = useRouter()
const open = ref(false)
const ready = useReady(() => open.value)
const dropped = ref<Offered>()
const { act, failure } = useAct()
const read = (file: File | undefined) =>
  act('Not read', async () => {
    if (!file) return
    dropped.value = undefined
    dropped.value = await answer(
      server.POST('/api/sieves/read', { body: { text: await file.text() } }),
    )
  })
function take(offered: Offered) {
  takeAsDraft(offered.sieve)
  void router.push('/sieves/new')
}
// A file that was dropped, on this page or another.
watch(
  droppedSieve,
  (file) => {
    if (!file) return
    droppedSieve.value = undefined
    void read(file)
  },
  { immediate: true },
)
</script>

<template>
  <section>
    <p>
      <label class="button">
        Import a file
        <input
          class="visually-hidden"
          type="file"
          accept=".json,application/json"
          @change="read(($event.target as HTMLInputElement).files?.[0])"
        />
      </label>
      <span class="quiet">or drop it anywhere.</span>
    </p>
    <Failed :failure="failure" />
    <OfferedSieve v-if="dropped" :offered="dropped" @take="take(dropped)" />
    <details @toggle="open = ($event.target as HTMLDetailsElement).open">
      <summary>Ready sieves, one for each way of working</summary>
      <Reply v-if="open" :of="ready" what="They can't be shown">
        <OfferedSieve
          v-for="own in ready.data.value?.sieves"
          :key="own.sieve.name"
          :offered="own"
          @take="take(own)"
        />
      </Reply>
    </details>
  </section>
</template>

<style scoped>
section {
  margin-top: 18px;
}
label {
  cursor: pointer;
  margin-right: 8px;
}
label:focus-within {
  outline: 2px solid var(--accent);
}
summary {
  cursor: pointer;
  min-height: 24px;
  color: var(--accent);
}
</style>
