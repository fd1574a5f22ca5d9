<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { moment } from '@/shared/format'
import InlineText from '@/shared/InlineText.vue'
import { useKeys } from '@/shared/keys'
import {
  keepPreferences,
  preferences,
  readPreferences,
  type Preferences,
} from '@/shared/preferences'
import { useThread, useUniverses } from '@/shared/queries'
import { OCTETS, send } from '@/shared/send'
import { done, undoKey } from '@/shared/undo'
import { useWork } from '@/shared/work'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew, useRead } from '@/shared/read'

const server = useServer()
const readAnew = useReadAnew()

/** How do I look at it, and is what I made safe? */
const router = useRouter()
const universes = useUniverses()
const thread = useThread()
const zones = Intl.supportedValuesOf('timeZone')
const { act, busy, failure } = useAct()
const change = (part: Partial<Preferences>) => {
  const before = preferences.value
  return act('Not kept', async () => {
    await keepPreferences({ ...before, ...part })
    done('Kept.', () => keepPreferences(before))
  })
}
const value = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
const PAGES = { '/instruments': 'Instruments', '/sieves': 'Sieves', '/runs': 'Runs' } as const
const now = computed(() => thread.data.value?.now)

const onItsWay = (state?: string) => state === 'going' || state === 'coming'
const demo = useRead(() => ({
  of: keys.demo,
  read: (server) => answer(server.GET('/api/demo')),
}))
useWork(
  () => (onItsWay(demo.data.value) ? ['demo-0'] : []),
  () => demo.refetch(),
)
watch(demo.data, (now, before) => {
  if (onItsWay(before) && !onItsWay(now)) void readAnew()
})
const asking = ref(false)
const turn = (here: boolean) =>
  act(here ? 'Not brought back' : 'Not taken away', async () => {
    asking.value = false
    await answer(server.PUT('/api/demo', { body: { here } }))
    await demo.refetch()
  })

const chosen = ref<File>()
const picker = ref<HTMLInputElement>()
function pick(event: Event) {
  chosen.value = (event.target as HTMLInputElement).files?.[0]
}
function putAway() {
  chosen.value = undefined
  if (picker.value) picker.value.value = ''
}
const restore = () =>
  act('Not restored', async () => {
    if (!chosen.value) return
    const reply = await send('/api/backup?replace=true', OCTETS, chosen.value)
    const told = (await reply.json()) as Record<string, number>
    const counts = Object.entries(told).filter(([, n]) => n)
    putAway()
    await readPreferences()
    await readAnew()
    done(`Restored: ${counts.map(([name, n]) => `${n} ${name.replaceAll('_', ' ')}`).join(', ')}.`)
  })
useKeys([undoKey, { key: 'Escape', does: 'back', run: () => router.back() }])
</script>

<template>
  <main class="page settings">
    <p class="sentence">
      Times within a day are told by the clock of
      <InlineText
        aria-label="Time zone"
        list="zones-of-clocks"
        :value="preferences.zone"
        @take="(zone) => change({ zone })"
      />
      <datalist id="zones-of-clocks">
        <option value="UTC" />
        <option v-for="z in zones" :key="z" :value="z" />
      </datalist>
      of
      <select
        class="inline-part"
        aria-label="Clock"
        :value="preferences.clock"
        @change="change({ clock: value($event) as Preferences['clock'] })"
      >
        <option>24 hours</option>
        <option>12 hours</option></select
      ><span v-if="now" class="quiet"> (the desk looks from {{ moment(now) }})</span>; figures that
      are no prices have
      <select
        class="inline-part"
        aria-label="Digits"
        :value="preferences.digits ?? ''"
        @change="change({ digits: value($event) === '' ? null : Number(value($event)) })"
      >
        <option value="">as many digits as they need</option>
        <option v-for="n in [0, 1, 2, 3, 4, 5, 6]" :key="n" :value="n">
          {{ n }} behind the point
        </option></select
      >.
    </p>
    <p class="sentence">
      The application opens on
      <select
        class="inline-part"
        aria-label="First page"
        :value="preferences.first_page"
        @change="change({ first_page: value($event) as Preferences['first_page'] })"
      >
        <option v-for="(name, path) in PAGES" :key="path" :value="path">{{ name }}</option></select
      >, and pages look first in
      <select
        class="inline-part"
        aria-label="Default universe"
        :value="preferences.universe"
        @change="change({ universe: value($event) })"
      >
        <option v-for="u in universes.data.value" :key="u.name">{{ u.name }}</option></select
      >.
    </p>
    <Failed :failure="failure" />
    <h2>What was made here</h2>
    <p>
      Sieves, formulas, universes, pairs, corrections, runs with their hits and verdicts, and these
      settings fit into one file. Bars, facts and events are not in it: they come from your files.
    </p>
    <p class="acts">
      <a class="button primary" href="/api/backup" download>Keep a backup</a>
      <label class="button">
        Restore one …
        <input
          ref="picker"
          type="file"
          accept=".zip"
          class="visually-hidden"
          aria-label="Backup to restore"
          @change="pick"
        />
      </label>
    </p>
    <h2>From a script</h2>
    <p>
      All that the pages do can be asked for by scripts and notebooks:
      <RouterLink to="/scripts">what there is, and what one needs first</RouterLink>.
    </p>
    <h2>The demo</h2>
    <p v-if="demo.data.value === 'going'" role="status">It is being taken away …</p>
    <p v-else-if="demo.data.value === 'coming'" role="status">
      It is being made and written; that takes about a minute. You can go on meanwhile.
    </p>
    <p v-else-if="demo.data.value === 'away'">
      The Lantern Coast is not here: the desk holds what you imported.
      <button class="button" :disabled="busy" @click="turn(true)">Bring it back</button>
    </p>
    <p v-else-if="demo.data.value === 'here'">
      The desk shows the Lantern Coast, which is made up, beside what you imported.
      <button class="button" :disabled="busy" @click="asking = true">Take it away</button>
    </p>
    <p v-if="asking" class="confirm" role="alertdialog" aria-label="Take the demo away">
      Its instruments, bars, events and universes go, and of its sieves and formulas those that you
      did not change. What you imported and made stays. It can be brought back.
      <button class="button primary" :disabled="busy" @click="turn(false)">Take it away</button>
      <button class="button" @click="asking = false">Cancel</button>
    </p>
    <p v-if="chosen" class="confirm" role="alertdialog" aria-label="Restore">
      Replace everything that was made here by what is in <b>{{ chosen.name }}</b>? Keep a backup
      first, if some of it may be missed.
      <button class="button primary" :disabled="busy" @click="restore">Replace it</button>
      <button class="button" @click="putAway">Cancel</button>
    </p>
  </main>
</template>

<style scoped>
.settings {
  max-width: 860px;
}
h2 {
  font-size: 15px;
  font-weight: 500;
  margin: 28px 0 4px;
}
.acts {
  display: flex;
  gap: 12px;
}
.confirm {
  border: 1px solid var(--accent);
  padding: 10px 14px;
}
.confirm .button {
  margin-left: 8px;
}
</style>
