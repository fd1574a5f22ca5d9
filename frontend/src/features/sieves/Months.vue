<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { MONTHS } from '@/parts/chart/timeAxis'
import { plural } from '@/shared/format'
import { useKeys } from '@/shared/keys'

/** How often a sieve fired by month, those without a signal too; a press goes to the first of a month. */
const props = defineProps<{
  months: readonly { month: string; count: number }[]
  /** The moments of all signals, and the one that is looked at, in seconds since 1970. */
  times: readonly number[]
  looked?: number
}>()
const emit = defineEmits<{ go: [time: number] }>()
const host = ref<HTMLElement>()
const { width } = useElementSize(host)
const named = (month: string) => `${MONTHS[Number(month.slice(5)) - 1]} ${month.slice(0, 4)}`
/** Every month from the first with a signal to the last. */
const all = computed(() => {
  const known = new Map(props.months.map((own) => [own.month, own.count]))
  const [first, last] = [[...known.keys()][0], [...known.keys()].at(-1)]
  const found: { month: string; count: number }[] = []
  if (!first || !last) return found
  for (let at = first; at <= last && found.length < 600;) {
    found.push({ month: at, count: known.get(at) ?? 0 })
    const [year, month] = at.split('-').map(Number) as [number, number]
    at = month === 12 ? `${year + 1}-01` : `${year}-${String(month + 1).padStart(2, '0')}`
  }
  return found
})
const most = computed(() => Math.max(1, ...all.value.map((own) => own.count)))
const step = computed(() => Math.min(24, width.value / Math.max(1, all.value.length)))
/** Years where they begin; within one or two, months. Each has room to be read. */
const labels = computed(() => {
  const few = all.value.length < 18
  let free = -Infinity
  return all.value.flatMap(({ month }, n) => {
    const begins = n === 0 || month.endsWith('-01')
    const at = n * step.value
    if (!(few || begins) || at < free) return []
    const text = n === 0 ? named(month) : begins ? month.slice(0, 4) : named(month).slice(0, 3)
    const room = n === 0 ? 58 : 32
    if (at + room > width.value) return []
    free = at + room
    return [{ at, text }]
  })
})
const monthOf = (time: number) => new Date(time * 1000).toISOString().slice(0, 7)
const here = computed(() => (props.looked === undefined ? '' : monthOf(props.looked)))
function go(month: string | undefined) {
  const time = props.times.find((own) => monthOf(own) === month)
  if (time !== undefined) emit('go', time)
}
/** The month with a signal before the one that is looked at, or the last; the one after it. */
function turn(by: number) {
  const some = props.months.map((own) => own.month)
  if (by > 0) go(some.find((own) => here.value && own > here.value))
  else go(some.filter((own) => !here.value || own < here.value).at(-1))
}
useKeys(
  [
    { key: 'PageUp', does: 'the month with a signal before', repeats: true, run: () => turn(-1) },
    { key: 'PageDown', does: 'the next month with a signal', repeats: true, run: () => turn(1) },
  ],
  undefined,
  'past signals',
)
const told = computed(() => {
  const top = all.value.find((own) => own.count === most.value)
  return top ? `at most ${plural(top.count, 'signal')} a month (${named(top.month)})` : ''
})
</script>

<template>
  <div
    v-if="all.length"
    class="months"
    role="img"
    :aria-label="`By month: ${months.map((own) => `${named(own.month)} ${own.count}`).join(', ')}`"
  >
    <span class="quiet">by month <kbd>PgUp</kbd> <kbd>PgDn</kbd> · {{ told }}</span>
    <div ref="host" class="strip">
      <i
        v-for="(own, n) in all"
        :key="own.month"
        :class="{ here: own.month === here }"
        :style="{ left: `${n * step}px`, width: `${step}px` }"
        :title="`${named(own.month)}: ${plural(own.count, 'signal')}`"
        @click="go(own.month)"
        ><b :style="{ height: own.count ? `${2 + (13 * own.count) / most}px` : 0 }"></b
      ></i>
      <span v-for="own in labels" :key="own.at" class="label" :style="{ left: `${own.at}px` }">{{
        own.text
      }}</span>
    </div>
  </div>
</template>

<style scoped>
.months {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 0 0 4px;
  font-size: 12px;
}
.months > span {
  white-space: nowrap;
}
.strip {
  position: relative;
  flex: 1;
  height: 30px;
  min-width: 120px;
  overflow: hidden;
}
i {
  position: absolute;
  top: 0;
  height: 16px;
  display: flex;
  align-items: flex-end;
  border-bottom: 1px solid var(--hair);
  cursor: pointer;
}
b {
  width: max(1px, 70%);
  background: var(--quiet);
}
.here b {
  background: var(--accent);
}
.label {
  position: absolute;
  top: 17px;
  font-size: 10px;
  line-height: 12px;
  color: var(--quiet);
  white-space: nowrap;
}
</style>
