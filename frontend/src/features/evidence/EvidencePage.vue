<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer } from '@/shared/api'
import { asSentence, whole } from '@/shared/format'
import InlineText from '@/shared/InlineText.vue'
import { useKeys } from '@/shared/keys'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import Reply from '@/shared/Reply.vue'
import { plain, useDraft } from '@/parts/shaping/draft'
import CasePart from './CasePart.vue'
import { addressOf, caseAt, useCases, type Case } from './cases'
import CasesTable from './CasesTable.vue'
import DoubtPart from './DoubtPart.vue'
import FollowedTable from './FollowedTable.vue'
import { useEvidenceQuestion } from './question'
import RulesSentence from './RulesSentence.vue'
import Spread from './Spread.vue'
import { when } from './told'
import TradesPart from './TradesPart.vue'
import WayThere from './WayThere.vue'

/** What did this sieve do, and how far can it be relied on? */
const route = useRoute()
const router = useRouter()
const id = computed(() => String(route.params.id))
const { draft, ready, loaded, changed } = useDraft(id)

const asked = useEvidenceQuestion()
const { counted, starts, apart, later, many, rules, settings } = asked
const selected = (event: Event) => (event.target as HTMLSelectElement).value

const question = computed(() => ({ sieve: plain(draft.value), settings: settings.value }))
const page = useRead(() => ({
  of: keys.evidence(question.value),
  enabled: ready.value,
  keeps: true,
  read: (server, signal) =>
    answer(server.POST('/api/preview/evidence/page', { body: question.value, signal })),
}))
const told = computed(() => page.data.value)
const isOld = computed(() => page.isPlaceholderData.value)

const cases = useCases(computed(() => told.value?.cases ?? []))
const { fitting } = cases
const chosen = ref(0)
watch(fitting, () => (chosen.value = 0))
/** The signal whose chart is open, as it stands in the address. */
const opened = computed(() => caseAt(route.query.case))
const place = computed(() =>
  fitting.value.findIndex((own) => addressOf(own) === String(route.query.case)),
)
function open(own: Case | undefined) {
  if (!own) return
  const query = { ...route.query, case: addressOf(own) }
  void (opened.value ? router.replace({ query }) : router.push({ query }))
}
const go = (by: number) => open(fitting.value[place.value + by])
function close() {
  chosen.value = Math.max(0, place.value)
  asked.change({ case: undefined })
}
useKeys([
  { key: 'i', does: 'back to the sieve', run: () => void router.push(`/sieves/${id.value}`) },
])
</script>

<template>
  <main class="page">
    <Reply v-if="id !== 'new'" :of="loaded" what="The sieve can't be shown" />
    <p class="sentence">
      Of
      <RouterLink :to="`/sieves/${id}`" title="Back to the sieve">{{
        draft.name || 'a sieve without a name'
      }}</RouterLink>
      <span v-if="changed" class="quiet" title="As it stands on its page, not saved">
        (changed)</span
      >
      count
      <select
        class="inline-part"
        aria-label="Which signals count"
        :value="counted"
        @change="asked.change({ counted: selected($event) })"
      >
        <option value="began">each signal as it begins</option>
        <option value="every">every bar on which it holds</option>
        <option value="apart">signals some bars apart</option></select
      ><template v-if="counted === 'apart'"
        >, at least
        <InlineText
          :value="String(apart)"
          :least="3"
          aria-label="Bars apart"
          @take="asked.setApart"
        />
        bars </template
      >; look
      <InlineText
        v-if="later !== 'session'"
        :value="String(many)"
        :least="3"
        aria-label="How far ahead"
        @take="asked.setMany"
      />
      <select
        class="inline-part"
        aria-label="Ahead by"
        :value="later"
        @change="asked.lookAhead(selected($event), many)"
      >
        <option value="bars">bars ahead</option>
        <option value="session">to the end of the session</option>
        <option value="sessions">sessions ahead</option>
      </select>
      from
      <select
        class="inline-part"
        aria-label="Results count from"
        :value="starts"
        @change="asked.change({ from: selected($event) })"
      >
        <option value="next_open">the open of the next bar</option>
        <option value="close">its own close</option></select
      ><template v-if="starts === 'close'">, which nobody could have traded</template>.
    </p>
    <CasePart
      v-if="opened && ready"
      :sieve="question.sieve"
      :settings="settings"
      v-bind="opened"
      :place="place < 0 ? '' : `${whole(place + 1)} of ${whole(fitting.length)}`"
      :has-before="place > 0"
      :has-next="place >= 0 && place < fitting.length - 1"
      @go="go"
      @close="close"
    />
    <RulesSentence
      v-if="!opened && !told && page.error.value"
      :rules="rules"
      :short="draft.sides.includes('short')"
      @change="asked.trade"
    />
    <Reply
      v-if="!opened"
      :of="page"
      what="What followed can't be told"
      reading="Looking at all signals …"
    >
      <div v-if="told" :class="{ old: isOld }" :aria-busy="isOld">
        <h2 class="answer">{{ told.sentence }}</h2>
        <p v-for="note in told.notes" :key="note" class="quiet note">{{ asSentence(note) }}</p>
        <template v-if="told.signals">
          <div v-if="told.followed[0]?.count" class="drawings">
            <section>
              <h2>Results after {{ when(told.followed[0].horizon) }}</h2>
              <Spread :of="told.distribution" label="How results are spread" />
            </section>
            <section>
              <h2>The way there</h2>
              <WayThere :of="told.path" label="Mean and middle half of results, bar by bar" />
            </section>
          </div>
          <FollowedTable :of="told.followed" :way="told.way" />
          <DoubtPart :question="question" :way="told.way" />
          <RulesSentence
            :rules="rules"
            :short="draft.sides.includes('short')"
            @change="asked.trade"
          />
          <TradesPart v-if="told.trades" :of="told.trades" />
          <CasesTable
            :of="cases"
            :signals="told.signals"
            :shown="told.cases.length"
            :unit="told.trades?.unit"
            v-model="chosen"
            @open="open"
          />
        </template>
      </div>
    </Reply>
  </main>
</template>

<style scoped>
h2 {
  font-size: 14px;
  margin: 6px 0;
}
h2.answer {
  font-size: 19px;
  font-weight: 600;
  margin: 10px 0 4px;
}
.old {
  opacity: 0.45;
}
.note {
  margin: 0 0 2px;
}
.drawings {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 24px;
  margin: 8px 0;
}
@media (max-width: 900px) {
  .drawings {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
