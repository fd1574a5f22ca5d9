<script setup lang="ts">
import { computed, ref } from 'vue'
import { answer, type Schemas } from '@/shared/api'
import { plural, whole } from '@/shared/format'
import { useKeys } from '@/shared/keys'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'
import { between, percent, share, when } from './told'

/** Does what followed hold in each part of the signals, and without the best of them? */
const props = defineProps<{ question: Schemas['EvidenceBody']; way: string }>()
const open = ref(false)
const turn = () => (open.value = !open.value)
useKeys([{ key: 'd', does: 'doubt it by parts', run: turn }])
/** How signals are traded changes nothing here. */
const question = computed(() => ({
  sieve: props.question.sieve,
  settings: { ...props.question.settings!, trade: null },
}))
const read = useRead(() => ({
  of: keys.evidenceParts(question.value),
  enabled: open.value,
  keeps: true,
  read: (server, signal) =>
    answer(server.POST('/api/preview/evidence/parts', { body: question.value, signal })),
}))
const told = computed(() => read.data.value)
const isOld = computed(() => read.isPlaceholderData.value)
type Part = NonNullable<typeof told.value>['all']
const count = computed(
  () =>
    told.value?.divisions.reduce(
      (sum, own) => sum + own.parts.filter((part) => part.is_enough).length,
      0,
    ) ?? 0,
)
const WIDE = 150
/** From where to where all intervals of a division reach, zero among them. */
function scaleOf(parts: readonly Part[]) {
  const ends = parts.filter((own) => own.is_enough).flatMap((own) => own.more_interval)
  const all = [0, ...ends.filter((value) => value !== null), ...parts.map((own) => own.more ?? 0)]
  const [low, high] = [Math.min(...all), Math.max(...all)]
  const x = (value: number) => 3 + ((WIDE - 6) * (value - low)) / (high - low || 1)
  return x
}
const drawn = computed(() =>
  (told.value?.divisions ?? []).map((own) => {
    const x = scaleOf(own.parts)
    return {
      ...own,
      zero: x(0),
      parts: own.parts.map((part) => ({
        ...part,
        at: part.more === null ? undefined : x(part.more),
        from: x(part.more_interval[0] ?? 0),
        to: x(part.more_interval[1] ?? 0),
      })),
    }
  }),
)
const more = (part: Part) =>
  `${percent(part.more)}${part.is_enough ? `, ${between(part.more_interval, percent)}` : ', too few to tell'}`
</script>

<template>
  <section aria-label="Doubt by parts">
    <button class="button plain" :aria-expanded="open" @click="turn">
      {{ open ? 'Hide the doubt by parts' : 'Doubt it by parts' }} <kbd>d</kbd>
    </button>
    <Reply
      v-if="open"
      :of="read"
      what="The parts can't be told"
      reading="Looking at the parts …"
      :empty="told && !told.all.count"
    >
      <template #empty><p class="empty">No result yet: there is nothing to part.</p></template>
      <div v-if="told" :class="{ old: isOld }" :aria-busy="isOld">
        <p class="quiet note">
          After {{ when(told.horizon) }}; lines are by how much more followed than on anybody then,
          with 95 % confidence.
          <template v-if="count > 19"
            >Of {{ plural(count, 'part') }} about {{ whole(count / 20) }}
            {{ Math.round(count / 20) === 1 ? 'is' : 'are' }} beyond chance by chance.</template
          >
        </p>
        <div class="divisions">
          <article v-for="d in drawn" :key="d.by">
            <h3>By {{ d.by }}</h3>
            <p class="meaning">{{ d.sentence }}</p>
            <table class="ledger">
              <caption class="visually-hidden">
                What followed, by
                {{
                  d.by
                }}
              </caption>
              <thead>
                <tr>
                  <th>Part</th>
                  <th class="number">Results</th>
                  <th class="number way">{{ way }}</th>
                  <th class="number">More by</th>
                  <th>Than anybody</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="p in d.parts" :key="p.name" :class="{ few: !p.is_enough }">
                  <td>{{ p.name }}</td>
                  <td
                    class="number"
                    :title="p.cases === null ? '' : `worth ${whole(p.cases)} independent cases`"
                  >
                    {{ whole(p.count) }}
                  </td>
                  <td class="number" :title="between(p.rate_interval, share)">
                    {{ share(p.rate) }}
                  </td>
                  <td class="number">{{ percent(p.more) }}</td>
                  <td>
                    <svg
                      v-if="p.is_enough && p.at !== undefined"
                      :width="WIDE"
                      height="14"
                      role="img"
                      :aria-label="more(p)"
                    >
                      <title>{{ more(p) }}</title>
                      <line class="zero" :x1="d.zero" :x2="d.zero" y1="0" y2="14" />
                      <line class="reach" :x1="p.from" :x2="p.to" y1="7" y2="7" />
                      <circle :cx="p.at" cy="7" r="3" />
                    </svg>
                    <span v-else>too few to tell</span>
                  </td>
                </tr>
              </tbody>
            </table>
          </article>
          <article v-if="told.without.length">
            <h3>Without the best</h3>
            <ul>
              <li v-for="w in told.without" :key="w.best">
                Without the best {{ w.best }}, {{ w.left.name }}: {{ percent(w.left.more) }} more
                than anybody instead of {{ percent(told.all.more) }}. {{ w.sentence }}
              </li>
            </ul>
          </article>
        </div>
      </div>
    </Reply>
  </section>
</template>

<style scoped>
section {
  margin: 8px 0;
}
.divisions {
  columns: 540px;
  column-gap: 28px;
}
article {
  break-inside: avoid;
  padding-bottom: 14px;
}
h3 {
  font-size: 13px;
  margin: 8px 0 2px;
}
.meaning,
.note {
  margin: 0 0 4px;
}
.old {
  opacity: 0.45;
}
.few td {
  color: var(--quiet);
}
.way::first-letter {
  text-transform: uppercase;
}
ul {
  margin: 0;
  padding-left: 18px;
}
.zero {
  stroke: var(--quiet);
}
.reach {
  stroke: var(--ink);
  stroke-width: 1.5;
}
circle {
  fill: var(--accent);
}
</style>
