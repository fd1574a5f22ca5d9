<script setup lang="ts">
import { nextTick, ref } from 'vue'
import type { Arranging } from './arranging'

/** The arrangement at hand by its name, as a part of a sentence, and how what was changed of it is kept. */
const props = withDefaults(defineProps<{ of: Arranging; label: string; hotkey?: string }>(), {
  hotkey: 'k',
})
const naming = ref<string>()
const field = ref<HTMLInputElement>()
async function begin() {
  naming.value = ''
  await nextTick()
  field.value?.focus()
}
async function keepAs() {
  if (naming.value?.trim() && (await props.of.keep(naming.value))) naming.value = undefined
}
defineExpose({ begin })
</script>

<template>
  <select
    class="inline-part"
    :aria-label="label"
    :value="of.name.value"
    @change="of.choose(($event.target as HTMLSelectElement).value)"
  >
    <option v-if="!of.kept.value" :value="of.name.value">
      {{ of.name.value || 'nothing' }} (not kept here)
    </option>
    <option v-for="one in of.all.value" :key="one.name">{{ one.name }}</option>
  </select>
  <span class="ways">
    <template v-if="of.changed.value">
      <span class="quiet">changed:</span>
      <button class="button plain" :disabled="of.busy.value" @click="of.keep()">keep it</button>
      <button v-if="of.kept.value" class="button plain" @click="of.asItWas()">as it was</button>
    </template>
    <button v-if="naming === undefined" class="button plain" @click="begin">
      keep under a name <kbd>{{ hotkey }}</kbd>
    </button>
    <template v-else>
      <input
        ref="field"
        v-model="naming"
        class="field"
        placeholder="its name"
        aria-label="Name of the arrangement"
        maxlength="80"
        @keydown.enter="keepAs"
        @keydown.esc="naming = undefined"
      />
      <button class="button plain" :disabled="of.busy.value || !naming.trim()" @click="keepAs">
        keep
      </button>
    </template>
    <button
      v-if="of.kept.value?.version && naming === undefined"
      class="button plain"
      :disabled="of.busy.value"
      @click="of.drop()"
    >
      {{ of.kept.value.ready ? 'as it came' : 'take away' }}
    </button>
    <span v-if="of.tooLong.value" class="quiet">
      too much for an address: keep it to share it
    </span>
  </span>
</template>

<style scoped>
.ways {
  font-size: 13px;
}
</style>
