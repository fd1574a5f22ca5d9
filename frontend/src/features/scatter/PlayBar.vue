<script setup lang="ts">
import { moment } from '@/shared/format'
import { PACES, type usePlaying } from './playing'

/** How the session is played: pace, pause, and any of its moments. */
const props = defineProps<{ play: ReturnType<typeof usePlaying> }>()
const emit = defineEmits<{ from: [seconds: number] }>()
const { pace } = props.play
const told = () => {
  const seconds = props.play.moments.value[props.play.at.value]
  return seconds === undefined ? '' : moment(new Date(1000 * seconds).toISOString())
}
</script>

<template>
  <div class="bar" role="group" aria-label="The session as it went">
    <button class="button" @click="play.run(!play.running.value)">
      {{ play.running.value ? 'Pause' : 'Play' }} <kbd>p</kbd>
    </button>
    <input
      type="range"
      min="0"
      :max="Math.max(0, play.moments.value.length - 1)"
      :value="play.at.value"
      :aria-valuetext="told()"
      aria-label="Moment of the session"
      @input="play.go(Number(($event.target as HTMLInputElement).value))"
    />
    <span class="told"
      >{{ told() }}
      <span v-if="play.waiting.value" class="quiet" role="status">reading…</span></span
    >
    <select v-model="pace" class="inline-part" aria-label="Pace">
      <option v-for="one in PACES" :key="one" :value="one">{{ one }} a second</option>
    </select>
    <button
      class="button plain"
      :disabled="!play.moments.value.length"
      @click="emit('from', play.moments.value[play.at.value]!)"
    >
      look from here
    </button>
    <button class="button plain" @click="play.stop()">leave</button>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 10px;
}
input[type='range'] {
  flex: 1;
  min-height: 24px;
  accent-color: var(--accent);
}
.told {
  min-width: 30ch;
}
</style>
