import { ApiError, type Import, type Schemas } from '@/shared/api'
import { guarded } from '@/shared/session'

const gone = () =>
  new ApiError('unreachable', 'the server does not answer', 'bring the file in again', [])

/** Bring in a file as it is; tells what the server made of it. */
export async function bring(file: File): Promise<Import> {
  const address = `/api/imports?name=${encodeURIComponent(file.name)}`
  const headers = { 'Content-Type': 'application/octet-stream' }
  let reply: Response
  try {
    reply = await guarded(new Request(address, { method: 'POST', headers, body: file }))
  } catch {
    throw gone()
  }
  const told: unknown = await reply.json().catch(() => undefined)
  if (reply.ok) return told as Import
  const failure = told as Schemas['Failure'] | undefined
  throw failure
    ? new ApiError(failure.code, failure.message, failure.mend, failure.problems)
    : gone()
}

export const isAtWork = (own: Import) => own.state === 'reading' || own.state === 'taking'

/** Which column is what: one that becomes a field is nothing else, and no other is that field. */
export function named(
  columns: Readonly<Record<string, string>>,
  column: string,
  field: string,
): Record<string, string> {
  const kept = Object.entries(columns).filter(([f, c]) => f !== field && c !== column)
  return Object.fromEntries(field ? [...kept, [field, column]] : kept)
}
