import { useKept } from '@/shared/store'
import { computed, ref, watch, type Ref } from 'vue'
import { answer, type Problem, type Reading, type Schemas } from '@/shared/api'
import { useLatest } from '@/shared/latest'
import { useServer } from '@/shared/moment'

export type Row = Schemas['Row-Input']
export type Face = 'text' | 'parts'

/** The face in which conditions were written last. */
export const lastFace = useKept<Face>('face of conditions', 'text')

export const BLANK: Row = {
  negated: false,
  on: '',
  span: '',
  bars: '',
  least: '',
  left: { text: '', on: '' },
  relation: '>',
  right: { text: '', on: '' },
  other: { text: '', on: '' },
  tolerance: '',
  how: null,
  count: '',
  parts: [],
}

/** A group of conditions; asked of several bars is what is asked of each. */
export const group = (how: NonNullable<Row['how']>, parts: Row[]): Row => ({
  ...BLANK,
  relation: 'holds',
  how,
  count: how === 'least' || how === 'then' ? String(Math.min(2, parts.length)) : '',
  parts,
})

/** Parts of texts that were read lately: a condition that is moved or undone has them at once. */
const known = new Map<string, Row>()
const MOST_KNOWN = 300
function remember(text: string, row: Row) {
  known.delete(text)
  known.set(text, row)
  if (known.size > MOST_KNOWN) known.delete(known.keys().next().value!)
}

/**
 * The parts of a condition beside its text. What is changed in the parts is written into the text by the
 * server; what is changed in the text comes back as parts with what is said of it.
 */
export function useRows(
  text: Ref<string>,
  reading: Ref<Reading | undefined>,
  said: Ref<boolean | undefined>,
) {
  const row = ref<Row>()
  const problems = ref<readonly Problem[]>([])
  /** The text that the parts on the page were written as. */
  let written: string | undefined
  const server = useServer()
  const latest = useLatest<Row, Schemas['Written']>(0, (asked, signal) =>
    answer(server.POST('/api/rows', { body: { row: asked }, signal })),
  )
  watch(latest.reply, (reply) => {
    if (!reply) return
    problems.value = reply.problems
    written = reply.text
    text.value = reply.text
  })
  watch(
    [reading, said, text],
    () => {
      if (said.value && reading.value?.row) remember(text.value, reading.value.row)
      if (text.value === written) return
      latest.stop()
      problems.value = []
      row.value = known.get(text.value)
      written = said.value || row.value ? text.value : undefined
    },
    { immediate: true },
  )
  function edit(changed: Row) {
    row.value = changed
    latest.soon(changed)
  }
  const problemAt = (path: string) => problems.value.find((p) => p.subject === path)?.message
  return {
    row,
    edit,
    problemAt,
    error: latest.error,
    again: latest.again,
    broken: computed(() => problems.value.length > 0),
  }
}
