<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answer, type Sieve } from '@/shared/api'
import { plural } from '@/shared/format'
import { useLatest } from '@/shared/latest'
import type { Sheets } from '@/parts/shaping/fired'
import { useMoment, useServer } from '@/shared/moment'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const looksFrom = useMoment()

/** Where it would have fired on many at once: each with all its history, a stroke for every signal. */
const props = defineProps<{ sieve?: Sieve; chosen: string; count?: number }>()
defineEmits<{ choose: [code: string] }>()
type Sorting = 'most' | 'least' | 'listed'
const by = ref<Sorting>('most')
const first = ref(0)
const PAUSE = 300
const size = computed(() => props.count ?? 12)
const latest = useLatest<
  { sieve: Sieve; first: number; count: number; by: Sorting; from?: string },
  Sheets
>(PAUSE, ({ sieve, first, count, by }, signal) =>
  answer(server.POST('/api/preview/sheets', { body: { sieve, first, count, by }, signal })),
)
watch(
  [() => props.sieve, by, first, size, looksFrom],
  ([sieve]) => {
    if (!sieve) return latest.stop()
    const asked = { first: first.value, count: size.value, by: by.value, from: looksFrom.value }
    latest.later({ sieve, ...asked })
  },
  { immediate: true },
)
watch([by, () => props.sieve?.universe], () => (first.value = 0))
const found = latest.reply
const WIDTH = 200
const HEIGHT = 44
/** Closes as a line; of a flat one the middle. */
function line(closes: readonly number[]): string {
  const low = Math.min(...closes)
  const reach = Math.max(...closes) - low
  const points = closes.map((close, n) => {
    const x = (n * WIDTH) / Math.max(1, closes.length - 1)
    const y = reach ? 2 + (HEIGHT - 12) * (1 - (close - low) / reach) : HEIGHT / 2 - 4
    return `${x.toFixed(1)} ${y.toFixed(1)}`
  })
  return points.length ? `M${points.join('L')}` : ''
}
</script>

<template>
  <section class="sheets" aria-label="Where it would have fired on many" aria-live="polite">
    <p class="head">
      <slot />
      <template v-if="found">
        On {{ found.instruments - found.silent }} of {{ found.instruments }} it fired,
        {{ plural(found.total, 'time') }} in all<template v-if="found.held_when_first_known"
          >, not counted {{ found.held_when_first_known }} held when first known</template
        >;
      </template>
      shown
      <select v-model="by" class="inline-part" aria-label="Order of the sheets">
        <option value="most">those with the most</option>
        <option value="least">those with the fewest</option>
        <option value="listed">as they are listed</option>
      </select>
      <span class="steps">
        <button class="button plain" :disabled="!first" @click="first = Math.max(0, first - size)">
          earlier
        </button>
        <span v-if="found" class="quiet"
          >{{ Math.min(first + 1, found.instruments) }}–{{
            Math.min(first + size, found.instruments)
          }}</span
        >
        <button
          class="button plain"
          :disabled="!found || first + size >= found.instruments"
          @click="first += size"
        >
          further
        </button>
      </span>
    </p>
    <Reply :of="latest" what="No sheets" reading="looking back…"
      ><ul v-if="found">
        <li v-for="own in found.sheets" :key="own.code">
          <button
            :class="{ here: own.code === chosen }"
            :aria-pressed="own.code === chosen"
            @click="$emit('choose', own.code)"
          >
            <span class="told">
              <span class="mono">{{ own.code }}</span>
              <span class="quiet name">{{ own.name }}</span>
              <b>{{ own.fired.length }}</b>
            </span>
            <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" aria-hidden="true">
              <path :d="line(own.closes)" />
              <line
                v-for="({ at, side }, n) in own.fired"
                :key="n"
                :x1="at * WIDTH"
                :x2="at * WIDTH"
                :y1="side === 'long' ? HEIGHT - 9 : 0"
                :y2="side === 'long' ? HEIGHT : 9"
              />
            </svg>
          </button>
        </li>
      </ul>
    </Reply>
  </section>
</template>

<style scoped>
.head {
  margin: 0 0 4px;
}
.steps {
  white-space: nowrap;
}
ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  gap: 4px 16px;
  list-style: none;
  margin: 0;
  padding: 0;
}
li button {
  display: block;
  width: 100%;
  padding: 2px 4px;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
  cursor: pointer;
}
li button:hover,
li button.here {
  background: var(--accent-wash);
}
.told {
  display: flex;
  gap: 8px;
  font-size: 12px;
}
.told .mono {
  color: var(--accent);
}
.name {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
svg {
  display: block;
  width: 100%;
  height: 44px;
}
path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.1;
  vector-effect: non-scaling-stroke;
}
line {
  stroke: var(--accent);
  stroke-width: 1.6;
  vector-effect: non-scaling-stroke;
}
</style>
