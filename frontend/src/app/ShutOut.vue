<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { letIn } from '@/shared/session'
import { useReadAnew } from '@/shared/read'

const readAnew = useReadAnew()

/** What stands before all else while the desk does not know this browser; it goes by itself. */
const button = ref<HTMLButtonElement>()
const still = ref(false)
const EVERY = 3_000
let timer = 0
async function look() {
  window.clearTimeout(timer)
  if (await letIn()) return readAnew()
  timer = window.setTimeout(look, EVERY)
}
async function again() {
  still.value = false
  await look()
  still.value = true
}
onMounted(() => {
  timer = window.setTimeout(look, EVERY)
  button.value?.focus()
})
onBeforeUnmount(() => window.clearTimeout(timer))
</script>

<template>
  <div class="shut" role="alertdialog" aria-modal="true" aria-labelledby="shut-out" @keydown.stop>
    <section>
      <h2 id="shut-out">This browser is not let in yet</h2>
      <p>
        The desk answers to its owner only. Run <code>./start</code> in the folder of the
        application: it prints an address that lets one browser in, once. Open it here, in another
        tab.
      </p>
      <p>What was written on this page stays, and the page goes on by itself.</p>
      <button ref="button" class="button primary" @click="again">Look again</button>
      <span v-if="still" class="quiet" role="status"> Not let in yet.</span>
    </section>
  </div>
</template>

<style scoped>
.shut {
  position: fixed;
  inset: 0;
  z-index: 4000;
  display: grid;
  place-items: center;
  padding: 24px;
  background: var(--paper);
}
section {
  max-width: 52ch;
}
</style>
