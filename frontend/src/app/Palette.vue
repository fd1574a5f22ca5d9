<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { activeKeys, useKeys } from '@/shared/keys'
import { showPalette, useEntries, type Entry } from './palette'

/** One box for all there is: instruments, universes, sieves, formulas, runs, pages, actions. */
const route = useRoute()
const router = useRouter()
const words = ref('')
const chosen = ref(0)
const field = ref<HTMLInputElement>()
const box = ref<HTMLDialogElement>()
const list = ref<HTMLElement>()
const NOT_HERE = ['?', 'g', 'ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight']
const { entries, error, asked } = useEntries(
  words,
  () => activeKeys.filter((key) => !key.told && !NOT_HERE.includes(key.key)),
  () => (route.name === 'instrument' ? route.query : undefined),
)
watch(entries, () => (chosen.value = 0))
watch(showPalette, async (shown) => {
  if (!shown) return box.value?.close()
  words.value = ''
  await nextTick()
  box.value?.showModal()
  field.value?.focus()
})
function move(by: number) {
  const count = entries.value.length
  if (!count) return
  chosen.value = (chosen.value + by + count) % count
  nextTick(() => list.value?.children[chosen.value]?.scrollIntoView({ block: 'nearest' }))
}
/** A code that was typed quicker than it was found is waited for. */
async function take(entry: Entry | undefined = entries.value[chosen.value]) {
  if (words.value.trim() && asked.value !== words.value && !error.value)
    return void (hurried.value = true)
  if (!entry) return
  showPalette.value = false
  if (entry.to) await router.push(entry.to)
  else entry.run?.()
}
const hurried = ref(false)
watch([asked, error], () => {
  if (!hurried.value) return
  hurried.value = false
  void nextTick(() => take())
})
watch(words, () => (hurried.value = false))
const spoken = computed(() => `palette-${chosen.value}`)
useKeys([
  {
    key: 'g',
    does: 'go to or do anything',
    run: () => (showPalette.value = true),
    about: 'everywhere',
  },
])
</script>

<template>
  <dialog ref="box" class="palette" aria-label="Find anything" @close="showPalette = false">
    <template v-if="showPalette">
      <input
        ref="field"
        v-model="words"
        class="field"
        role="combobox"
        aria-expanded="true"
        aria-controls="palette-list"
        :aria-activedescendant="entries.length ? spoken : undefined"
        aria-label="Find an instrument, universe, sieve, formula, run, page or action"
        placeholder="a code, a name, a page, or what is to be done"
        autocomplete="off"
        @keydown.down.prevent="move(1)"
        @keydown.up.prevent="move(-1)"
        @keydown.enter.prevent="take()"
      />
      <ul id="palette-list" ref="list" role="listbox" aria-label="Found">
        <li
          v-for="(entry, n) in entries"
          :id="`palette-${n}`"
          :key="`${entry.kind}${entry.name}${n}`"
          role="option"
          :aria-selected="n === chosen"
          :class="{ here: n === chosen }"
          @mousemove="chosen = n"
          @click="take(entry)"
        >
          <span class="kind quiet">{{ entry.kind }}</span>
          <span class="name">{{ entry.name }}</span>
          <span class="note quiet">{{ entry.note }}</span>
        </li>
      </ul>
      <p v-if="error" class="fall" role="alert">The server does not answer just now.</p>
      <p v-else-if="!entries.length" class="quiet">
        {{ asked === words ? 'Nothing fits.' : 'looking…' }}
      </p>
    </template>
  </dialog>
</template>

<style scoped>
.palette {
  width: min(620px, 92vw);
  margin: 12vh auto auto;
  padding: 12px;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--accent);
}
.palette::backdrop {
  background: rgb(0 0 0 / 25%);
}
.field {
  width: 100%;
  box-sizing: border-box;
  font-size: 16px;
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 50vh;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 96px minmax(0, auto) minmax(0, 1fr);
  gap: 10px;
  padding: 4px 6px;
  cursor: pointer;
}
li.here {
  background: var(--accent-wash);
}
.name,
.note {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.kind {
  font-size: 12px;
}
</style>
