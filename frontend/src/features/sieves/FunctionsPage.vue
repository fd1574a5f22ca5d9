<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useVocabulary } from '@/shared/queries'
import { pictureOf } from '@/parts/editor/picture'
import Reply from '@/shared/Reply.vue'

const vocabulary = useVocabulary()
const { data } = vocabulary
const route = useRoute()
const filter = ref(String(route.query.find ?? ''))
watch(
  () => route.query.find,
  (found) => found !== undefined && (filter.value = String(found)),
)
/** Words of the language and signs between numbers, as entries like those of functions. */
const words = computed(() => {
  const wanted = filter.value.trim().toLowerCase()
  const all = [...(data.value?.phrases ?? []), ...(data.value?.relations ?? [])]
  return all.filter((own) =>
    `${own.pattern} ${own.example} ${own.meaning}`.toLowerCase().includes(wanted),
  )
})
/** The picture is drawn when it is first looked at. */
async function show(event: Event, name: string) {
  const box = event.target as HTMLDetailsElement
  if (!box.open || box.querySelector('.picture')) return
  const picture = await pictureOf(name)
  if (picture && !box.querySelector('.picture')) box.append(picture)
}
const groups = computed(() => {
  const words = filter.value.trim().toLowerCase()
  const found = new Map<string, NonNullable<typeof data.value>['functions']>()
  for (const entry of data.value?.functions ?? []) {
    const text = `${entry.name} ${entry.label} ${entry.group} ${entry.meaning}`.toLowerCase()
    if (text.includes(words)) found.set(entry.group, [...(found.get(entry.group) ?? []), entry])
  }
  return [...found]
})
</script>

<template>
  <main class="page">
    <Reply :of="vocabulary" what="The functions can't be shown" reading="Reading the functions …"
      ><p class="sentence">
        {{ data?.functions.length ?? '…' }} functions, and the sources
        <code v-for="source in data?.sources" :key="source" class="source">{{ source }}</code>
      </p>
      <input
        v-model="filter"
        class="field"
        placeholder="Find a function"
        aria-label="Find a function"
      />
      <p v-if="data && !groups.length && !words.length" class="empty">
        No function fits “{{ filter }}”.
      </p>
      <section v-for="[group, entries] in groups" :key="group">
        <h2>{{ group }}</h2>
        <article v-for="entry in entries" :id="entry.name" :key="entry.name">
          <div>
            <code>{{ entry.signature }}</code>
            <div v-if="entry.outputs.length > 1" class="quiet">
              <span v-for="output in entry.outputs" :key="output" class="mono output"
                >.{{ output }}</span
              >
            </div>
          </div>
          <div>
            <p>{{ entry.meaning }}</p>
            <p><b>Read:</b> {{ entry.reading }}</p>
            <p><b>Beware:</b> {{ entry.pitfalls }}</p>
            <details @toggle="show($event, entry.name)">
              <summary class="quiet">Picture, formula and source</summary>
              <pre>{{ entry.formula }}</pre>
              <p class="quiet">{{ entry.source }}</p>
            </details>
          </div>
        </article>
      </section>
      <section v-if="words.length">
        <h2>Words and signs</h2>
        <article v-for="own in words" :key="own.pattern">
          <div>
            <code>{{ own.pattern }}</code>
          </div>
          <div>
            <p>{{ own.meaning }}</p>
            <p><b>Read:</b> {{ own.reading }}</p>
            <p><b>Beware:</b> {{ own.pitfalls }}</p>
            <details @toggle="show($event, own.pattern)">
              <summary class="quiet">Picture and example</summary>
              <pre>{{ own.example }}</pre>
            </details>
          </div>
        </article>
      </section></Reply
    >
  </main>
</template>

<style scoped>
h2 {
  font-size: 15px;
  border-bottom: 1px solid var(--ink);
  margin: 20px 0 0;
}
article {
  display: grid;
  grid-template-columns: 300px minmax(0, 70ch);
  gap: 20px;
  padding: 8px 0;
  border-bottom: 1px solid var(--hair);
}
p {
  margin: 0 0 2px;
}
.output {
  display: inline-block;
  margin-right: 8px;
}
.source {
  margin-right: 10px;
  font-size: 14px;
}
.field {
  width: 260px;
}
code,
pre {
  font-family: var(--mono);
  margin: 4px 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
