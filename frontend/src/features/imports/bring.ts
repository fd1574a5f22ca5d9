import type { Import, Schemas } from '@/shared/api'
import { OCTETS, send } from '@/shared/send'
import { archive } from './archive'

/** Bring in a file as it is; tells what the server made of it. */
export async function bring(file: File): Promise<Import> {
  const address = `/api/imports?name=${encodeURIComponent(file.name)}`
  const reply = await send(address, OCTETS, file, 'bring the file in again')
  return (await reply.json()) as Import
}

/** Import some of many files that come under one token; the server parts them by their shape. */
export async function bringSome(
  files: readonly File[],
  token: string,
  last: boolean,
): Promise<Schemas['Gathered']> {
  const address = `/api/imports/many?gathering=${token}&last=${last}`
  const reply = await send(address, OCTETS, archive(files), 'bring the files in again')
  return (await reply.json()) as Schemas['Gathered']
}

export const isAtWork = (own: Import) => ['reading', 'taking', 'going'].includes(own.state)

/** How far an import is, in words. */
export const STATES: Record<Import['state'], string> = {
  coming: 'coming in',
  reading: 'being read',
  ready: 'ready',
  taking: 'being taken',
  done: 'taken',
  failed: 'failed',
  cancelled: 'stopped',
  going: 'being taken back',
  gone: 'taken back',
}

/** Which column is what: one that becomes a field is nothing else, and no other is that field. */
export function named(
  columns: Readonly<Record<string, string>>,
  column: string,
  field: string,
): Record<string, string> {
  const kept = Object.entries(columns).filter(([f, c]) => f !== field && c !== column)
  return Object.fromEntries(field ? [...kept, [field, column]] : kept)
}
