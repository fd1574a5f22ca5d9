<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import Failed from '@/shared/Failed.vue'
import { beginning } from '@/shared/beginning'
import { answer, type Universe } from '@/shared/api'
import { barTime, day, plural, price, span, whole } from '@/shared/format'
import KeepUniverse from '@/shared/KeepUniverse.vue'
import { useKeys } from '@/shared/keys'
import Archived from '@/shared/Archived.vue'
import { useInstruments, useArchivedInstruments, useUniverses } from '@/shared/queries'
import { done, undoKey } from '@/shared/undo'
import ListOut, { type Columns } from '@/shared/ListOut.vue'
import DescribeForm from './DescribeForm.vue'
import Findings from './Findings.vue'
import PairDialog from './PairDialog.vue'
import SharedDoubts from './SharedDoubts.vue'
import UniverseForm from './UniverseForm.vue'
import Universes from './Universes.vue'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** Can I trust the data? */
const route = useRoute()
const router = useRouter()
const universes = useUniverses()
const chosen = computed(() => String(route.query.universe ?? beginning.value.universe))
const only = ref(false)
const filter = ref('')
const field = ref<HTMLInputElement>()
/** Where only those of one doubt are looked at. */
const among = ref<readonly string[]>()

const instruments = useInstruments(chosen)
const flagged = computed(() => instruments.data.value?.filter((i) => i.findings.length) ?? [])
const reach = computed(() => {
  const covered = instruments.data.value?.filter((i) => i.bars) ?? []
  return {
    first: Math.min(...covered.map((i) => i.first)),
    last: Math.max(...covered.map((i) => i.last)),
  }
})
const shown = computed(() => {
  const words = filter.value.trim().toLowerCase()
  const own = among.value && new Set(among.value)
  const all = only.value ? flagged.value : (instruments.data.value ?? [])
  const list = own ? all.filter((i) => own.has(i.code)) : all
  const fits = (i: { code: string; name: string; sector: string }) =>
    `${i.code} ${i.name} ${i.sector}`.toLowerCase().includes(words)
  return [...list].filter(fits).sort((a, b) => b.findings.length - a.findings.length)
})
const share = (moment: number) => {
  const width = reach.value.last - reach.value.first || 1
  return (100 * (moment - reach.value.first)) / width
}
type Instrument = NonNullable<typeof instruments.data.value>[number]
const FLAT = 'Bars whose four prices are equal: where they are many, such bars are too fast'
const MANY = 0.2
const bases = computed(() => {
  const all = instruments.data.value?.flatMap((i) => i.coverage.map((c) => c.seconds)) ?? []
  return [...new Set(all)].sort((a, b) => b - a)
})
const fastest = computed(() => bases.value.filter((b) => b).at(-1))
const held = (i: Instrument, base: number) => i.coverage.find((c) => c.seconds === base)
const flat = (i: Instrument) => (fastest.value && held(i, fastest.value)?.flat) ?? -1
function reachOf(i: Instrument, base: number) {
  const own = held(i, base)
  return own ? `${barTime(own.first)} to ${barTime(own.last)}` : 'none'
}
/** The list as it is seen. */
const columns = (): Columns => ({
  code: shown.value.map((i) => i.code),
  name: shown.value.map((i) => i.name),
  kind: shown.value.map((i) => i.kind),
  sector: shown.value.map((i) => i.sector),
  close: shown.value.map((i) => i.close),
  ...Object.fromEntries(
    bases.value.map((b) => [`bars_${span(b)}`, shown.value.map((i) => held(i, b)?.bars ?? 0)]),
  ),
  findings: shown.value.map((i) => i.findings.map((f) => `${f.kind}: ${f.detail}`).join('; ')),
})
const editing = ref<{ own?: Universe }>()
const edit = (own?: Universe) => (editing.value = { own })
const others = computed(() =>
  (universes.data.value ?? []).map((u) => u.name).filter((n) => n !== editing.value?.own?.name),
)
function kept(name: string) {
  done(`${name} is kept.`)
  editing.value = undefined
  refresh()
  choose(name)
}
const pairing = ref(false)
function refresh() {
  void readAnew(
    keys.instruments(),
    keys.doubts(),
    keys.archivedInstruments,
    keys.universes,
    keys.thread,
  )
}
function paired(code: string) {
  pairing.value = false
  refresh()
  choose('Pairs')
  done(`${code} is an instrument now; it stands in every universe whose rule it fits.`)
}
const { act, busy, failure } = useAct()
const restore = async (codes: string[]) => {
  await answer(server.POST('/api/archived/instruments/restore', { body: { codes } }))
  refresh()
}
const putAway = () =>
  act('Not archived', async () => {
    const codes = [...marked.value]
    await answer(server.POST('/api/archived/instruments', { body: { codes } }))
    marked.value = new Set()
    refresh()
    done(
      `${codes.length === 1 ? codes[0] : plural(codes.length, 'instrument')} archived, with all bars.`,
      () => restore(codes),
    )
  })
const away = useArchivedInstruments()
const gone = computed(() =>
  (away.data.value ?? []).map((i) => ({ id: i.code, name: i.code, note: i.name })),
)
/** Instruments that something is done with; where none is marked, it is said of all that are shown. */
const marked = ref(new Set<string>())
watch(chosen, () => {
  marked.value = new Set()
  among.value = undefined
})
const mark = (codes: readonly string[], on: boolean) => {
  const next = new Set(marked.value)
  for (const code of codes)
    if (on) next.add(code)
    else next.delete(code)
  marked.value = next
}
const allMarked = computed(
  () => shown.value.length > 0 && shown.value.every((i) => marked.value.has(i.code)),
)
const described = computed(() => {
  const own = (instruments.data.value ?? []).filter((i) => marked.value.has(i.code))
  return own.length ? own : shown.value
})
const describing = ref<Instrument[]>()
const describe = () => {
  if (described.value.length) describing.value = [...described.value]
}
useKeys([
  { key: 'd', does: 'describe the marked instruments, else all shown', run: describe },
  { key: '/', does: 'find', run: () => field.value?.focus() },
  { key: 'i', does: 'import files', run: () => router.push('/imports') },
  undoKey,
])
function choose(name: string) {
  router.replace({ query: { ...route.query, universe: name } })
}
</script>

<template>
  <main class="page table">
    <Universes :chosen="chosen" @choose="choose" @edit="edit" />
    <section>
      <UniverseForm
        v-if="editing"
        :key="editing.own?.id ?? 'new'"
        :own="editing.own"
        :others="others"
        @kept="kept"
        @close="editing = undefined"
      />
      <Reply :of="instruments" what="The instruments can't be shown">
        <p class="sentence">
          <b>{{ instruments.data.value?.length ?? '…' }}</b> instruments in <b>{{ chosen }}</b>,
          daily bars<template v-if="shown.length">
            from {{ day(reach.first) }} to {{ day(reach.last) }}</template
          >.
          <template v-if="flagged.length">
            The data check doubts
            <button class="inline-part" :aria-pressed="only" @click="only = !only">
              {{ flagged.length }} of them</button
            >.
          </template>
          <template v-else-if="instruments.data.value?.length"
            >The data check found nothing amiss.</template
          >
        </p>
        <SharedDoubts
          v-if="flagged.length > 1"
          :universe="chosen"
          @only="(codes) => (among = codes)"
        />
        <div class="bar">
          <input
            ref="field"
            v-model="filter"
            class="field"
            placeholder="Find by code, name or sector  /"
            aria-label="Find"
          />
          <label><input v-model="only" type="checkbox" /> flagged only</label>
          <button v-if="among" class="button plain" @click="among = undefined">
            only {{ among.length }} of one doubt ✕
          </button>
          <RouterLink class="button" to="/imports">Import files <kbd>i</kbd></RouterLink>
          <button class="button" @click="pairing = true">Define a pair</button>
          <button class="button" :disabled="!described.length" @click="describe">
            Describe {{ marked.size ? `the ${marked.size} marked` : 'them' }} <kbd>d</kbd>
          </button>
          <button v-if="marked.size" class="button" :disabled="busy" @click="putAway">
            Archive {{ marked.size }}
          </button>
          <KeepUniverse
            :codes="[...marked]"
            :shown="shown.map((i) => i.code)"
            @mark="(codes) => (marked = new Set(codes))"
            @none="edit()"
            @kept="(name) => (refresh(), choose(name))"
          />
          <ListOut :name="chosen" :columns="columns" />
        </div>
        <DescribeForm
          v-if="describing"
          :key="describing.map((i) => i.code).join(' ')"
          :own="describing"
          @kept="describing = undefined"
          @close="describing = undefined"
        />
        <PairDialog
          v-if="pairing"
          :instruments="instruments.data.value ?? []"
          @close="pairing = false"
          @made="paired"
        />
        <p v-if="instruments.data.value && !shown.length" class="empty">
          {{
            filter || only || among
              ? 'No instrument fits. Clear the field or the mark above.'
              : 'There are no instruments yet.'
          }}
          <RouterLink v-if="!filter && !only && !among" to="/imports"
            >Import files of bars</RouterLink
          >
        </p>
        <table v-else class="ledger">
          <thead>
            <tr>
              <th class="mark">
                <input
                  type="checkbox"
                  aria-label="Mark all shown"
                  :checked="allMarked"
                  @change="
                    mark(
                      shown.map((i) => i.code),
                      !allMarked,
                    )
                  "
                />
              </th>
              <th>Code</th>
              <th>Name</th>
              <th class="spare">Sector</th>
              <th class="number">Close</th>
              <th v-for="b in bases" :key="b" class="number">{{ b ? span(b) : 'Trades' }}</th>
              <th v-if="fastest" class="number" :title="FLAT">Flat {{ span(fastest) }}</th>
              <th class="spare">Days covered</th>
              <th>What the data check found</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="i in shown" :key="i.code" :class="{ chosen: marked.has(i.code) }">
              <td class="mark">
                <input
                  type="checkbox"
                  :aria-label="`Mark ${i.code}`"
                  :checked="marked.has(i.code)"
                  @change="mark([i.code], !marked.has(i.code))"
                />
              </td>
              <td class="mono">
                <RouterLink :to="{ path: instrumentAt(i.code), query: { universe: chosen } }">{{
                  i.code
                }}</RouterLink>
              </td>
              <td class="name">{{ i.name }}</td>
              <td class="quiet spare">{{ i.sector || i.kind }}</td>
              <td class="number">{{ i.close === null ? '–' : price(i.close, i.tick) }}</td>
              <td v-for="b in bases" :key="b" class="number" :title="reachOf(i, b)">
                {{ held(i, b) ? whole(held(i, b)!.bars) : '–' }}
              </td>
              <td v-if="fastest" class="number" :class="{ fall: flat(i) > MANY }" :title="FLAT">
                {{ flat(i) < 0 ? '–' : `${Math.round(100 * flat(i))} %` }}
              </td>
              <td class="spare">
                <svg
                  width="80"
                  height="10"
                  role="img"
                  :aria-label="`${day(i.first)} to ${day(i.last)}`"
                >
                  <rect class="all" width="80" height="4" y="3" />
                  <rect
                    :x="share(i.first) * 0.8"
                    :width="(share(i.last) - share(i.first)) * 0.8"
                    height="4"
                    y="3"
                  />
                  <rect
                    v-for="f in i.findings"
                    :key="`${f.kind}${f.first}`"
                    class="fault"
                    :x="Math.min(77, share(f.first) * 0.8)"
                    :width="Math.max(3, (share(f.last) - share(f.first)) * 0.8)"
                    height="10"
                  />
                </svg>
              </td>
              <td>
                <Findings :code="i.code" :universe="chosen" :findings="i.findings" />
              </td>
            </tr>
          </tbody>
        </table>
        <Failed :failure="failure" />
        <Archived
          :entries="gone"
          @back="(code) => act('Not brought back', () => restore([String(code)]))"
        />
      </Reply>
    </section>
  </main>
</template>

<style scoped>
.table {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 24px;
}
@media (max-width: 900px) {
  .table {
    grid-template-columns: minmax(0, 1fr);
  }
}
.mark {
  width: 26px;
  padding-right: 0;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  margin-bottom: 6px;
}
.bar > * {
  flex: none;
}
.bar .field {
  width: 190px;
}
.bar label {
  white-space: nowrap;
}
.name {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
}
@media (max-width: 1200px) {
  .spare {
    display: none;
  }
  .name {
    max-width: 130px;
  }
}
svg rect {
  fill: var(--quiet);
}
svg rect.all {
  fill: var(--hair);
}
svg rect.fault {
  fill: var(--fall);
}
</style>
