<script setup lang="ts">
import { useRouter } from 'vue-router'
import { useKeys } from '@/shared/keys'

/** What a page of the background says on a desk without instruments. */
const router = useRouter()
useKeys([{ key: 'i', does: 'import files', run: () => void router.push('/imports') }])
</script>

<template>
  <main class="page">
    <p class="empty">
      There are no instruments yet: drop a table of bars on this page, or
      <RouterLink to="/imports">import files</RouterLink> <kbd>i</kbd>.
    </p>
  </main>
</template>
