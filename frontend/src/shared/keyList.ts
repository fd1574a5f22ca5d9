import { ref } from 'vue'

export const showKeys = ref(false)
