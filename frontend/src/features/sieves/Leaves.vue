<script setup lang="ts">
import { computed } from 'vue'
import type { Preview } from '@/shared/api'
import { asSentence, figure, plural, sides, told } from '@/shared/format'
import Mesh from '@/shared/Mesh.vue'
import PriceTail from '@/shared/PriceTail.vue'

/** What a sieve leaves: those that pass, and those that one condition alone keeps out. */
const props = defineProps<{
  preview: Preview
  /** The last one that could be sifted, whose list stays while something is mended. */
  last: Preview
  names: readonly string[]
  rank: string
  /** A moment of the past is looked from. */
  then: boolean
  chosen: string
  /** The sieve looks for both sides. */
  sided: boolean
}>()
defineEmits<{ choose: [code: string] }>()
/** A problem with a place in a text is underlined there; others are told only. */
const underlined = computed(() => props.preview.problems.some((problem) => problem.place))
const undecided = computed(() => {
  const parts = Object.entries(props.preview.undecided ?? {}).map(
    ([cause, n]) => `${n} undecided: ${cause}.`,
  )
  if (props.preview.stale) parts.push(`${props.preview.stale} stale, left out.`)
  return parts.join(' ')
})
</script>

<template>
  <p v-if="preview.ok" class="sentence">
    <b>{{ preview.passing }}</b> of {{ preview.instruments }} pass {{ then ? 'then' : 'now' }}.
    <span class="quiet">{{ undecided }}</span>
    <span
      v-if="preview.hindsight.length"
      class="warn"
      :title="preview.hindsight.map(asSentence).join('\n')"
    >
      Partly by what is known now.</span
    >
  </p>
  <template v-else>
    <p class="sentence">{{ underlined ? 'Not yet: correct what is underlined.' : 'Not yet.' }}</p>
    <p v-for="(p, n) in preview.problems" :key="n" class="fall">{{ told(p) }}</p>
  </template>
  <slot />
  <div :class="{ old: !preview.ok }">
    <p v-if="preview.ok && !preview.instruments" class="empty">
      Nobody is in this universe yet: choose another one, or
      <RouterLink to="/imports">import data</RouterLink>.
    </p>
    <p v-else-if="preview.ok && !preview.hits.length" class="empty">
      Nothing passes. The thin bars show which condition cuts most: loosen the one whose “without
      it” is largest.
    </p>
    <ul>
      <li v-for="hit in last.hits" :key="hit.code">
        <button
          class="leaf"
          :class="{ here: hit.code === chosen }"
          :aria-pressed="hit.code === chosen"
          @click="$emit('choose', hit.code)"
        >
          <span class="mono code">{{ hit.code }}</span>
          <Mesh :cells="hit.cells" :names="names" :within="118" />
          <PriceTail
            :closes="hit.closes"
            :signal="hit.closes.length - 1 - hit.age"
            :width="84"
            :height="22"
          />
          <span class="quiet more">
            <span v-if="sided">{{ sides([hit.side]) }}</span>
            <span class="name">{{ hit.name }}</span>
            <span v-if="rank" :title="`ranked by ${rank}`">{{ figure(hit.rank) }}</span>
            <span>{{ hit.begun ? '' : 'at least ' }}{{ plural(hit.age + 1, 'bar') }}</span>
            <span
              v-if="hit.provisional"
              class="fall"
              title="It rests on a bar that has not closed, and may change until it does"
              >provisional</span
            >
          </span>
        </button>
      </li>
    </ul>
    <p v-if="last.passing > last.hits.length" class="quiet">
      and {{ last.passing - last.hits.length }} more; run it to see them all
    </p>
    <template v-if="last.near_count">
      <h2>{{ last.near_count === 1 ? '1 near miss' : `${last.near_count} near misses` }}</h2>
      <ul>
        <li v-for="miss in last.near" :key="miss.code">
          <button
            class="leaf miss"
            :class="{ here: miss.code === chosen }"
            :aria-pressed="miss.code === chosen"
            :title="`${miss.name}: ${miss.sentence}`"
            @click="$emit('choose', miss.code)"
          >
            <span class="mono code">{{ miss.code }}</span>
            <span class="quiet">by {{ miss.condition + 1 }}</span>
            <span class="lacks"
              ><template v-if="sided">{{ sides([miss.side]) }}: </template
              >{{ miss.lacks || miss.sentence }}</span
            >
          </button>
        </li>
      </ul>
    </template>
    <p v-if="preview.ok" class="quiet timing">sifted in {{ preview.milliseconds.toFixed(0) }} ms</p>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
h2 {
  font-size: 13px;
  font-weight: 600;
  margin: 12px 0 2px;
}
.leaf {
  display: grid;
  grid-template-columns: 62px minmax(0, 1fr) 84px;
  gap: 0 8px;
  align-items: center;
  width: 100%;
  padding: 3px 4px;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
  cursor: pointer;
}
.leaf:hover,
.leaf.here {
  background: var(--accent-wash);
}
.code {
  color: var(--accent);
}
.more {
  grid-column: 1 / -1;
  display: flex;
  gap: 10px;
  font-size: 12px;
  line-height: 16px;
}
.more .name {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.miss {
  grid-template-columns: 62px 32px minmax(0, 1fr);
  min-height: 26px;
  font-size: 12px;
}
.lacks {
  line-height: 15px;
  padding: 3px 0;
}
.sentence {
  margin: 0 0 4px;
}
.old {
  opacity: 0.45;
}
.timing {
  font-size: 12px;
}
</style>
