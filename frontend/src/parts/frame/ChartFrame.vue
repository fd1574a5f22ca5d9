<script setup lang="ts">
/**
 * The frame of every page that looks at charts: a rail with the list that is stepped through, the sheets,
 * and a margin with what belongs to this moment and this instrument. Several sheets stand beside or below
 * each other in the middle; at full size the middle takes the page.
 */
defineProps<{ full?: boolean; margin?: string }>()
</script>

<template>
  <main class="frame" :class="{ full }">
    <slot name="rail" />
    <section class="centre"><slot /></section>
    <aside v-if="$slots.margin" class="margin" :aria-label="margin" tabindex="0">
      <slot name="margin" />
    </aside>
    <footer v-if="$slots.foot" class="foot"><slot name="foot" /></footer>
  </main>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template: minmax(0, 1fr) auto / 132px minmax(0, 1fr) 290px;
  height: calc(100vh - var(--top));
}
.full {
  grid-template-columns: 0 minmax(0, 1fr) 0;
}
.full > :first-child,
.full .margin {
  visibility: hidden;
}
.centre {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  padding: 8px 12px;
}
.margin {
  border-left: 1px solid var(--hair);
  padding: 8px 14px;
  overflow: auto;
}
.margin :slotted(h2) {
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 10px 0 0;
}
.foot {
  grid-column: 1 / -1;
}
.centre :slotted(.chart) {
  flex: 1;
  min-height: 0;
}
@media (max-width: 900px) {
  .frame {
    display: block;
    height: auto;
  }
  .margin {
    border-left: 0;
  }
  .centre :slotted(.chart) {
    height: 420px;
  }
}
@media (min-width: 1600px) {
  .frame:not(.full) {
    grid-template-columns: 150px minmax(0, 1fr) 400px;
  }
}
</style>
