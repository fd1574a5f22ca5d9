<script setup lang="ts">
import { computed } from 'vue'
import { answer } from '@/shared/api'
import { localOf } from '@/shared/format'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** When all venues trade, as a strip with the moment that is looked from. */
const view = useRead(() => ({
  of: keys.sessions,
  refetchInterval: 60_000,
  read: (server) => answer(server.GET('/api/overview/sessions')),
}))
const seen = computed(() => view.data.value)
const share = (moment: number) => {
  const { first, last } = seen.value!
  return `${(100 * (moment - first)) / (last - first)}%`
}
const HOUR = 3600
const hours = computed(() => {
  if (!seen.value) return []
  const { first, last } = seen.value
  const step = 4 * HOUR
  const found: number[] = []
  for (let at = Math.ceil(first / step) * step; at < last; at += step) found.push(at)
  return found
})
/** By the clock that was chosen, as everywhere. */
const time = (seconds: number) => localOf(new Date(1000 * seconds).toISOString()).slice(11)
function state(open: readonly (readonly [number, number] | number[])[]) {
  const now = seen.value!.now
  const present = open.find(([from, to]) => from! <= now && now < to!)
  const { first, last } = seen.value!
  if (present?.[0] === first && present[1] === last) return 'open all day'
  if (present) return `open, ${present[1] === last ? 'past' : 'until'} ${time(present[1]!)}`
  const next = open.find(([from]) => from! > now)
  return next ? `closed, opens ${time(next[0]!)}` : `closed, past ${time(last)}`
}
</script>

<template>
  <section aria-label="Sessions">
    <Reply :of="view" what="The sessions can't be shown">
      <div v-if="seen" class="strip">
        <span></span>
        <div class="scale" aria-hidden="true">
          <span v-for="hour in hours" :key="hour" :style="{ left: share(hour) }">{{
            time(hour)
          }}</span>
        </div>
        <span></span>
        <template v-for="venue in seen.venues" :key="venue.name">
          <span class="name" :title="`${venue.hours} ${venue.zone}`">{{ venue.name }}</span>
          <div class="line">
            <i
              v-for="[from, to] in venue.open"
              :key="from"
              :style="{ left: share(from!), width: `calc(${share(to!)} - ${share(from!)})` }"
              :title="`${time(from!)} to ${time(to!)}`"
            ></i>
            <b :style="{ left: share(seen.now) }" aria-hidden="true"></b>
          </div>
          <span :class="state(venue.open).startsWith('open') ? '' : 'quiet'">{{
            state(venue.open)
          }}</span>
        </template>
        <p v-if="!seen.venues.length" class="quiet">The hours of no venue are known.</p>
      </div>
    </Reply>
  </section>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: max-content 1fr max-content;
  gap: 2px 12px;
  align-items: center;
}
.scale,
.line {
  position: relative;
  height: 14px;
}
.scale span {
  position: absolute;
  font-size: 11px;
  color: var(--quiet);
  transform: translateX(-50%);
}
.line {
  background: var(--wash);
}
i {
  position: absolute;
  top: 3px;
  bottom: 3px;
  background: var(--line-1);
}
b {
  position: absolute;
  top: -2px;
  bottom: -2px;
  width: 2px;
  background: var(--accent);
}
.name {
  white-space: nowrap;
}
</style>
