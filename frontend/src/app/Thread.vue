<script setup lang="ts">
import { computed, watch, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { reviewAt } from '@/shared/addresses'
import { asOf } from '@/shared/asOf'
import { away } from '@/shared/away'
import { beginning, readBeginning } from '@/shared/beginning'
import { plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { readWhatIsMissing } from '@/shared/preferences'
import { useThread } from '@/shared/queries'
import { whenNotKept } from '@/shared/store'
import { night, toggleNight } from '@/shared/theme'
import { done, offer } from '@/shared/undo'
import { showKeys } from '@/shared/keyList'
import Moment from './Moment.vue'
import { showPalette } from './palette'
import UndoBar from './UndoBar.vue'

/** The stages of the day as one line with live counts: the navigation and the to-do list in one. */
const route = useRoute()
const router = useRouter()
const { data: counts, error } = useThread()
// What this desk begins with changes as instruments come and go.
watch(
  () => counts.value?.instruments,
  (now) => now !== undefined && now !== beginning.value.instruments && void readBeginning(),
)
watch(counts, readWhatIsMissing)
const trouble = computed(() => {
  const failure = away.value ?? error.value
  return failure ? `${failure.message}, trying again` : counts.value?.troubles[0]
})
whenNotKept(() => done('This browser keeps nothing of ours: what is not saved goes with the page.'))
const title = computed(() => String(route.meta.title ?? 'Zealous Sieve'))
watchEffect(() => (document.title = `${title.value} · Zealous Sieve`))

const stages = computed(() => {
  const c = counts.value
  const review = c?.latest_run ? reviewAt(c.latest_run) : '/runs'
  return [
    {
      stage: 'instruments',
      to: '/instruments',
      name: 'Instruments',
      count: c?.instruments,
      also: c?.flagged ? `${c.flagged} flagged` : '',
    },
    { stage: 'background', to: '/overview', name: 'Background', count: undefined, also: '' },
    {
      stage: 'sieves',
      to: '/sieves',
      name: 'Sieves',
      count: c?.sieves,
      also: asOf.value ? 'now' : '',
    },
    {
      stage: 'runs',
      to: '/runs',
      name: 'Runs',
      count: c?.runs,
      also: c?.running
        ? `${c.running} under way`
        : c?.new_hits
          ? plural(c.new_hits, 'new hit')
          : '',
    },
    {
      stage: 'review',
      to: review,
      name: 'Review',
      count: c?.waiting,
      also: c?.waiting ? 'waiting' : '',
    },
  ]
})
/** To the stage before or after the one that the page belongs to. */
function stage(by: number) {
  const at = stages.value.findIndex((entry) => entry.stage === route.meta.stage)
  const to = stages.value[Math.max(0, Math.min(stages.value.length - 1, at + by))]
  if (to) void router.push(to.to)
}
useKeys(
  [
    { key: '{', does: 'the stage before', run: () => stage(-1) },
    { key: '}', does: 'the next stage', run: () => stage(1) },
  ],
  undefined,
  'everywhere',
)
</script>

<template>
  <header class="thread">
    <h1 v-if="route.name !== 'review'" class="visually-hidden">{{ title }}</h1>
    <RouterLink to="/sieves" class="sign" aria-label="Zealous Sieve">
      <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden="true">
        <rect x="1" y="1" width="7" height="7" />
        <circle cx="13.5" cy="4.5" r="3.2" />
        <circle cx="4.5" cy="13.5" r="3.2" />
        <rect x="10" y="10" width="7" height="7" />
      </svg>
    </RouterLink>
    <nav aria-label="Stages">
      <template v-for="(entry, n) in stages" :key="entry.stage">
        <span v-if="n" class="link" aria-hidden="true"></span>
        <RouterLink
          :to="entry.to"
          class="stage"
          :class="{ here: route.meta.stage === entry.stage }"
          :aria-current="route.meta.stage === entry.stage ? 'page' : undefined"
        >
          {{ entry.name }} <b v-if="entry.count !== undefined">{{ entry.count }}</b>
          <span v-if="entry.also" class="also">{{ entry.also }}</span>
        </RouterLink>
      </template>
    </nav>
    <span class="right">
      <UndoBar />
      <span v-if="trouble" class="fall words" role="status" :title="trouble">{{ trouble }}</span>
      <!-- Its keys work whatever stands here, and a moment of the past is told beside any trouble. -->
      <Moment v-show="!offer && (asOf || !trouble)" />
      <button class="button plain" @click="showPalette = true">Find <kbd>g</kbd></button>
      <button class="button plain" :aria-pressed="night" @click="toggleNight()">
        {{ night ? 'Day' : 'Night' }}
      </button>
      <RouterLink class="button plain" to="/settings">Settings</RouterLink>
      <button class="button plain" aria-label="Keys" @click="showKeys = true"><kbd>?</kbd></button>
    </span>
  </header>
</template>

<style scoped>
.thread {
  display: flex;
  align-items: center;
  gap: 14px;
  height: 44px;
  padding: 0 20px;
  border-bottom: 1px solid var(--hair);
  white-space: nowrap;
}
.sign {
  display: grid;
  place-items: center;
  width: 24px;
  height: 24px;
}
.sign rect {
  fill: var(--accent);
}
.sign circle {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
}
nav {
  display: flex;
  align-items: center;
}
.stage {
  color: var(--ink);
  text-decoration: none;
  padding: 11px 2px 9px;
  border-bottom: 3px solid transparent;
}
.stage.here {
  border-bottom-color: var(--accent);
}
.stage:hover {
  color: var(--accent);
}
.also {
  color: var(--accent);
  margin-left: 4px;
}
.link {
  width: 26px;
  height: 1px;
  margin: 0 10px;
  background: var(--quiet);
  opacity: 0.5;
}
.right {
  margin-left: auto;
  min-width: 0;
  display: flex;
  align-items: center;
  gap: 6px;
}
.words {
  overflow: hidden;
  text-overflow: ellipsis;
}
@media (max-width: 1200px) {
  .thread {
    gap: 8px;
    padding: 0 10px;
  }
  .link {
    width: 6px;
    margin: 0 3px;
  }
  .also {
    display: none;
  }
}
@media (max-width: 900px) {
  .thread {
    height: auto;
    flex-wrap: wrap;
    padding: 4px 12px;
  }
  nav {
    flex-wrap: wrap;
  }
  .link {
    width: 10px;
    margin: 0 4px;
  }
}
</style>
