<script setup lang="ts">
import { useRoute, useRouter } from 'vue-router'
import { useKeys } from '@/shared/keys'

/** The pages of the background, as a quiet row below the stages. */
const PAGES = [
  ['/overview', 'Overview'],
  ['/board', 'Board'],
  ['/scatter', 'Scatter'],
  ['/strength', 'Strength'],
  ['/outlook', 'Outlook'],
] as const
const route = useRoute()
const router = useRouter()
useKeys(
  PAGES.map(([to, name], n) => ({
    key: String(n + 1),
    does: `the page ${name.toLowerCase()}`,
    run: () => void router.push(to),
  })),
)
</script>

<template>
  <nav class="pages" aria-label="Pages of the background">
    <RouterLink
      v-for="([to, name], n) in PAGES"
      :key="to"
      :to="to"
      :class="{ here: route.path === to }"
      :aria-current="route.path === to ? 'page' : undefined"
    >
      {{ name }} <kbd>{{ n + 1 }}</kbd>
    </RouterLink>
  </nav>
</template>

<style scoped>
.pages {
  display: flex;
  align-items: center;
  gap: 20px;
  height: 30px;
  padding: 0 20px;
  border-bottom: 1px solid var(--hair);
}
a {
  display: inline-block;
  min-height: 24px;
  line-height: 24px;
  color: var(--quiet);
  text-decoration: none;
}
a:hover {
  color: var(--accent);
}
.here {
  color: var(--ink);
  font-weight: 650;
}
</style>
