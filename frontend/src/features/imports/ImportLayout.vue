<script setup lang="ts">
import type { Layout } from '@/shared/api'
import InlineText from '@/shared/InlineText.vue'

/** How a file is written, as a sentence whose parts are corrected where they stand. */
const props = defineProps<{ layout: Layout; many: boolean; dates: readonly string[] }>()
const emit = defineEmits<{ correct: [part: Partial<Layout>] }>()
const CONTENTS = ['bars', 'trades', 'instruments', 'facts', 'events', 'venues'] as const
const SEPARATORS = [
  [',', 'commas'],
  [';', 'semicolons'],
  ['\t', 'tabs'],
  ['|', 'vertical bars'],
] as const
const DATES = [
  'year month day',
  'day month year',
  'month day year',
  'seconds since 1970',
  'milliseconds since 1970',
  'microseconds since 1970',
  'nanoseconds since 1970',
] as const
const ORDERS = DATES.slice(0, 3)
const ENCODINGS = [
  ['utf-8', 'UTF-8'],
  ['utf-16', 'UTF-16'],
  ['cp1252', 'Western (CP-1252)'],
] as const
const KINDS = [
  ['other', 'of no kind said'],
  ['share', 'shares'],
  ['cross', 'crosses of currencies'],
  ['future', 'futures'],
  ['index', 'indexes'],
  ['gauge', 'gauges'],
] as const
const zones = Intl.supportedValuesOf('timeZone')
const value = (event: Event) => (event.target as HTMLSelectElement).value
const timed = () => props.layout.content === 'bars' || props.layout.content === 'trades'
/** Another content has other fields: what the columns are is said anew. */
function hold(content: string) {
  const kept = Object.entries(props.layout.columns ?? {}).filter(([f]) =>
    ['instrument', 'time', 'clock'].includes(f),
  )
  emit('correct', { content: content as Layout['content'], columns: Object.fromEntries(kept) })
}
</script>

<template>
  <p class="sentence">
    It holds
    <select
      class="inline-part"
      aria-label="What it holds"
      :value="layout.content"
      @change="hold(value($event))"
    >
      <option v-for="c in CONTENTS" :key="c">{{ c }}</option></select
    >, in columns separated by
    <select
      class="inline-part"
      aria-label="Separator"
      :value="layout.separator"
      @change="emit('correct', { separator: value($event) })"
    >
      <option v-for="[s, told] in SEPARATORS" :key="s" :value="s">{{ told }}</option></select
    >; decimals stand after a
    <select
      class="inline-part"
      aria-label="Decimal sign"
      :value="layout.decimal"
      @change="emit('correct', { decimal: value($event) })"
    >
      <option value=".">point</option>
      <option value=",">comma</option></select
    >, dates are written
    <select
      class="inline-part"
      aria-label="Dates"
      :value="layout.dates"
      @change="emit('correct', { dates: value($event) as Layout['dates'], asked: [] })"
    >
      <option v-for="d in DATES" :key="d">{{ d }}</option></select
    ><template v-if="layout.content !== 'instruments' && layout.content !== 'venues'"
      >, times without an offset are those of
      <InlineText
        aria-label="Time zone"
        list="zones-of-files"
        :value="layout.zone ?? 'UTC'"
        @take="(zone) => emit('correct', { zone })" /><datalist id="zones-of-files">
        <option value="UTC" />
        <option v-for="z in zones" :key="z" :value="z" /></datalist></template
    ><template v-if="timed() && !layout.columns?.instrument && layout.by_file"
      >; each file is of the instrument that its name says</template
    ><template v-else-if="timed() && !layout.columns?.instrument"
      >; all rows are of
      <InlineText
        aria-label="Instrument of all rows"
        :value="layout.code ?? ''"
        maxlength="40"
        @take="(code) => emit('correct', { code })" /></template
    ><template v-if="layout.content === 'bars' && !many"
      >; instruments stand
      <select
        class="inline-part"
        aria-label="Where instruments stand"
        :value="layout.across ? 'across' : 'rows'"
        @change="emit('correct', { across: value($event) === 'across' })"
      >
        <option value="rows">in rows of their own</option>
        <option value="across">in columns of their own</option>
      </select></template
    ><template v-if="layout.columns?.adjusted"
      >; adjusted closes
      <select
        class="inline-part"
        aria-label="Adjusted closes"
        :value="layout.adjusted"
        @change="emit('correct', { adjusted: value($event) as Layout['adjusted'] })"
      >
        <option value="left alone">are left alone</option>
        <option value="splits and payments">give splits and payments to correct by</option>
        <option value="a line of their own">are a line of their own</option>
      </select></template
    ><template v-if="timed()"
      >; prices
      <select
        class="inline-part"
        aria-label="Prices"
        :value="layout.negative ? 'any' : 'above'"
        @change="emit('correct', { negative: value($event) === 'any' })"
      >
        <option value="above">are above zero</option>
        <option value="any">may be negative</option></select
      >. Those that are new here are
      <select
        class="inline-part"
        aria-label="Kind of new instruments"
        :value="layout.kind"
        @change="emit('correct', { kind: value($event) as Layout['kind'] })"
      >
        <option v-for="[kind, told] in KINDS" :key="kind" :value="kind">{{ told }}</option></select
      >, priced in
      <InlineText
        aria-label="Currency of new instruments"
        placeholder="no currency"
        :value="layout.currency ?? ''"
        maxlength="20"
        @take="(currency) => emit('correct', { currency: currency.trim() })" /></template
    >.
    <span class="quiet">
      The text is
      <select
        class="inline-part"
        aria-label="Encoding"
        :value="layout.encoding"
        @change="emit('correct', { encoding: value($event) as Layout['encoding'] })"
      >
        <option v-for="[e, told] in ENCODINGS" :key="e" :value="e">{{ told }}</option></select
      >, the table
      <select
        class="inline-part"
        aria-label="Header"
        :value="layout.header ? 'yes' : 'no'"
        @change="emit('correct', { header: value($event) === 'yes', columns: {} })"
      >
        <option value="yes">has a header</option>
        <option value="no">has no header</option></select
      >, and
      <InlineText
        :least="4"
        inputmode="numeric"
        aria-label="Lines before the table"
        :value="String(layout.skip ?? 0)"
        @take="(text) => emit('correct', { skip: Math.min(300, Math.max(0, Number(text) || 0)) })"
      />
      lines stand before it<template v-if="layout.header"
        >,
        <InlineText
          :least="4"
          inputmode="numeric"
          aria-label="Lines under the header"
          :value="String(layout.under ?? 0)"
          @take="(text) => emit('correct', { under: Math.min(9, Math.max(0, Number(text) || 0)) })"
        />
        under its header that are no rows</template
      >.
    </span>
  </p>
  <p v-if="layout.asked?.length" class="asked" role="alert">
    In which order are dates such as {{ dates.join(', ') }} written? It can't be seen, and nothing
    is taken before you say so.
    <button
      v-for="order in ORDERS"
      :key="order"
      class="button"
      @click="emit('correct', { dates: order, asked: [] })"
    >
      {{ order }}
    </button>
  </p>
</template>

<style scoped>
.asked {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin: 4px 0;
  padding-left: 8px;
  border-left: 3px solid var(--accent);
}
</style>
