<script setup lang="ts">
import { ElDialog } from 'element-plus'
import { computed, ref } from 'vue'
import { answer, ApiError } from '@/shared/api'
import { useServer } from '@/shared/moment'

const server = useServer()

/** Two instruments, and what is done with their prices: that makes a third. */
defineProps<{ instruments: readonly { code: string; name: string }[] }>()
const emit = defineEmits<{ close: []; made: [code: string] }>()
const pair = ref({ code: '', name: '', left: '', right: '' })
const relation = ref<'difference' | 'ratio'>('difference')
const problem = ref<ApiError>()
const sign = computed(() => (relation.value === 'difference' ? '−' : '÷'))
const complete = computed(() => pair.value.code && pair.value.left && pair.value.right)

const busy = ref(false)
async function make() {
  if (busy.value) return
  busy.value = true
  problem.value = undefined
  try {
    const body = { ...pair.value, relation: relation.value }
    emit('made', (await answer(server.POST('/api/pairs', { body }))).code)
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <ElDialog :model-value="true" title="Define a pair" width="560" @close="emit('close')">
    <form @submit.prevent="make">
      <p class="sentence">
        <input
          v-model.trim="pair.left"
          class="field mono code"
          list="legs"
          aria-label="First leg"
          placeholder="LANTFU"
        />
        <select v-model="relation" aria-label="Relation">
          <option value="difference">less</option>
          <option value="ratio">divided by</option>
        </select>
        <input
          v-model.trim="pair.right"
          class="field mono code"
          list="legs"
          aria-label="Second leg"
          placeholder="its code"
        />
        is called
        <input
          v-model.trim="pair.code"
          class="field mono code"
          aria-label="Code of the pair"
          placeholder="PREMIU"
          maxlength="12"
        />
      </p>
      <input
        v-model.trim="pair.name"
        class="field wide"
        aria-label="Name of the pair"
        placeholder="A name, such as Lantern 40, premium"
        maxlength="120"
      />
      <datalist id="legs">
        <option v-for="i in instruments" :key="i.code" :value="i.code">{{ i.name }}</option>
      </datalist>
      <p class="quiet">
        It gets a bar wherever both have one: open {{ sign }} open, close {{ sign }} close. What lay
        between is not known, so its high and low are the higher and lower of these two.
      </p>
      <p v-if="problem" class="fall" role="alert">
        {{ problem.message }}<span v-if="problem.mend"> — {{ problem.mend }}</span>
      </p>
      <p class="do">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button type="submit" class="button primary" :disabled="!complete || busy">
          Define it
        </button>
      </p>
    </form>
  </ElDialog>
</template>

<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: baseline;
}
.code {
  width: 104px;
}
.wide {
  width: 100%;
}
.do {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
  margin: 12px 0 0;
}
</style>
