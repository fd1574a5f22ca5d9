<script setup lang="ts">
import { nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { instrumentAt } from '@/shared/addresses'
import { useAct } from '@/shared/act'
import { answer } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import InlineText from '@/shared/InlineText.vue'
import { done } from '@/shared/undo'
import { useServer } from '@/shared/moment'
import { useReadAnew } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** What an instrument is called, and was before. */
const props = defineProps<{ code: string; earlier: readonly string[] }>()
const route = useRoute()
const router = useRouter()
const { act, failure } = useAct()
const renaming = ref(false)
const field = ref<InstanceType<typeof InlineText>>()
async function begin() {
  renaming.value = true
  await nextTick()
  field.value?.focus()
}
async function send(code: string, to: string, leads: boolean) {
  await answer(
    server.POST('/api/renamed/{code}', { params: { path: { code } }, body: { to, leads } }),
  )
  await router.replace({ path: instrumentAt(to), query: route.query })
  await readAnew()
}
const rename = (to: string) =>
  act('Not renamed', async () => {
    const before = props.code
    await send(before, to, true)
    renaming.value = false
    done(`${before} is ${to} now; ${before} still leads to it.`, () => send(to, before, false))
  })
const forget = (earlier: string) =>
  act('Not let go', async () => {
    await answer(server.DELETE('/api/earlier/{earlier}', { params: { path: { earlier } } }))
    await readAnew()
  })
</script>

<template>
  <span>
    <span v-if="renaming" class="line sentence">
      {{ code }} is called
      <InlineText
        ref="field"
        :value="code"
        :least="8"
        aria-label="New code"
        @take="rename"
        @keydown.esc="renaming = false"
      />
      from now on, in all that is kept of it.
    </span>
    <button v-else class="button plain" @click="begin">rename</button>
    <span v-for="one in earlier" :key="one" class="line">
      Earlier <b class="mono">{{ one }}</b>, which still leads here.
      <button class="button plain" :aria-label="`Let ${one} go`" @click="forget(one)">
        forget it
      </button>
    </span>
    <Failed :failure="failure" />
  </span>
</template>

<style scoped>
.line {
  display: block;
  margin: 2px 0;
}
.sentence {
  font-size: 13px;
}
</style>
