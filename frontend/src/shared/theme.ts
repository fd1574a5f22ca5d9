import { ref } from 'vue'

const stored = localStorage.getItem('night')
export const night = ref(
  stored === null ? matchMedia('(prefers-color-scheme: dark)').matches : stored === 'yes',
)

export function applyTheme() {
  document.documentElement.classList.toggle('dark', night.value)
}

export function toggleNight() {
  night.value = !night.value
  localStorage.setItem('night', night.value ? 'yes' : 'no')
  applyTheme()
}

/** A colour of the look, resolved for drawing on canvas. */
export const ink = (name: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()
