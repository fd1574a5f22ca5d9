import { ApiError, failureOf, type Schemas } from './api'
import { guarded } from './session'

/**
 * A request that brings or fetches something else than JSON. What the server refuses is thrown as an
 * ApiError, like that nobody answers; `mend` is what to do then.
 */
export async function send(
  address: string,
  type: string,
  body: BodyInit,
  mend = 'try again',
): Promise<Response> {
  return whole(
    new Request(address, { method: 'POST', headers: { 'Content-Type': type }, body }),
    mend,
  )
}

/** A file that the server writes, from an address that lacks its format. */
export const fetched = (address: string, format: string) =>
  whole(new Request(`${address}${address.includes('?') ? '&' : '?'}format=${format}`))

async function whole(request: Request, mend = 'try again'): Promise<Response> {
  const gone = new ApiError('unreachable', 'the server does not answer', mend, [])
  const reply = await guarded(request).catch(() => {
    throw gone
  })
  if (reply.ok) return reply
  throw failureOf((await reply.json().catch(() => undefined)) as Schemas['Failure'] | undefined)
}

/** For `send`: a file as it is. */
export const OCTETS = 'application/octet-stream'
