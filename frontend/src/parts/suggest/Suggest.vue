<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { answer, type Schemas } from '@/shared/api'
import { barTime } from '@/shared/format'
import { useLatest } from '@/shared/latest'
import { useSieves } from '@/shared/queries'
import { lastSieve, taken } from './target'
import { useServer } from '@/shared/moment'
import Reply from '@/shared/Reply.vue'

const server = useServer()

/**
 * Conditions that a value on a chart suggests: each holds at that bar. The one that is taken goes into a
 * sieve.
 */
export interface Pointed {
  code: string
  bars: string
  at: number
  since?: number
  /** How slower bars count on the chart. */
  forming?: boolean
  /** The moment of which the chart is, where that is another than the desk's. */
  asOf?: string
  text: string
  /** What the way began at, where that is of something else. */
  before?: string
  label: string
}
const props = defineProps<{
  pointed: Pointed
  /** Other values at that bar. */
  values: readonly { label: string; text: string }[]
  universe: string
  /** The sieve that it goes into is on the page. */
  here?: boolean
}>()
const emit = defineEmits<{
  take: [text: string]
  point: [text: string, label: string]
  close: []
}>()
const router = useRouter()
const sieves = useSieves()
const box = ref<HTMLElement>()
const latest = useLatest<Pointed, Schemas['SuggestedList']>(0, (asked, signal) =>
  answer(
    server.POST('/api/suggestions', {
      body: {
        code: asked.code,
        bars: asked.bars,
        at: asked.at,
        since: asked.since ?? null,
        text: asked.text,
        before: asked.before ?? '',
        forming: asked.forming ?? false,
        as_of: asked.asOf ?? null,
        universe: props.universe,
      },
      signal,
    }),
  ),
)
const found = computed(() =>
  latest.about.value === props.pointed ? latest.reply.value : undefined,
)
watch(
  () => props.pointed,
  (now) => latest.ask(now),
  { immediate: true },
)
const buttons = () => [...(box.value?.querySelectorAll<HTMLElement>('button, select') ?? [])]
watch(found, () => nextTick(() => box.value?.querySelector<HTMLElement>('.take')?.focus()))
onMounted(() => box.value?.focus())
const target = computed({
  get: () =>
    sieves.data.value?.some((s) => String(s.id) === lastSieve.value) ? lastSieve.value : 'new',
  set: (id: string) => (lastSieve.value = id),
})
function take(text: string) {
  emit('take', text)
  if (!props.here) void router.push(taken(target.value, text, props.pointed, props.universe))
}
function step(by: number) {
  const all = buttons()
  const at = all.indexOf(document.activeElement as HTMLElement)
  all[(at + by + all.length) % all.length]?.focus()
}
</script>

<template>
  <div
    ref="box"
    class="suggest"
    role="dialog"
    tabindex="-1"
    aria-label="Conditions that it suggests"
    @keydown.esc.stop.prevent="emit('close')"
    @keydown.down.stop.prevent="step(1)"
    @keydown.up.stop.prevent="step(-1)"
  >
    <p class="head">
      <b>{{ pointed.label }}</b>
      <span class="quiet">
        at {{ barTime(pointed.at)
        }}<template v-if="pointed.since">, from {{ barTime(pointed.since) }}</template
        ><template v-if="found"
          >,
          {{
            found.provisional
              ? 'as it stands: not closed yet'
              : pointed.forming
                ? 'slower bars as they formed'
                : 'slower bars once closed'
          }}</template
        ></span
      >
      <button class="button plain" aria-label="Close" @click="emit('close')">×</button>
    </p>
    <Reply
      :of="latest"
      what="Nothing suggested"
      reading="looking…"
      :empty="!found?.suggested.length"
    >
      <template #empty><p class="quiet">It has no value at this bar.</p></template>
      <ul v-if="found">
        <li v-for="own in found.suggested" :key="own.text">
          <button class="take" :title="own.sentence" @click="take(own.text)">
            <code>{{ own.text }}</code>
            <span class="quiet">{{ own.seen }}</span>
            <span class="count">{{ own.passes }} of {{ found.instruments }} now</span>
          </button>
        </li>
      </ul>
    </Reply>
    <p class="foot">
      <label v-if="!here"
        >goes into
        <select v-model="target" class="inline-part">
          <option value="new">a new sieve</option>
          <option v-for="own in sieves.data.value" :key="own.id" :value="String(own.id)">
            {{ own.sieve.name }}
          </option>
        </select></label
      >
      <span v-if="values.length > 1" class="others">
        <button
          v-for="own in values"
          :key="own.text"
          class="button plain"
          :aria-pressed="own.text === pointed.text"
          @click="emit('point', own.text, own.label)"
        >
          {{ own.label }}
        </button>
      </span>
    </p>
  </div>
</template>

<style scoped>
.suggest {
  position: absolute;
  z-index: 5;
  inset: 30px auto auto 12px;
  width: min(640px, calc(100% - 24px));
  max-height: calc(100% - 40px);
  overflow: auto;
  padding: 6px 10px;
  background: var(--paper);
  border: 1px solid var(--accent);
}
.head {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin: 0;
}
.head .button {
  margin-left: auto;
}
ul {
  list-style: none;
  margin: 2px 0;
  padding: 0;
}
.take {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 12px;
  width: 100%;
  padding: 3px 4px;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
  cursor: pointer;
}
.take:hover,
.take:focus {
  background: var(--accent-wash);
}
code {
  font-family: var(--mono);
  overflow-wrap: anywhere;
}
.count {
  grid-column: 2;
  grid-row: 1;
  white-space: nowrap;
}
.foot {
  margin: 4px 0 0;
}
.others {
  display: block;
}
.others .button {
  padding: 0 6px;
}
</style>
