<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { computed } from 'vue'
import type { Import } from '@/shared/api'
import Codes from '@/shared/Codes.vue'
import { barTime, day, figure, moment, whole } from '@/shared/format'

/** What a file changes: in a sentence, then what is changed and what is refused, one by one. */
const props = defineProps<{ own: Import }>()
const account = computed(() => props.own.account!)
const taken = computed(() => props.own.state === 'done')
const gone = computed(() => props.own.state === 'gone')
/** Days are told by their date, bars within a day by their moment too: so one sees how hours were read. */
const when = (seconds: number) =>
  account.value.nouns === 'bars of 1d'
    ? day(seconds)
    : moment(new Date(seconds * 1000).toISOString())
const bars = computed(() => /^bars of (\w+)/.exec(account.value.nouns)?.[1])
const listed = (names: readonly string[]) =>
  names.length > 1 ? `${names.slice(0, -1).join(', ')} and ${names.at(-1)}` : names.join()
const first = (all: number, shown: number) => (all > shown ? ', the first of them' : '')
/** Values that change, and closes that can't. */
const tables = computed(() => {
  const { changed, changes, beyond, beyond_count } = account.value
  const all = [
    [`Changed${first(changed, changes.length)}`, changes],
    [`Not taken${first(beyond_count, beyond.length)}`, beyond],
  ] as const
  return all.filter(([, own]) => own.length)
})
const many = computed(() => account.value.refusals.some((r) => r.file))
const rows = computed(() => {
  const a = account.value
  return a.new + a.same + a.changed + a.doubled + a.refused + a.beyond_count
})
</script>

<template>
  <div class="account">
    <p class="sentence" role="status">
      <b>{{ whole(rows) }}</b> {{ rows === 1 ? 'row' : 'rows'
      }}<template v-if="account.instruments">
        of {{ whole(account.instruments) }}
        {{ account.instruments === 1 ? 'instrument' : 'instruments' }}</template
      ><template v-if="account.first !== null && account.last !== null"
        >, {{ when(account.first) }} to {{ when(account.last) }}</template
      >: <b>{{ whole(account.new) }}</b> new, <b>{{ whole(account.changed) }}</b> changed,
      {{ whole(account.same) }} the same<template v-if="account.doubled"
        >, {{ whole(account.doubled) }} doubled</template
      ><template v-if="account.refused"
        >, <b class="fall">{{ whole(account.refused) }} refused</b></template
      >.
      <template v-if="account.unsaid.length && account.kept">
        Of {{ whole(account.kept) }} known bars {{ listed(account.unsaid) }}
        {{ account.unsaid.length > 1 ? 'are' : 'is' }} kept, as the file says nothing of
        {{ account.unsaid.length > 1 ? 'them' : 'it' }}.</template
      >
      <template v-if="account.beyond_count">
        <b class="fall">{{ whole(account.beyond_count) }}</b> closes lie outside of the bars that
        are kept, and {{ taken ? 'were' : 'are' }} not taken.</template
      >
      <template v-if="account.fresh_count && account.instruments">
        {{ whole(account.fresh_count) }}
        {{ account.fresh_count === 1 ? 'instrument is' : 'instruments are' }} not known yet{{
          taken ? ': now they are' : gone ? '' : ' and will be added'
        }}.</template
      >
      <template v-if="account.mending_count">
        The adjusted closes tell
        <b>{{
          account.mending_count === 1
            ? '1 split or payment'
            : `${whole(account.mending_count)} splits and payments`
        }}</b>{{ taken ? ', which are mended' : gone ? '' : ', which will be mended' }}.</template
      >
      <template v-if="account.unexplained">
        {{ whole(account.unexplained) }} changes of the adjusted closes tell nothing that can be
        corrected.</template
      >
      <template v-if="taken && account.findings !== null">
        The data check
        <RouterLink v-if="account.findings" to="/instruments"
          >doubts {{ whole(account.findings) }} things</RouterLink
        ><template v-else>found nothing amiss</template> in them.
      </template>
      <template v-if="!taken && !gone && !(account.new + account.changed + account.mending_count)">
        Nothing would change: there is nothing to take.</template
      >
    </p>
    <p class="acts">
      <slot />
      <RouterLink
        v-if="taken && account.codes.length"
        class="button primary"
        :to="{ path: instrumentAt(account.codes[0]!), query: bars ? { bars } : {} }"
        >See {{ account.codes[0] }} on its chart</RouterLink
      >
    </p>
    <p v-if="own.layout.content === 'instruments' && account.codes.length" class="codes">
      <template v-if="taken"><Codes :codes="account.codes" /></template>
      <span v-else class="mono quiet">{{ account.codes.join(' ') }}</span>
      <span v-if="account.instruments > account.codes.length" class="quiet">
        and {{ whole(account.instruments - account.codes.length) }} more</span
      >
    </p>
    <details v-if="account.mendings.length" class="mends">
      <summary>
        Splits and payments{{ first(account.mending_count, account.mendings.length) }}
      </summary>
      <div v-for="told in account.mendings" :key="told" class="mono">{{ told }}</div>
    </details>
    <template v-for="[head, changes] in tables" :key="head">
      <h2>{{ head }}</h2>
      <table class="ledger">
        <thead>
          <tr>
            <th>Instrument</th>
            <th>Bar</th>
            <th>Value</th>
            <th class="number">Kept</th>
            <th class="number">In the file</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in changes" :key="`${c.code}${c.time}${c.column}`">
            <td class="mono">{{ c.code }}</td>
            <td>{{ barTime(c.time) }}</td>
            <td>{{ c.column }}</td>
            <td class="number">{{ c.before ?? '–' }}</td>
            <td class="number">{{ c.after ?? '–' }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-if="account.refusals.length">
      <h2>
        Refused{{ account.refused > account.refusals.length ? ', the first of them' : '' }}
        <a v-if="!taken && !gone" :href="`/api/imports/${own.id}/refused`" download
          >save all of them as a table to correct</a
        >
      </h2>
      <table class="ledger">
        <thead>
          <tr>
            <th v-if="many">File</th>
            <th class="number">Line</th>
            <th>Column</th>
            <th>Value</th>
            <th>Why</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, n) in account.refusals" :key="n">
            <td v-if="many" class="mono value" :title="r.file">{{ r.file }}</td>
            <td class="number">{{ r.line ? figure(r.line) : 'all' }}</td>
            <td>{{ r.column }}</td>
            <td class="mono value">{{ r.value || '–' }}</td>
            <td>{{ r.reason }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
h2 {
  font-size: 13px;
  font-weight: 500;
  color: var(--quiet);
  margin: 12px 0 2px;
}
h2 a {
  margin-left: 10px;
  font-weight: 400;
}
.acts {
  margin: 6px 0;
}
.value {
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.codes {
  max-height: 60px;
  overflow: auto;
  font-size: 12px;
}
</style>
