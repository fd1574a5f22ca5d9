import { ref } from 'vue'

/** The file of a sieve that was dropped, on whatever page. */
export const droppedSieve = ref<File>()
