<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useAct } from '@/shared/act'
import { answer, type Schemas, type Sieve } from '@/shared/api'
import Failed from '@/shared/Failed.vue'
import { useLatest } from '@/shared/latest'
import { done } from '@/shared/undo'
import { useServer } from '@/shared/moment'
import { keys } from '@/shared/questions'
import { useReadAnew } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

const server = useServer()
const readAnew = useReadAnew()

/** The other side of a sieve, condition by condition, to be approved before it is kept. */
const props = defineProps<{ sieve: Sieve }>()
const emit = defineEmits<{ close: []; join: [both: Sieve] }>()
const router = useRouter()
const box = ref<HTMLElement>()
const latest = useLatest<Sieve, Schemas['MirroredSieve']>(0, (sieve, signal) =>
  answer(server.POST('/api/preview/mirror', { body: { sieve }, signal })),
)
void latest.ask(props.sieve)
onMounted(() => box.value?.focus())
const found = latest.reply
const { act, busy, failure } = useAct()
const approve = () =>
  act('Not kept', async () => {
    if (!found.value) return
    const kept = await answer(server.POST('/api/sieves', { body: { sieve: found.value.sieve } }))
    const refresh = () => readAnew(keys.sieves)
    await refresh()
    await router.push(`/sieves/${kept.id}`)
    done(`“${kept.sieve.name}” is a sieve of its own.`, async () => {
      await answer(
        server.DELETE('/api/sieves/{sieve_id}', { params: { path: { sieve_id: kept.id } } }),
      )
      await refresh()
      await router.push('/sieves')
    })
  })
</script>

<template>
  <section
    ref="box"
    class="mirror"
    role="dialog"
    aria-label="The other side"
    tabindex="-1"
    @keydown.esc.stop="emit('close')"
  >
    <p>
      <b
        >The {{ sieve.sides.length > 1 ? 'mirror' : `${found?.sieve.sides[0] ?? 'other'} side` }} of
        “{{ sieve.name }}”</b
      >
      <button class="button primary" :disabled="!found || busy" @click="approve">
        Keep it as a sieve of its own
      </button>
      <button v-if="found?.both" class="button" :disabled="busy" @click="emit('join', found.both)">
        Both sides in this sieve
      </button>
      <button class="button" @click="emit('close')">Cancel</button>
    </p>
    <p v-if="found?.both && found.rank && found.rank.before !== found.rank.after" class="warn">
      In one sieve both are ranked by <code>{{ found.rank.before }}</code>.
    </p>
    <Failed :failure="failure" />
    <Reply :of="latest" what="No other side" reading="turning round…">
      <table v-if="found" class="ledger">
        <thead>
          <tr>
            <th>{{ sieve.sides.length > 1 ? 'this' : sieve.sides[0] }}</th>
            <th>{{ sieve.sides.length > 1 ? 'mirrored' : found.sieve.sides[0] }}</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(own, n) in [...found.conditions, ...(found.rank ? [found.rank] : [])]"
            :key="n"
          >
            <td>
              <code>{{ own.before }}</code>
              <span class="quiet">{{ own.said_before }}</span>
            </td>
            <td>
              <code :class="{ same: own.before === own.after }">{{ own.after }}</code>
              <span class="quiet">{{ own.said_after }}</span>
              <span v-if="own.left.length" class="warn">
                Left as it is, as nothing says what its other side would be:
                {{ own.left.join(', ') }}
              </span>
            </td>
          </tr>
        </tbody>
      </table>
    </Reply>
  </section>
</template>

<style scoped>
.mirror {
  overflow: auto;
  border-top: 1px solid var(--ink);
  padding: 4px 6px 10px;
}
p .button {
  margin-left: 8px;
}
table {
  table-layout: fixed;
  width: 100%;
}
td {
  vertical-align: top;
  width: 50%;
  white-space: normal;
}
td span {
  display: block;
  white-space: normal;
}
code {
  overflow-wrap: anywhere;
  white-space: normal;
}
.same {
  color: var(--quiet);
}
</style>
