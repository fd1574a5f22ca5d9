<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed, ref, toRef } from 'vue'
import { told } from '@/shared/format'
import InlineText from '@/shared/InlineText.vue'
import Mesh from '@/shared/Mesh.vue'
import { usePart, type OverviewSet, type Said } from './parts'
import TextList from './TextList.vue'
import Reply from '@/shared/Reply.vue'

/** What is said of the index and the gauge: a column a kind of bars, a sentence a statement. */
const props = defineProps<{ arranged: OverviewSet }>()
const emit = defineEmits<{ arrange: [part: Partial<OverviewSet>] }>()
const { view, reply } = usePart('statements', toRef(props, 'arranged'))
const changing = ref(false)
const subjects = computed(() => {
  const all = reply.value ?? []
  const count = props.arranged.statements.length
  let first = 0
  return props.arranged.subjects.map((subject) => {
    const columns = subject.bars.map((bars) => {
      const own = all.slice(first, first + count)
      first += count
      return { bars, said: own }
    })
    return { code: subject.code, columns }
  })
})
const chart = (said: Said) => ({
  path: instrumentAt(said.statement.code),
  query: { bars: said.statement.bars, line: said.statement.formula },
})
/** What holds of a subject is what an outlook may rest on. */
const outlook = (subject: (typeof subjects.value)[number]) => ({
  path: '/outlook',
  query: {
    code: subject.code,
    reason: subject.columns.flatMap((column) =>
      column.said
        .filter((said) => said.cell === 'pass')
        .map((said) => `${column.bars} ${said.statement.formula}`),
    ),
  },
})
const setSubject = (n: number, part: Partial<OverviewSet['subjects'][number]>) =>
  emit('arrange', {
    subjects: props.arranged.subjects
      .map((own, m) => (m === n ? { ...own, ...part } : own))
      .filter((own) => own.code),
  })
const addSubject = (code: string) =>
  code && emit('arrange', { subjects: [...props.arranged.subjects, { code, bars: ['1d'] }] })
</script>

<template>
  <section aria-label="Statements">
    <p v-if="changing" class="sentence form">
      <template v-for="(subject, n) in arranged.subjects" :key="n">
        Of
        <InlineText
          :value="subject.code"
          :least="7"
          :aria-label="`Subject ${n + 1}`"
          @take="(code) => setSubject(n, { code })"
        />
        on
        <TextList
          :texts="subject.bars"
          :what="`Bars of ${subject.code}`"
          @change="(bars) => setSubject(n, { bars })"
        />;
      </template>
      of
      <InlineText
        :key="arranged.subjects.length"
        value=""
        :least="8"
        placeholder="+ code"
        aria-label="One more subject"
        @take="addSubject"
      />
      it is said whether
      <TextList
        :texts="arranged.statements"
        what="Statement"
        formulas
        :least="12"
        @change="(statements) => emit('arrange', { statements })"
      />
      <button class="button plain" @click="changing = false">close</button>
    </p>
    <Reply :of="view" what="Nothing can be said" />
    <div v-for="(subject, n) in subjects" :key="subject.code" class="subject">
      <h2>
        <RouterLink class="mono" :to="instrumentAt(subject.code)">{{ subject.code }}</RouterLink>
        <RouterLink class="button plain" :to="outlook(subject)">outlook</RouterLink>
        <button v-if="!n" class="button plain" @click="changing = !changing">
          {{ changing ? 'close' : 'change' }}
        </button>
      </h2>
      <div class="columns">
        <div v-for="column in subject.columns" :key="column.bars" class="column">
          <h3>
            on {{ column.bars }}
            <Mesh
              v-if="column.said.length"
              :cells="column.said.map((said) => said.cell)"
              :names="column.said.map((said) => said.statement.formula)"
            />
          </h3>
          <ul>
            <li v-for="said in column.said" :key="said.statement.formula" :class="said.cell">
              <Mesh :cells="[said.cell]" :size="9" aria-hidden="true" />
              <span v-if="said.problems.length" class="fall"
                ><code>{{ said.statement.formula }}</code
                >: {{ told(said.problems[0]!) }}</span
              >
              <RouterLink v-else :to="chart(said)" :title="said.statement.formula">{{
                said.sentence
              }}</RouterLink>
            </li>
          </ul>
        </div>
      </div>
    </div>
    <p v-if="!subjects.length" class="quiet">
      Nothing is said here: no instrument of this desk is an index or a gauge. Name one of any kind:
      <InlineText
        value=""
        :least="8"
        placeholder="its code"
        aria-label="Instrument to say something of"
        @take="addSubject"
      />
    </p>
  </section>
</template>

<style scoped>
.subject {
  display: grid;
  grid-template-columns: 108px 1fr;
  border-top: 1px solid var(--hair);
  padding: 4px 0;
}
.columns {
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: minmax(0, 1fr);
  gap: 20px;
}
h2,
h3 {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 10px;
  margin: 0;
  font-size: 13px;
  font-weight: 500;
}
h2 {
  align-content: flex-start;
}
ul {
  margin: 2px 0 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 8px;
  align-items: baseline;
  line-height: 1.35;
}
h2 a {
  min-height: 24px;
  min-width: 24px;
}
li a {
  min-height: 24px;
  line-height: 1.35;
  padding: 3px 0;
  color: var(--ink);
  text-decoration: none;
}
li a:hover {
  color: var(--accent);
  text-decoration: underline;
}
.miss a {
  color: var(--quiet);
}
.form {
  font-size: 14px;
}
@media (max-width: 900px) {
  .subject {
    grid-template-columns: 1fr;
  }
  .columns {
    grid-auto-flow: row;
  }
}
</style>
