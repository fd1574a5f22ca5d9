<script setup lang="ts">
import { instrumentAt } from '@/shared/addresses'
import { plural } from './format'

/** Which instruments count nowhere, as their bars have stopped. */
defineProps<{ codes: readonly string[] | undefined }>()
</script>

<template>
  <span v-if="codes?.length" class="quiet" :title="codes.join(', ')">
    {{ plural(codes.length, 'instrument') }} left out, {{ codes.length > 1 ? 'their' : 'its' }} bars
    have stopped:
    <template v-for="(code, n) in codes.slice(0, 3)" :key="code"
      ><template v-if="n">, </template
      ><RouterLink class="mono" :to="instrumentAt(code)">{{ code }}</RouterLink></template
    ><template v-if="codes.length > 3"> and {{ codes.length - 3 }} more</template>.
  </span>
</template>
