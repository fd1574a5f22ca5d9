<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import { answer, type Schemas, type Sieve } from '@/shared/api'
import Differences from '@/shared/Differences.vue'
import { moment, plural } from '@/shared/format'
import { asLines, upToDate } from '@/parts/shaping/draft'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** What became of this sieve: what each version changed, which runs used it, and back to any of them. */
const props = defineProps<{ id: number; version: number; draft: Sieve; marked?: number }>()
const emit = defineEmits<{ take: [sieve: Sieve, version: number]; close: [] }>()
const versions = useRead(() => {
  const path = { sieve_id: props.id }
  return {
    of: keys.sieveVersions(props.id, props.version),
    read: (server) => answer(server.GET('/api/sieves/{sieve_id}/versions', { params: { path } })),
  }
})
const { data } = versions
const MOST_RUNS = 4
const chosen = ref<number>()
watch(
  [() => props.marked, data],
  async ([marked, all]) => {
    if (!all || !marked || !all.some((own) => own.version === marked)) return
    chosen.value = marked
    await nextTick()
    document.getElementById(`version-${marked}`)?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true },
)
const runsOf = (own: Schemas['VersionView']) => own.runs.slice(0, MOST_RUNS)
const toldOf = (own: Schemas['VersionView']) =>
  own.changes.join('; ') || (own.version === 1 ? 'as it was begun' : 'the same again')
</script>

<template>
  <section class="versions" aria-label="Versions">
    <p class="top">
      <span>Versions of this sieve</span>
      <button class="button plain" @click="emit('close')">Close <kbd>r</kbd></button>
    </p>
    <Reply :of="versions" what="The versions can't be shown" reading="Reading the versions …">
      <p v-if="marked && !data?.some((own) => own.version === marked)" class="warn">
        There is no version {{ marked }} of this sieve.
      </p>
      <ol>
        <li
          v-for="own in data"
          :id="`version-${own.version}`"
          :key="own.version"
          :class="{ marked: own.version === marked }"
        >
          <div class="one">
            <b>{{ own.version }}</b>
            <span>
              {{ toldOf(own) }}
              <span class="quiet">
                · {{ moment(own.created_at) }}
                <template v-if="own.runs.length">
                  ·
                  <template v-for="(run, n) in runsOf(own)" :key="run.id"
                    >{{ n ? ', ' : 'used by '
                    }}<RouterLink
                      :to="`/runs/${run.id}`"
                      :title="`As of ${moment(run.as_of)}: ${plural(run.hits, 'hit')}`"
                      >run {{ run.id }}</RouterLink
                    ></template
                  ><template v-if="own.runs.length > MOST_RUNS">
                    and {{ own.runs.length - MOST_RUNS }} more</template
                  >
                </template>
              </span>
            </span>
            <span class="acts">
              <button
                class="button plain"
                :aria-pressed="chosen === own.version"
                @click="chosen = chosen === own.version ? undefined : own.version"
              >
                compare
              </button>
              <button
                class="button"
                :aria-label="`Put version ${own.version} on the page`"
                @click="emit('take', upToDate(own.sieve), own.version)"
              >
                put it on the page
              </button>
            </span>
          </div>
          <Differences
            v-if="chosen === own.version"
            :before="asLines(own.sieve)"
            :after="asLines(draft)"
            :names="[`version ${own.version}`, 'on the page']"
          />
        </li>
      </ol>
    </Reply>
  </section>
</template>

<style scoped>
.versions {
  border: 1px solid var(--hair);
  padding: 6px 12px;
  margin: 6px 0;
  max-height: 60vh;
  overflow: auto;
}
.top {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  margin: 0;
  font-weight: 500;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--hair);
  padding: 4px 0;
}
.marked .one > b {
  color: var(--accent);
  text-decoration: underline;
}
.one {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) auto;
  gap: 10px;
  align-items: baseline;
  overflow-wrap: anywhere;
}
.acts {
  white-space: nowrap;
}
</style>
