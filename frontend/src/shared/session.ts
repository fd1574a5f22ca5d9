import { asOf } from './asOf'

/**
 * Requests for changes bear the token of the session, which only pages of ours can read. A token that is
 * no longer known, as the server was made anew, is asked for once more.
 */
let token: Promise<string> | undefined

const ask = async () => {
  const reply = await fetch('/api/session')
  if (!reply.ok) throw new Error('no session')
  return ((await reply.json()) as { token: string }).token
}

async function borne(request: Request): Promise<Response> {
  token ??= ask()
  try {
    request.headers.set('X-Session-Token', await token)
  } catch (problem) {
    token = undefined
    throw problem
  }
  return fetch(request)
}

/** Every request looks from the moment that the desk was set back to. */
export async function guarded(request: Request): Promise<Response> {
  if (asOf.value) request.headers.set('As-Of', asOf.value)
  if (request.method === 'GET') return fetch(request)
  const again = request.clone()
  const reply = await borne(request)
  if (reply.status !== 403) return reply
  const failure = (await reply.clone().json()) as { code?: string }
  if (failure.code !== 'no_token') return reply
  token = undefined
  return borne(again)
}
