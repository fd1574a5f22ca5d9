import type { Diagnostic } from '@codemirror/lint'
import type { Text } from '@codemirror/state'
import type { Problem } from '@/shared/api'

/** Problems of the server at their places in the text; those that no longer fit are clipped. */
export function diagnostics(doc: Text, problems: readonly Problem[] = []): Diagnostic[] {
  return problems.map((problem) => {
    const line = doc.line(Math.min(problem.place?.line ?? 1, doc.lines))
    const column = problem.place?.column ?? 1
    const from = Math.min(line.from + column - 1, Math.max(line.from, line.to - 1))
    const to = Math.min(Math.max(from + 1, from + (problem.place?.length ?? 1)), doc.length)
    const mend = problem.mend ? ` — ${problem.mend}` : ''
    return { from: Math.min(from, to), to, severity: 'error', message: problem.message + mend }
  })
}
