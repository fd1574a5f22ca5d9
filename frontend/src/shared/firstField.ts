import { nextTick, onMounted, type Ref } from 'vue'

const FIELDS = 'input, select, textarea, [contenteditable="true"]'

/** Into a field, with what stands in it chosen, so that it is written over. */
export function enter(field: HTMLElement | null | undefined) {
  field?.focus()
  if (field instanceof HTMLInputElement) field.select()
}

/** A form that opens is written in at once. */
export function useFirstField(form: Ref<HTMLElement | undefined>) {
  onMounted(async () => {
    await nextTick()
    enter(form.value?.querySelector<HTMLElement>(FIELDS))
  })
}
