import type { Schemas, Sieve } from '@/shared/api'
import { draftOf, forgetDraft, keepDraft } from '@/shared/drafts'
import { done } from '@/shared/undo'

export type Offered = Schemas['OfferedSieve']
const NEW = 'sieve new'

/** What is offered becomes the draft of a new sieve; the one that was there can be had back. */
export function takeAsDraft(sieve: Sieve) {
  const before = draftOf<Sieve>(NEW)
  keepDraft(NEW, sieve, 0)
  done(`“${sieve.name}” is on the page, and is kept once you save it.`, () => {
    if (before) keepDraft(NEW, before.content, before.basedOn)
    else forgetDraft(NEW)
    location.assign(before ? '/sieves/new' : '/sieves')
  })
}
