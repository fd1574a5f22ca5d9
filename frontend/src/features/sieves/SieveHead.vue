<script setup lang="ts">
import type { StoredSieve } from '@/shared/api'
import Differences from '@/shared/Differences.vue'
import Failed from '@/shared/Failed.vue'
import { clock } from '@/shared/format'

/** The name of a sieve, what is saved of it, and what was left unsaved. */
const name = defineModel<string>({ required: true })
const props = defineProps<{
  stored?: StoredSieve
  changed: boolean
  busy: boolean
  /** Whether its versions are on the page. */
  versions: boolean
  runs: boolean
  /** Why it can't be run. */
  why?: string
  failure?: InstanceType<typeof Failed>['$props']['failure']
  found?: { at: number; basedOn: number }
  /** Both as text, where another was saved meanwhile. */
  theirs?: string
  mine?: string
}>()
defineEmits<{ versions: []; save: []; run: []; saveAsNew: []; takeSaved: []; forget: [] }>()
const conflict = () => props.failure?.error.code === 'changed_meanwhile'
</script>

<template>
  <div>
    <div class="head">
      <input v-model="name" class="title" aria-label="Name of the sieve" maxlength="120" />
      <span class="quiet state">
        <button
          v-if="stored"
          class="button plain"
          :aria-expanded="versions"
          title="What each version changed, which runs used it, and back to any of them  (e)"
          @click="$emit('versions')"
        >
          version {{ stored.version }}</button
        ><template v-if="stored">{{ changed ? ', changed' : '' }}</template
        ><template v-else>not saved yet</template>
      </span>
      <button class="button" :disabled="!changed || busy" @click="$emit('save')">
        Save <kbd>Ctrl S</kbd>
      </button>
      <span v-if="!runs && why" class="fall why" :title="why">{{ why }}</span>
      <button
        class="button primary"
        :disabled="!runs || busy"
        :title="runs ? undefined : why"
        @click="$emit('run')"
      >
        Run <kbd>Ctrl ⏎</kbd>
      </button>
    </div>
    <Failed :failure="failure" />
    <Differences
      v-if="conflict() && theirs && mine"
      :before="theirs"
      :after="mine"
      :names="['saved meanwhile', 'yours']"
    />
    <p v-if="conflict()" class="choose">
      <button class="button" @click="$emit('saveAsNew')">Save mine as a sieve of its own</button>
      <button class="button" @click="$emit('takeSaved')">Take the saved one</button>
    </p>
    <p v-if="found" class="found" role="status">
      Your unsaved draft of {{ clock(found.at) }} is on the page<template
        v-if="stored && found.basedOn !== stored.version"
        >; it was made from version {{ found.basedOn }}, and version {{ stored.version }} has been
        saved since</template
      >.
      <button class="button plain" @click="$emit('forget')">Discard it</button>
    </p>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
.title {
  flex: 1;
  font: 600 20px var(--sans);
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px solid transparent;
  padding: 2px 0;
  min-width: 0;
}
.title:hover,
.title:focus {
  border-bottom-color: var(--accent);
}
.state {
  white-space: nowrap;
}
.why {
  min-width: 0;
  max-width: 40%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.found,
.choose {
  margin: 4px 0;
  color: var(--warn);
}
</style>
