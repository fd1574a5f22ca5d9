<script setup lang="ts">
import { computed, ref } from 'vue'
import FormulaText from '@/parts/editor/FormulaText.vue'
import { answer } from '@/shared/api'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import AmountPart from './AmountPart.vue'
import { CLAUSES, PLAIN, type Rules } from './rules'

/** By which rules signals are traded, each changed where it is written. */
const props = defineProps<{
  rules: Rules | null
  /** Signals of the short side are traded, too. */
  short: boolean
}>()
const emit = defineEmits<{ change: [to: Rules | null] }>()
const ready = useRead(() => ({
  of: keys.ready,
  read: (server, signal) => answer(server.GET('/api/ready', { signal })),
}))
const readyRules = computed(() => ready.data.value?.rules ?? [])
const set = (part: Partial<Rules>) => props.rules && emit('change', { ...props.rules, ...part })
const setEntry = (part: Partial<Rules['entry']>) =>
  props.rules && set({ entry: { ...props.rules.entry, ...part } })
const setCosts = (part: Partial<Rules['costs']>) =>
  props.rules && set({ costs: { ...props.rules.costs, ...part } })
const setStop = (part: Partial<NonNullable<Rules['stop']>>) =>
  props.rules?.stop && set({ stop: { ...props.rules.stop, ...part } })
type Target = Rules['targets'][number]
const setTarget = (place: number, part: Partial<Target>) =>
  set({ targets: props.rules!.targets.map((own, n) => (n === place ? { ...own, ...part } : own)) })
const dropTarget = (place: number) =>
  set({ targets: props.rules!.targets.filter((_, n) => n !== place) })

const selected = (event: Event) => (event.target as HTMLSelectElement).value
const box = ref<HTMLSelectElement>()
function begin(event: Event) {
  const found = readyRules.value.find((own) => own.name === selected(event))
  if (found) emit('change', { ...PLAIN, ...found.rules })
  else emit('change', null)
  if (box.value) box.value.value = ''
}
function add(event: Event) {
  const found = CLAUSES.find((own) => own.name === selected(event))
  if (found && props.rules) set(found.begins(props.rules))
  ;(event.target as HTMLSelectElement).value = ''
}
const missing = computed(() => CLAUSES.filter((own) => props.rules && !own.has(props.rules)))
</script>

<template>
  <p v-if="!rules" class="sentence">
    Trades:
    <select class="inline-part" aria-label="Rules of trades" value="" @change="begin">
      <option value="">not looked at</option>
      <option v-for="own in readyRules" :key="own.name">{{ own.name }}</option>
    </select>
  </p>
  <p v-else class="sentence">
    Trade each: in
    <select
      class="inline-part"
      aria-label="Entry"
      :value="rules.entry.kind"
      @change="
        setEntry({
          kind: selected($event) as Rules['entry']['kind'],
          price: rules.entry.price || (selected($event) === 'at' ? 'close' : ''),
        })
      "
    >
      <option value="next_open">at the next open</option>
      <option value="close">at its own close</option>
      <option value="beyond">by a stop order</option>
      <option value="at">by a limit</option>
      <option value="second">after a second bar</option></select
    ><template v-if="rules.entry.kind === 'close'">, which nobody could have traded</template
    ><template v-if="rules.entry.kind === 'second'"
      >: at the open after it, if it still holds there</template
    ><template v-if="rules.entry.kind === 'beyond'">
      beyond its bar by
      <AmountPart
        :value="rules.entry.ticks"
        label="Ticks beyond its bar"
        @take="(ticks) => setEntry({ ticks })"
      />
      ticks </template
    ><template v-if="rules.entry.kind === 'at'">
      at
      <FormulaText
        role="number"
        :value="rules.entry.price"
        label="Price of the entry"
        needed
        @take="(price) => setEntry({ price })"
      />
      <template v-if="short">
        (short
        <FormulaText
          role="number"
          :value="rules.entry.short_price"
          label="Price of the entry, short"
          placeholder="mirrored"
          @take="(short_price) => setEntry({ short_price })"
        />)
      </template></template
    ><template v-if="rules.entry.kind === 'beyond' || rules.entry.kind === 'at'"
      >, working for
      <AmountPart
        :value="rules.entry.expires"
        label="Bars the order works for"
        @take="(expires) => setEntry({ expires: Math.max(1, expires) })"
      />
      bars</template
    ><template v-if="rules.stop"
      >; stop at
      <FormulaText
        role="number"
        :value="rules.stop.price"
        label="Stop"
        needed
        @take="(price) => setStop({ price })"
      />
      <template v-if="short">
        (short
        <FormulaText
          role="number"
          :value="rules.stop.short_price"
          label="Stop, short"
          placeholder="mirrored"
          @take="(short_price) => setStop({ short_price })"
        />)
      </template>
      <select
        class="inline-part"
        aria-label="The stop stays or trails"
        :value="rules.stop.trail ? 'trails' : 'stays'"
        @change="setStop({ trail: selected($event) === 'trails' })"
      >
        <option value="stays">and it stays</option>
        <option value="trails">and it trails</option></select
      ><button
        class="drop"
        aria-label="No stop"
        title="No stop"
        @click="set({ stop: null, targets: rules.targets.filter((own) => own.r === null) })"
      >
        ×
      </button></template
    ><template v-for="(target, n) in rules.targets" :key="n"
      >;
      <AmountPart
        :value="Number((100 * target.share).toFixed(2))"
        :label="`Share of target ${n + 1}, percent`"
        :most="1e6"
        any
        @take="(of) => of > 0 && of <= 100 && setTarget(n, { share: of / 100 })"
      />% out at
      <template v-if="target.r !== null">
        <AmountPart
          :value="target.r"
          :label="`Target ${n + 1} in R`"
          :most="1e6"
          any
          @take="(r) => r > 0 && setTarget(n, { r })"
        />
        R</template
      ><template v-else>
        <FormulaText
          role="number"
          :value="target.price"
          :label="`Price of target ${n + 1}`"
          needed
          @take="(price) => setTarget(n, { price })"
        />
        <template v-if="short">
          (short
          <FormulaText
            role="number"
            :value="target.short_price"
            :label="`Price of target ${n + 1}, short`"
            placeholder="mirrored"
            @take="(short_price) => setTarget(n, { short_price })"
          />)
        </template></template
      ><button
        class="drop"
        :aria-label="`No target ${n + 1}`"
        :title="`No target ${n + 1}`"
        @click="dropTarget(n)"
      >
        ×
      </button></template
    ><template v-if="rules.exit"
      >; out at the next open once
      <FormulaText
        role="condition"
        :value="rules.exit"
        label="Condition to get out"
        @take="(exit) => set({ exit })"
      />
      <template v-if="short">
        (short
        <FormulaText
          role="condition"
          :value="rules.short_exit"
          label="Condition to get out, short"
          placeholder="mirrored"
          @take="(short_exit) => set({ short_exit })"
        />) </template
      ><button
        class="drop"
        aria-label="No condition to get out"
        title="No condition to get out"
        @click="set({ exit: '', short_exit: '' })"
      >
        ×
      </button></template
    ><template v-if="rules.bars"
      >; out after
      <AmountPart
        :value="rules.bars"
        label="Bars that a trade is held at most"
        title="Emptied, it is held without end"
        @take="(bars) => set({ bars })"
      />
      bars</template
    ><template v-if="rules.against"
      >; out after
      <AmountPart
        :value="rules.against"
        label="Closes in a row against it"
        title="Emptied, it does not count"
        @take="(against) => set({ against })"
      />
      closes in a row against it</template
    ><template v-if="rules.session_end"
      >; out at the end of the session<button
        class="drop"
        aria-label="Not out at the end of the session"
        title="Not out at the end of the session"
        @click="set({ session_end: false })"
      >
        ×
      </button></template
    ><template v-if="!rules.one"
      >; every signal a trade of its own<button
        class="drop"
        aria-label="One trade at a time"
        title="One trade at a time"
        @click="set({ one: true })"
      >
        ×
      </button></template
    ><template v-if="rules.additions"
      >; up to
      <AmountPart
        :value="rules.additions"
        label="Additions on later signals"
        title="Emptied, nothing is added"
        :most="9"
        @take="(additions) => set({ additions })"
      />
      added on later signals</template
    ><template v-if="rules.a_day"
      >; at most
      <AmountPart
        :value="rules.a_day"
        label="Trades a day"
        title="Emptied, as many as there are"
        @take="(a_day) => set({ a_day })"
      />
      a day of each instrument</template
    >. Each side costs
    <AmountPart
      :value="rules.costs.ticks"
      label="Cost in ticks"
      :most="1e6"
      any
      @take="(ticks) => setCosts({ ticks })"
    />
    ticks,
    <AmountPart
      :value="rules.costs.basis_points"
      label="Cost in basis points"
      :most="1e6"
      any
      @take="(basis_points) => setCosts({ basis_points })"
    />
    basis points, and
    <AmountPart
      :value="rules.costs.slippage_ticks"
      label="Slippage in ticks"
      :most="1e6"
      any
      @take="(slippage_ticks) => setCosts({ slippage_ticks })"
    />
    ticks of slippage where it is not a limit.
    <select
      v-if="missing.length"
      class="inline-part more"
      aria-label="Add to the rules"
      value=""
      @change="add"
    >
      <option value="">add…</option>
      <option v-for="own in missing" :key="own.name">{{ own.name }}</option>
    </select>
    <select
      ref="box"
      class="inline-part more"
      aria-label="Other rules of trades"
      value=""
      @change="begin"
    >
      <option value="" disabled>other rules…</option>
      <option v-for="own in readyRules" :key="own.name">{{ own.name }}</option>
      <option value="none">no trades</option>
    </select>
  </p>
</template>

<style scoped>
.more {
  width: 15ch;
}
.drop {
  border: 0;
  background: none;
  color: var(--quiet);
  cursor: pointer;
  padding: 0 4px;
  font: inherit;
}
.drop:hover,
.drop:focus-visible {
  color: var(--fall);
}
</style>
