<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/shared/api'
import ErrorNote from '@/shared/ErrorNote.vue'
import { barTime, sides } from '@/shared/format'
import { useLatest } from '@/shared/latest'
import Mesh from '@/shared/Mesh.vue'
import { useMoment } from '@/shared/moment'

const looksFrom = useMoment()

/** Why not? What any instrument passes, what it lacks, and by how much. */
const props = defineProps<{
  /** Instruments to choose from. */
  offered: readonly { code: string; name: string }[]
  /** What is asked of the server for a code; anew when `about` is another one. */
  ask: (code: string, signal: AbortSignal) => Promise<Schemas['Why']>
  about: unknown
  names: readonly string[]
  /** The sieve looks for both sides. */
  sided: boolean
}>()
const emit = defineEmits<{ told: [code: string] }>()
const typed = defineModel<string>({ required: true })
const field = ref<HTMLInputElement>()
const PAUSE = 160
const latest = useLatest<{ code: string }, Schemas['Why']>(PAUSE, ({ code }, signal) =>
  props.ask(code, signal),
)
/** The instrument that is meant: by its code, or the only one whose code or name begins so. */
const meant = computed(() => {
  const words = typed.value.trim().toLowerCase()
  if (!words) return
  const same = props.offered.find((own) => own.code.toLowerCase() === words)
  if (same) return same.code
  const begun = props.offered.filter(
    (own) => own.code.toLowerCase().startsWith(words) || own.name.toLowerCase().startsWith(words),
  )
  return begun.length === 1 ? begun[0]!.code : undefined
})
watch(
  [meant, () => props.about, looksFrom],
  ([code], before) => {
    if (code && code !== before?.[0]) emit('told', code)
    if (code) latest.later({ code })
    else latest.stop()
  },
  { immediate: true },
)
const why = computed(() =>
  latest.reply.value?.code === meant.value ? latest.reply.value : undefined,
)
const unknownWords = computed(
  () => typed.value.trim().length > 2 && !meant.value && props.offered.length > 0,
)
const fits = computed(() => {
  const words = typed.value.trim().toLowerCase()
  return props.offered
    .filter((own) => `${own.code} ${own.name}`.toLowerCase().includes(words))
    .slice(0, 40)
})
defineExpose({ focus: () => field.value?.select() })
</script>

<template>
  <section class="why" aria-label="Why not">
    <label>
      <span class="quiet">Why not</span>
      <input
        ref="field"
        v-model="typed"
        class="field mono"
        list="why-codes"
        placeholder="code or name"
        aria-label="Code or name of an instrument"
        maxlength="60"
        @keydown.esc.stop="($event.target as HTMLInputElement).blur()"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <kbd>w</kbd>
    </label>
    <datalist id="why-codes">
      <option v-for="own in fits" :key="own.code" :value="own.code">{{ own.name }}</option>
    </datalist>
    <p v-if="unknownWords" class="quiet">
      {{
        fits.length ? `${fits.length} instruments fit; write on` : `No instrument fits “${typed}”.`
      }}
    </p>
    <ErrorNote
      v-if="meant && latest.error.value"
      :error="latest.error.value"
      what="Can’t be told"
      :again="latest.again"
    />
    <div v-else-if="why" aria-live="polite" class="told">
      <p>
        <b class="mono">{{ why.code }}</b> {{ why.name }}:
        <b>{{
          why.passes
            ? 'passes'
            : why.conditions.length
              ? `lacks ${why.in_the_way}`
              : 'can’t be told'
        }}</b><template v-if="sided && why.conditions.length"> {{ sides([why.side]) }}</template
        ><span v-if="why.note" class="warn">, {{ why.note }}</span
        ><span v-if="why.bar_at" class="quiet">, bar of {{ barTime(why.bar_at) }}</span>
      </p>
      <ol>
        <li v-for="(own, n) in why.conditions" :key="n" :class="{ way: own.stands_in_the_way }">
          <Mesh :cells="[own.cell]" :names="[names[n] ?? '']" />
          <span
            >{{ own.sentence }}<b v-if="own.lacks" class="fall">&nbsp;{{ own.lacks }}</b></span
          >
        </li>
      </ol>
    </div>
  </section>
</template>

<style scoped>
label {
  display: flex;
  align-items: baseline;
  gap: 8px;
}
.field {
  width: 15ch;
}
p {
  margin: 4px 0;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
  color: var(--quiet);
}
li.way {
  color: var(--ink);
}
.told {
  border-bottom: 1px solid var(--hair);
  padding-bottom: 6px;
}
</style>
