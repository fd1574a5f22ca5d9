import { ref } from 'vue'

/** The desk does not know this browser, or does so no more: nothing is answered until it is let in. */
export const shutOut = ref(false)
/** Something was answered since the page was opened. */
let wasIn = false

class Refused extends Error {
  constructor(readonly reply: Response) {
    super('no session')
  }
}

/**
 * Requests for changes bear the token of the session, which only pages of ours can read. A token that is
 * no longer known, as the server was made anew, is asked for once more.
 */
let token: Promise<string> | undefined

async function sent(request: Request): Promise<Response> {
  const reply = await fetch(request)
  if (reply.status === 401) shutOut.value = true
  else if (reply.ok) wasIn = true
  return reply
}

async function ask(): Promise<string> {
  const reply = await sent(new Request('/api/session'))
  if (!reply.ok) throw new Refused(reply)
  return ((await reply.json()) as { token: string }).token
}

async function borne(request: Request): Promise<Response> {
  token ??= ask()
  try {
    request.headers.set('X-Session-Token', await token)
  } catch (problem) {
    token = undefined
    if (problem instanceof Refused) return problem.reply.clone()
    throw problem
  }
  return sent(request)
}

/** A request that looks from a moment, by whoever is let in. */
export async function guarded(request: Request, moment?: string): Promise<Response> {
  if (moment) request.headers.set('As-Of', moment)
  if (request.method === 'GET') return sent(request)
  const again = request.clone()
  const reply = await borne(request)
  if (reply.status !== 403) return reply
  const failure = (await reply
    .clone()
    .json()
    .catch(() => ({}))) as { code?: string }
  if (failure.code !== 'no_token') return reply
  token = undefined
  return borne(again)
}

/** Whether this browser is let in now. A page that was never answered begins anew; others go on. */
export async function letIn(): Promise<boolean> {
  const reply = await fetch('/api/session').catch(() => undefined)
  if (!reply?.ok) return false
  token = undefined
  if (!wasIn) window.location.reload()
  shutOut.value = false
  return true
}
