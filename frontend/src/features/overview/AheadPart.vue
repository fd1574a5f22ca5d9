<script setup lang="ts">
import { instrumentAt, reviewAt } from '@/shared/addresses'
import { computed } from 'vue'
import { answer } from '@/shared/api'
import { from, isLater } from '@/shared/asOf'
import { day, wholeWithin } from '@/shared/format'
import InlineText from '@/shared/InlineText.vue'
import type { OverviewSet } from './parts'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'

/** What is scheduled, what concerns all or an open idea first on its day. */
const props = defineProps<{ arranged: OverviewSet }>()
const emit = defineEmits<{ arrange: [part: Partial<OverviewSet>] }>()
const days = computed(() => props.arranged.ahead ?? 10)
const view = useRead(() => {
  const query = { days: days.value }
  return {
    of: keys.ahead(query.days),
    read: (server) => answer(server.GET('/api/overview/ahead', { params: { query } })),
  }
})
type Event = NonNullable<typeof view.data.value>[number]
/** Verdicts of after the moment that is looked from stand apart. */
const parted = (event: Event) => ({
  ...event,
  ideas: event.ideas.filter((idea) => !isLater(idea.as_of)),
  later: event.ideas.filter((idea) => isLater(idea.as_of)),
})
const seen = (idea: Event['ideas'][number]) => from(idea.as_of, reviewAt(idea.run_id, idea.id))
/** By day and kind: those without an idea are told together. */
const rows = computed(() => {
  const found = new Map<
    string,
    { day: number; kind: string; all: NonNullable<typeof view.data.value> }
  >()
  for (const event of view.data.value ?? []) {
    const key = `${event.day} ${event.kind}`
    if (!found.has(key)) found.set(key, { day: event.day, kind: event.kind, all: [] })
    found.get(key)!.all.push(event)
  }
  return [...found.values()].map((own) => ({
    ...own,
    touching: own.all.filter((event) => event.ideas.length).map(parted),
    rest: own.all.filter((event) => !event.ideas.length),
  }))
})
const SOME = 6
const chart = (code: string) => ({
  path: instrumentAt(code),
  query: { universe: props.arranged.universe },
})
</script>

<template>
  <section aria-label="Scheduled">
    <h2>
      Scheduled in the next
      <InlineText
        :value="String(days)"
        :least="3"
        aria-label="Days ahead"
        @take="
          (text) => {
            const ahead = wholeWithin(text, 0, 400)
            if (ahead !== undefined) emit('arrange', { ahead })
          }
        "
      />
      days
    </h2>
    <Reply :of="view" what="What is scheduled can't be shown" :empty="!rows.length">
      <template #empty
        ><p class="quiet">
          Nothing is known to be scheduled.
          <RouterLink to="/imports">Import events</RouterLink>
        </p></template
      >
      <table class="ledger">
        <tbody>
          <tr v-for="row in rows" :key="`${row.day} ${row.kind}`">
            <td>{{ day(row.day) }}</td>
            <td>{{ row.kind }}</td>
            <td class="wrap">
              <div v-for="event in row.touching" :key="event.title + event.code" class="touching">
                <b aria-hidden="true">!</b>
                <RouterLink v-if="event.code" class="mono" :to="chart(event.code)">{{
                  event.code
                }}</RouterLink>
                {{ event.code ? '' : event.title }}
                <template v-if="event.ideas.length">touches</template>
                <template v-for="(idea, n) in event.ideas.slice(0, SOME)" :key="n"
                  ><template v-if="n">, </template
                  ><RouterLink :to="seen(idea)"
                    >{{ idea.code }} ({{ idea.verdict }}, {{ idea.sieve }})</RouterLink
                  ></template
                ><template v-if="event.ideas.length > SOME">
                  and {{ event.ideas.length - SOME }} more open ideas</template
                ><span v-if="event.later.length" class="quiet">
                  {{ event.ideas.length ? '; ' : '' }}later, after this moment:
                  <template v-for="(idea, n) in event.later.slice(0, SOME)" :key="n"
                    ><template v-if="n">, </template
                    ><RouterLink :to="seen(idea)"
                      >{{ idea.code }} ({{ idea.verdict }}, {{ idea.sieve }})</RouterLink
                    ></template
                  ><template v-if="event.later.length > SOME">
                    and {{ event.later.length - SOME }} more</template
                  ></span
                >
              </div>
              <template
                v-for="(event, n) in row.rest.slice(0, SOME)"
                :key="event.title + event.code"
                ><template v-if="n">, </template
                ><RouterLink
                  v-if="event.code"
                  class="mono"
                  :title="event.title"
                  :to="chart(event.code)"
                  >{{ event.code }}</RouterLink
                ><template v-else>{{ event.title }}</template></template
              ><template v-if="row.rest.length > SOME">
                and {{ row.rest.length - SOME }} more</template
              >
            </td>
          </tr>
        </tbody>
      </table>
    </Reply>
  </section>
</template>

<style scoped>
.touching b {
  color: var(--warn);
  margin-right: 4px;
}
td {
  vertical-align: top;
  padding-top: 4px;
}
</style>
