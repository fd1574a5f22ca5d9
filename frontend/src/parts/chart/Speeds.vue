<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { answer, type Control, type Schemas } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { plural, signed } from '@/shared/format'
import { useLatest } from '@/shared/latest'
import { useServer } from '@/shared/moment'

const server = useServer()

/** Several speeds of one formula through the stretch that is measured: which holds, how often each turns. */
const props = defineProps<{
  code: string
  bars: string
  /** Within which instruments are compared. */
  universe?: string
  /** How slower bars count on the chart. */
  forming: boolean
  text: string
  controls: readonly Control[]
  stretch?: { since: number; until: number }
}>()
const emit = defineEmits<{ take: [text: string]; draw: [text: string] }>()
const chosen = ref(0)
const own = computed(() => props.controls[Math.min(chosen.value, props.controls.length - 1)])
const FACTORS = [0.5, 0.7, 0.85, 1, 1.2, 1.45, 1.75]
/** Values around the one there is, none twice, each one that may be written. */
const values = computed(() => {
  const control = own.value
  if (!control) return []
  const near = FACTORS.map((factor) => {
    const value = control.value * factor
    return control.whole ? Math.round(value) : Number(value.toPrecision(3))
  })
  return [...new Set(near)].filter((value) => value >= control.least && value <= control.most)
})
const PAUSE = 200
const latest = useLatest<Schemas['SpeedsBody'] & { code: string }, Schemas['Speeds']>(
  PAUSE,
  ({ code, ...body }, signal) =>
    answer(
      server.POST('/api/instruments/{code}/speeds', { params: { path: { code } }, body, signal }),
    ),
)
watch(
  [
    () => props.text,
    () => props.stretch,
    () => props.code,
    () => props.bars,
    () => props.forming,
    values,
  ],
  () => {
    if (!props.stretch || !values.value.length) return latest.stop()
    const { code, bars, text, stretch, forming, universe = '' } = props
    const control = Math.min(chosen.value, props.controls.length - 1)
    latest.later({ code, bars, text, control, values: values.value, universe, forming, ...stretch })
  },
  { immediate: true },
)
const found = latest.reply
const fewest = computed(() =>
  Math.min(...(found.value?.speeds ?? []).map((s) => s.held?.reversals ?? Infinity)),
)
</script>

<template>
  <div class="speeds">
    <p v-if="controls.length > 1">
      <span class="quiet">of</span>
      <select v-model="chosen" class="inline-part" aria-label="Which number is varied">
        <option v-for="(control, n) in controls" :key="n" :value="n">
          {{ control.name }} of {{ control.function }}
        </option>
      </select>
    </p>
    <p v-if="!stretch" class="quiet">
      Measure a stretch on the chart: a click at its first bar, a click at its last.
    </p>
    <ErrorNote
      v-else-if="latest.error.value"
      :error="latest.error.value"
      what="Not compared"
      :again="latest.again"
    />
    <template v-else-if="found">
      <p class="quiet">{{ plural(found.bars, 'bar') }}, {{ signed(found.moved, 1) }} %</p>
      <table class="ledger">
        <thead>
          <tr>
            <th class="number">{{ found.varied.name }}</th>
            <th class="number" title="How often it changed its side in the stretch">
              changes of side
            </th>
            <th class="number" title="Bars on which it stood against the way the stretch went">
              bars against the move
            </th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="speed in found.speeds"
            :key="speed.value"
            :class="{ best: speed.held?.reversals === fewest }"
          >
            <td class="number">{{ speed.value }}</td>
            <td class="number">{{ speed.held?.reversals ?? '–' }}</td>
            <td class="number">{{ speed.held?.against ?? '–' }}</td>
            <td>
              <button class="button plain" @click="emit('take', speed.text)">take</button>
              <button class="button plain" @click="emit('draw', speed.text)">draw too</button>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
    <p v-else class="quiet">comparing…</p>
  </div>
</template>

<style scoped>
p {
  margin: 2px 0;
}
.best td {
  font-weight: 600;
}
td {
  padding: 0 4px;
}
.button {
  padding: 0 4px;
}
</style>
