import type { Key } from './read'

const kept = (name: string, ...of: unknown[]): Key => ['kept', name, ...of]
const seen = (name: string, ...of: unknown[]): Key => ['seen', name, ...of]

/** All that pages read of the server, by name. One without what it is of stands for all of its kind. */
export const keys = {
  arrangements: (page: string) => kept('arrangements', page),
  archivedFormulas: kept('archived formulas'),
  archivedInstruments: kept('archived instruments'),
  archivedSieves: kept('archived sieves'),
  archivedUniverses: kept('archived universes'),
  demo: kept('demo'),
  differences: (before: string, after: string) => kept('differences', before, after),
  formulas: kept('formulas'),
  formulaVersions: (id: number, newest: number) => kept('formula versions', id, newest),
  hitChart: (hit: number, dress: unknown) => kept('hit chart', hit, dress),
  import: (id: number) => kept('import', id),
  importLines: (id: number, ...part: unknown[]) => kept('import lines', id, ...part),
  imports: (...part: unknown[]) => kept('imports', ...part),
  ready: kept('ready'),
  reference: kept('reference'),
  run: (id: number) => kept('run', id),
  runs: kept('runs'),
  sieve: (id: string) => kept('sieve', id),
  sieves: kept('sieves'),
  sieveVersions: (id: number, newest: number) => kept('sieve versions', id, newest),
  sources: kept('sources'),
  venues: kept('venues'),
  vocabulary: kept('vocabulary'),

  ahead: (days: number) => seen('ahead', days),
  board: (arranged: unknown) => seen('board', arranged),
  case: (asked: unknown) => seen('case', asked),
  evidence: (asked: unknown) => seen('evidence', asked),
  doubts: (...universe: string[]) => seen('doubts', ...universe),
  hits: (run: number, ...part: unknown[]) => seen('hits', run, ...part),
  instrument: (...code: string[]) => seen('instrument', ...code),
  instruments: (...universe: string[]) => seen('instruments', ...universe),
  look: (...of: unknown[]) => seen('look', ...of),
  outlooks: seen('outlooks'),
  overview: (part: string, arranged: unknown) => seen('overview', part, arranged),
  scatter: (asked: unknown) => seen('scatter', asked),
  sessions: seen('sessions'),
  strength: (arranged: unknown, line: number) => seen('strength', arranged, line),
  thread: seen('thread'),
  universes: seen('universes'),
  verdicts: (...part: unknown[]) => seen('verdicts', ...part),
} as const
