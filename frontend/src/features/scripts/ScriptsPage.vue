<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { answer, shaped } from '@/shared/api'
import { useKeys } from '@/shared/keys'
import { guarded } from '@/shared/session'
import { asPython, fitting, partsOf, type Reference, type Request } from './reference'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** What can a script ask of the desk, and what does it need first? */
const reference = useRead(() => ({
  of: keys.reference,
  read: async (server) => {
    const reply = (await answer(server.GET('/api/openapi.json'))) as unknown as Reference
    return partsOf(shaped(reply, (own) => typeof own.paths === 'object'))
  },
  staleTime: Infinity,
}))
const { data } = reference
const here = window.location.origin
const BEGIN = `from zealous_sieve.client import Client

client = Client("${here}")
for sieve in client.ask("GET", "/sieves"):
    print(sieve["id"], sieve["sieve"]["name"])`
const words = ref('')
const box = ref<HTMLInputElement>()
const shown = computed(() => fitting(data.value ?? [], words.value))
const count = computed(() => shown.value.reduce((sum, part) => sum + part.requests.length, 0))

const MOST = 6_000
/** What was answered by path; nothing while the answer is on its way. */
const answers = reactive<Record<string, string | undefined>>({})
async function ask(own: Request) {
  answers[own.path] = undefined
  answers[own.path] = await guarded(new window.Request(here + own.path))
    .then(async (reply) => {
      const json = (reply.headers.get('Content-Type') ?? '').includes('json')
      if (!json) return `${reply.status}: a file of ${(await reply.blob()).size} bytes`
      const text = JSON.stringify(await reply.json(), null, 2)
      return text.length > MOST ? `${text.slice(0, MOST)}\n… and more` : text
    })
    .catch(() => 'the server does not answer: see whether ./start is still running')
}
useKeys([{ key: 'f', does: 'find a request', run: () => box.value?.focus() }])
</script>

<template>
  <main class="page scripts">
    <p class="sentence">
      What the pages do, a script can do at <code>{{ here }}/api</code>: all of it is told below,
      and in one <a href="/api/openapi.json">OpenAPI document</a>.
    </p>
    <div class="first">
      <div>
        <h2>First</h2>
        <p>
          The desk answers to its owner only. The client that comes with the application makes its
          pass from a secret in the folder of the data; whatever else asks shows what the command
          <code>zealous-sieve pass</code> prints, as <code>Authorization: Bearer</code>, good for an
          hour.
        </p>
        <p>
          A header <code>As-Of: 2026-06-09T14:20:00Z</code> sets any request back to that moment.
          Lists take <code>size</code> and <code>at</code>, and say in <code>Total-Count</code> how
          many there are. What goes wrong is answered with a code, where it is, and how to mend it.
        </p>
      </div>
      <pre aria-label="A first script">{{ BEGIN }}</pre>
    </div>
    <p class="find">
      <input
        ref="box"
        v-model="words"
        class="field"
        placeholder="Find a request"
        aria-label="Find a request"
      />
      <kbd>f</kbd>
      <span v-if="data" class="quiet">{{ count }} requests</span>
    </p>
    <Reply
      :of="reference"
      what="The requests can't be shown"
      reading="Reading the document …"
      :empty="!count"
    >
      <template #empty
        ><p class="empty">No request fits “{{ words }}”.</p></template
      >
      <section v-for="part in shown" :key="part.name">
        <h3>{{ part.told }}</h3>
        <details v-for="own in part.requests" :key="own.method + own.path">
          <summary>
            <code class="method">{{ own.method }}</code>
            <code class="path">{{ own.path }}</code>
            <span>{{ own.summary }}</span>
          </summary>
          <div class="told">
            <p v-if="own.told">{{ own.told }}</p>
            <p v-for="parameter in own.parameters" :key="parameter.name">
              <code>{{ parameter.name }}</code> {{ parameter.where }}: {{ parameter.shape
              }}<span v-if="!parameter.needed" class="quiet"> (may be left out)</span>
            </p>
            <p>
              <code>{{ asPython(own) }}</code>
            </p>
            <div class="shapes">
              <div v-if="own.body">
                <h4>It takes</h4>
                <pre>{{ own.body }}</pre>
              </div>
              <div>
                <h4>It answers</h4>
                <pre>{{ own.reply || 'nothing, when it is done' }}</pre>
              </div>
            </div>
            <p v-if="own.plain">
              <button class="button" @click="ask(own)">Ask it now</button>
            </p>
            <p v-if="own.path in answers && answers[own.path] === undefined" role="status">
              Asking …
            </p>
            <pre v-else-if="answers[own.path]" class="answer" aria-label="Answer">{{
              answers[own.path]
            }}</pre>
          </div>
        </details>
      </section>
    </Reply>
  </main>
</template>

<style scoped>
.first {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 24px;
}
@media (max-width: 900px) {
  .first {
    grid-template-columns: minmax(0, 1fr);
  }
}
h2,
h4 {
  font-size: 15px;
  font-weight: 500;
  margin: 0;
}
h3 {
  font-size: 15px;
  font-weight: 500;
  border-bottom: 1px solid var(--ink);
  margin: 18px 0 0;
}
.find {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.field {
  width: 260px;
}
details {
  border-bottom: 1px solid var(--hair);
}
summary {
  display: grid;
  grid-template-columns: 60px minmax(0, 340px) minmax(0, 1fr);
  gap: 12px;
  padding: 4px 0;
  cursor: pointer;
}
summary code {
  overflow-wrap: anywhere;
}
.told {
  padding: 2px 0 12px 72px;
}
.told p {
  margin: 0 0 4px;
}
.shapes {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
  gap: 20px;
}
code,
pre {
  font-family: var(--mono);
  font-size: 13px;
}
pre {
  margin: 4px 0;
  max-height: 340px;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.first pre {
  border-left: 2px solid var(--hair);
  padding-left: 14px;
  align-self: start;
}
</style>
