import { answer, present, type Mending } from '@/shared/api'

/** Moments as they are written here: a day, or a day and the time of it, by UTC. */
export function written(seconds: number): string {
  const text = new Date(seconds * 1000).toISOString()
  return seconds % 86_400 ? text.slice(0, 16).replace('T', ' ') : text.slice(0, 10)
}

/** Seconds since 1970; nothing where a text is no moment. */
export function read(text: string): number | undefined {
  const found = /^(\d{4}-\d{2}-\d{2})(?:[ T](\d{2}:\d{2}))?$/.exec(text.trim())
  const moment = found ? Date.parse(`${found[1]}T${found[2] ?? '00:00'}:00Z`) : NaN
  return Number.isFinite(moment) ? moment / 1000 : undefined
}

export const begun = (code: string, part: Partial<Mending> = {}): Mending => ({
  code,
  kind: 'leave out',
  first: 0,
  last: 0,
  seconds: 86_400,
  values: {},
  new: 1,
  old: 1,
  finding: '',
  reason: '',
  ...part,
})

export const mend = (mending: Mending) =>
  answer(present.POST('/api/mendings', { body: { mending } }))

export const takeBack = (id: number) =>
  answer(present.DELETE('/api/mendings/{mending_id}', { params: { path: { mending_id: id } } }))

export const restore = (id: number) =>
  answer(
    present.POST('/api/mendings/{mending_id}/restore', { params: { path: { mending_id: id } } }),
  )
