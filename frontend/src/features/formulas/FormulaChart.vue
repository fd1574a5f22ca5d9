<script setup lang="ts">
import { useKept } from '@/shared/store'
import { computed, ref, watch } from 'vue'
import ChartView from '@/parts/chart/ChartView.vue'
import LineNumbers from '@/parts/chart/LineNumbers.vue'
import { dressOf } from '@/parts/chart/dress'
import { PLAIN, type Layout } from '@/parts/chart/layout'
import { useLook } from '@/parts/chart/look'
import { useInstruments } from '@/shared/queries'
import Reply from '@/shared/Reply.vue'

/** A formula as it is being written, drawn on an instrument; its inputs are turned and it follows at once. */
const props = defineProps<{
  text: string
  ok: boolean
  universe: string
  offered: readonly string[]
}>()
const emit = defineEmits<{ turn: [text: string] }>()
const code = useKept<string>('instrument of the formulas', '')
const bars = useKept<string>('bars of the formulas', '1d')
const instruments = useInstruments(() => props.universe)
const members = computed(() => instruments.data.value ?? [])
watch(
  members,
  (all) => {
    if (all.length && !all.some((own) => own.code === code.value)) code.value = all[0]!.code
  },
  { immediate: true },
)
/** The last text that made sense: what is half typed blanks nothing. */
const drawn = ref('')
watch(
  [() => props.text, () => props.ok],
  ([text, ok]) => {
    if (ok) drawn.value = text
  },
  { immediate: true },
)
const layout = ref<Layout>(PLAIN)
const source = useLook(() => ({
  code: code.value,
  bars: bars.value,
  dress: { ...dressOf(layout.value), lines: drawn.value.trim() ? [drawn.value] : [] },
}))
const chart = source.data
const controls = computed(() =>
  chart.value?.asked[0]?.text === props.text ? chart.value.asked[0].controls : undefined,
)
const refused = computed(() => chart.value?.refused[0]?.problems[0]?.message)
</script>

<template>
  <section class="preview" aria-label="The formula on a chart">
    <p class="line">
      on
      <input
        v-model.lazy.trim="code"
        class="inline-part mono"
        list="formula-codes"
        aria-label="Instrument"
        maxlength="60"
      />
      <datalist id="formula-codes">
        <option v-for="own in members" :key="own.code" :value="own.code">{{ own.name }}</option>
      </datalist>
      bars of
      <input
        v-model.lazy.trim="bars"
        class="inline-part mono bars"
        list="formula-bars"
        aria-label="Bars"
        maxlength="40"
      />
      <datalist id="formula-bars">
        <option v-for="own in offered" :key="own" :value="own"></option>
      </datalist>
      <LineNumbers :text="text" :controls="controls" @redraw="(_, after) => emit('turn', after)" />
    </p>
    <p v-if="refused" class="fall">{{ refused }}</p>
    <div class="chart">
      <Reply v-if="!code" :of="instruments" what="The instruments can't be read"
        ><p v-if="!members.length" class="quiet">
          There is no instrument yet to draw it on.
        </p></Reply
      >
      <ChartView
        v-else
        :of="source"
        :subject="`${code} ${bars}`"
        :layout="layout"
        :bars="bars"
        :universe="universe"
        alone
        @layout="(part) => (layout = { ...layout, ...part })"
      >
        <template #empty
          ><p class="empty">There are no such bars of {{ code }}.</p></template
        >
      </ChartView>
    </div>
  </section>
</template>

<style scoped>
.preview {
  min-width: 0;
  overflow: hidden;
  display: flex;
  flex-direction: column;
  min-height: 300px;
  height: 400px;
  margin-top: 10px;
}
.chart {
  flex: 1;
  display: flex;
  min-height: 0;
}
.line {
  margin: 0 0 4px;
}
.line > input {
  width: 12ch;
}
.line > .bars {
  width: 8ch;
}
</style>
