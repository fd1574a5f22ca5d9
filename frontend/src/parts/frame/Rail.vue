<script setup lang="ts">
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch } from 'vue'
import type { RouteLocationRaw } from 'vue-router'

/**
 * The list that is stepped through, whatever fills it. Only the entries in sight are drawn, and told, so
 * that what they need can be read; the one at hand is kept in sight.
 */
const props = withDefaults(
  defineProps<{
    label: string
    count: number
    /** The place of the entry at hand; −1 for none. */
    at: number
    /** Where an entry leads; without, it is not there yet. */
    to: (place: number) => RouteLocationRaw | undefined
    row?: number
  }>(),
  { row: 34 },
)
const emit = defineEmits<{ seen: [first: number, last: number] }>()
const box = ref<HTMLElement>()
const virtual = useVirtualizer(
  computed(() => ({
    count: props.count,
    getScrollElement: () => box.value ?? null,
    estimateSize: () => props.row,
    scrollPaddingStart: props.row,
    scrollPaddingEnd: props.row,
    overscan: 12,
  })),
)
const seen = computed(() =>
  virtual.value.getVirtualItems().flatMap((item) => {
    const to = props.to(item.index)
    return to ? [{ ...item, to }] : []
  }),
)
watch(
  () => virtual.value.getVirtualItems(),
  (items) => items.length && emit('seen', items[0]!.index, items.at(-1)!.index),
)
watch(
  [() => props.at, () => props.count],
  () => nextTick(() => props.at >= 0 && virtual.value.scrollToIndex(props.at)),
  { immediate: true },
)
</script>

<template>
  <nav class="rail" :aria-label="label">
    <slot name="head" />
    <div ref="box" class="list">
      <div class="room" :style="{ height: `${virtual.getTotalSize()}px` }">
        <RouterLink
          v-for="item in seen"
          :key="item.index"
          :to="item.to"
          replace
          :class="{ here: item.index === at }"
          :style="{ transform: `translateY(${item.start}px)`, height: `${row}px` }"
          :tabindex="item.index === at ? 0 : -1"
          :aria-current="item.index === at ? 'true' : undefined"
        >
          <slot :place="item.index" />
        </RouterLink>
      </div>
    </div>
  </nav>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--hair);
}
.list {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.room {
  position: relative;
}
a {
  position: absolute;
  inset: 0 0 auto 0;
  box-sizing: border-box;
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  align-content: center;
  gap: 0 4px;
  padding: 0 12px;
  color: var(--ink);
  text-decoration: none;
  border-bottom: 1px solid var(--hair);
}
a.here {
  background: var(--accent-wash);
}
@media (max-width: 900px) {
  .rail {
    border-right: 0;
  }
  .list {
    max-height: 160px;
  }
}
</style>
