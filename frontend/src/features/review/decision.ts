import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { ApiError, type HitView } from '@/shared/api'
import { draftOf, forgetDraft, keepDraft } from '@/shared/drafts'
import { REASONS, VERDICTS, type VerdictName } from './reasons'

/** What is said of one hit: the verdict in hand, a reason for each verdict, a note. */
export interface Words {
  kind: VerdictName
  reasons: Partial<Record<VerdictName, string>>
  note: string
  /** Differs from what the server has. */
  changed: boolean
}

type Send = (
  hit: number,
  verdict: VerdictName | null,
  reason: string,
  note: string,
) => Promise<void>

/**
 * After a verdict has led to the next hit its keys rest until it was painted and for so long after, or until
 * something was said of it: nobody can have seen it sooner.
 */
export const REST = 350
const PAUSE = 700

export const wordsOf = (hit: HitView | undefined): Words => {
  const given = hit?.verdict
  const kind = given?.verdict ?? 'drop'
  return {
    kind,
    reasons: given?.reason ? { [kind]: given.reason } : {},
    note: given?.note ?? '',
    changed: false,
  }
}

/**
 * Deciding hits one after another. A decision is of the hit that was on the page when its key went down,
 * and while it is on its way no other is begun. Words belong to their hit: they are kept when stepping
 * on, before a verdict as a draft, after it on the server.
 */
export function useDecision(
  run: Ref<number>,
  hit: Ref<HitView | undefined>,
  send: Send,
  decided: (
    hit: HitView,
    verdict: VerdictName | null,
    before: HitView['verdict'],
    why: string,
  ) => void,
) {
  const place = computed(() => `review ${run.value}`)
  const all = ref<Record<number, Words>>(draftOf<Record<number, Words>>(place.value)?.content ?? {})
  const busy = ref(false)
  const failure = shallowRef<{ error: ApiError; again: () => void }>()
  /** Since when the hit on the page can be seen; never yet, while it is being painted. */
  let seenAt = -Infinity
  let ledFrom: number | undefined
  let timer = 0

  const words = computed<Words>(() => all.value[hit.value?.id ?? 0] ?? wordsOf(hit.value))
  function change(part: Partial<Words>) {
    const present = hit.value
    if (!present) return
    seenAt = -Infinity
    const changed = part.note !== undefined || part.reasons !== undefined || words.value.changed
    all.value = { ...all.value, [present.id]: { ...words.value, ...part, changed } }
    keepDraft(place.value, open(), 0)
    if (present.verdict && changed) {
      window.clearTimeout(timer)
      timer = window.setTimeout(() => keep(present), PAUSE)
    }
  }
  /** The words that the server does not have yet. */
  const open = () => Object.fromEntries(Object.entries(all.value).filter(([, w]) => w.changed))
  const setNote = (note: string) => change({ note })
  const setKind = (kind: VerdictName) => change({ kind })
  const nextKind = () => setKind(VERDICTS[(VERDICTS.indexOf(words.value.kind) + 1) % 3]!)
  function pickReason(text: string | undefined) {
    if (text === undefined) return
    const { kind, reasons } = words.value
    change({ reasons: { ...reasons, [kind]: reasons[kind] === text ? '' : text } })
  }
  const pickNumber = (n: number) => pickReason(REASONS[words.value.kind]?.[n])

  async function tell(work: () => Promise<void>, again: () => void): Promise<boolean> {
    failure.value = undefined
    try {
      await work()
      return true
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      failure.value = { error, again }
      return false
    }
  }
  function settled(hit: number, sent: Words) {
    const now = all.value[hit]
    const same = now && now.note === sent.note && now.reasons[sent.kind] === sent.reasons[sent.kind]
    if (same) all.value = { ...all.value, [hit]: { ...now, changed: false } }
    if (Object.keys(open()).length) keepDraft(place.value, open(), 0)
    else forgetDraft(place.value)
  }
  /** What is said of a hit that has its verdict goes to the server too. */
  async function keep(of: HitView) {
    const own = all.value[of.id]
    const verdict = of.verdict?.verdict
    if (!own?.changed || !verdict) return
    const reason = own.reasons[verdict] ?? ''
    const sent = { ...own, kind: verdict }
    const work = () => send(of.id, verdict, reason, own.note)
    if (await tell(work, () => void keep(of))) settled(of.id, sent)
  }

  /** A press counts from when it was made, however late the page comes to it. */
  async function decide(verdict: VerdictName, pressedAt = performance.now()) {
    const present = hit.value
    if (!present || busy.value || pressedAt - seenAt < REST) return
    window.clearTimeout(timer)
    busy.value = true
    const before = present.verdict
    const own = { ...words.value, kind: verdict }
    const why = own.reasons[verdict] ?? ''
    all.value = { ...all.value, [present.id]: own }
    const work = () => send(present.id, verdict, why, own.note)
    const kept = await tell(work, () => void decide(verdict))
    busy.value = false
    if (!kept) return
    settled(present.id, own)
    seenAt = performance.now()
    ledFrom = present.id
    decided(present, verdict, before, why)
  }
  async function withdraw() {
    const present = hit.value
    const before = present?.verdict
    if (!before || busy.value) return
    busy.value = true
    const kept = await tell(
      () => send(present.id, null, '', ''),
      () => void withdraw(),
    )
    busy.value = false
    if (kept) decided(present, null, before, '')
  }

  watch(
    () => hit.value?.id,
    () => (failure.value = undefined),
  )
  watch(hit, (_, before) => {
    if (before && before.id !== hit.value?.id) void keep(before)
  })
  // The hit that a verdict leads to may come late, and be painted later still.
  watch(
    () => hit.value?.id,
    (_, before) => {
      if (before === undefined || before !== ledFrom) return
      ledFrom = undefined
      seenAt = Infinity
      requestAnimationFrame(() =>
        window.setTimeout(() => {
          if (seenAt === Infinity) seenAt = performance.now()
        }),
      )
    },
    { flush: 'post' },
  )
  onBeforeUnmount(() => {
    window.clearTimeout(timer)
    if (hit.value) void keep(hit.value)
  })
  return {
    words,
    busy,
    failure,
    setNote,
    setKind,
    nextKind,
    pickReason,
    pickNumber,
    decide,
    withdraw,
  }
}
