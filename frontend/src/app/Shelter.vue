<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { onBeforeUnmount, onErrorCaptured, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { told } from '@/shared/undo'
import { outdated } from './outdated'

/**
 * What stands in the place of a page whose own code can't go on, as with a reply of another shape than it
 * knows. It tries again by itself; where only a press came to nothing the page stays, and that is told.
 */
const client = useQueryClient()
const route = useRoute()
const broken = ref(false)
const FIRST = 4_000
const LONGEST = 60_000
let pause = FIRST
let timer = 0

/** Where a component was being set up or drawn, by the framework's names and its short ones. */
const DRAWING = /setup function|render function|runtime-[01]$/
onErrorCaptured((error, _, where) => {
  console.error(error)
  if (DRAWING.test(where)) {
    broken.value = true
    window.clearTimeout(timer)
    timer = window.setTimeout(again, pause)
    pause = Math.min(LONGEST, 2 * pause)
  } else told('Something did not work here: this page has a fault. What was written stays.')
  return false
})
function again() {
  window.clearTimeout(timer)
  // What was read may be what it stumbled over: everything is read anew.
  void client.resetQueries()
  broken.value = false
}
watch(
  () => route.path,
  () => {
    broken.value = false
    pause = FIRST
  },
)
onBeforeUnmount(() => window.clearTimeout(timer))
const anew = () => window.location.assign(outdated.value ?? route.fullPath)
</script>

<template>
  <main v-if="outdated || broken" class="page">
    <div class="error-note" role="alert">
      <template v-if="outdated">
        <strong>This page can’t be loaded:</strong> the server does not answer, or the application
        was updated meanwhile.
        <button class="button plain" @click="anew">Reload</button>
      </template>
      <template v-else>
        <strong>This page can’t be shown:</strong> what it was given is not what it knows. It tries
        again by itself; what was written is kept.
        <button class="button plain" @click="again">Try again</button>
      </template>
    </div>
  </main>
  <slot v-else />
</template>

<style scoped>
.error-note {
  border-left: 3px solid var(--fall);
  padding: 8px 12px;
  margin: 24px;
}
</style>
