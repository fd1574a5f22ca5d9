import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref, shallowRef } from 'vue'
import { REST, useDecision } from '@/features/review/decision'
import { ApiError, type HitView } from '@/shared/api'
import { hit, later, within } from './setting'

const A = hit('A')
const B = hit('B')
const given = (of: HitView, verdict: 'take' | 'drop', note = ''): HitView => ({
  ...of,
  verdict: { verdict, reason: '', note, created_at: '', run_id: 1 },
})

describe('deciding hits', () => {
  let sent: unknown[][]
  let reply: ReturnType<typeof later>
  const present = shallowRef<HitView | undefined>(A)
  const decided = vi.fn()
  let desk: ReturnType<typeof open>

  const open = () =>
    within(() =>
      useDecision(
        ref(1),
        present,
        (...words) => {
          sent.push(words)
          return reply.promise
        },
        decided,
      ),
    )
  beforeEach(() => {
    vi.useFakeTimers()
    localStorage.clear()
    sent = []
    reply = later()
    present.value = A
    decided.mockClear()
    desk = open()
  })
  afterEach(() => {
    desk.leave()
    vi.useRealTimers()
  })
  async function step(to: HitView) {
    present.value = to
    await nextTick()
  }

  it('a second key while the first is on its way decides nothing', async () => {
    void desk.decide('take')
    void desk.decide('drop')
    await step(B)
    void desk.decide('drop')
    expect(sent).toEqual([[A.id, 'take', '', '']])
    reply.settle()
    await flushPromises()
    expect(decided).toHaveBeenCalledOnce()
    expect(decided.mock.calls[0]![0].code).toBe('A')
  })

  it('a key in the first moments on the next hit decides nothing, a later one does', async () => {
    void desk.decide('take')
    reply.settle()
    await flushPromises()
    await step(B)
    const early = performance.now()
    void desk.decide('drop')
    expect(sent).toHaveLength(1)
    vi.advanceTimersByTime(REST + 50)
    void desk.decide('drop', early)
    expect(sent).toHaveLength(1)
    void desk.decide('drop')
    expect(sent.at(-1)).toEqual([B.id, 'drop', '', ''])
  })

  it('words typed before the verdict go with it, and stay with their hit when stepping on', async () => {
    desk.setNote('thin')
    desk.pickNumber(0)
    await step(B)
    expect(desk.words.value.note).toBe('')
    expect(desk.words.value.reasons).toEqual({})
    await step(A)
    expect(desk.words.value.note).toBe('thin')
    void desk.decide('drop')
    expect(sent).toEqual([[A.id, 'drop', 'too extended', 'thin']])
  })

  it('words survive leaving the page before they are sent', () => {
    desk.setNote('thin')
    desk.leave()
    desk = open()
    expect(desk.words.value.note).toBe('thin')
  })

  it('words typed after the verdict are sent with it, after a pause or when stepping on', async () => {
    await step(given(A, 'take'))
    desk.setNote('later thought')
    vi.advanceTimersByTime(2000)
    expect(sent).toEqual([[A.id, 'take', '', 'later thought']])
    reply.settle()
    await flushPromises()
    desk.setNote('another')
    await step(B)
    expect(sent.at(-1)).toEqual([A.id, 'take', '', 'another'])
  })

  it('a reason belongs to one verdict of one hit', async () => {
    desk.setKind('take')
    desk.pickNumber(1)
    void desk.decide('drop')
    expect(sent).toEqual([[A.id, 'drop', '', '']])
    await step(B)
    expect(desk.words.value.kind).toBe('drop')
  })

  it('a refusal is told, keeps the words, and can be tried again', async () => {
    desk.setNote('thin')
    void desk.decide('take')
    reply.refuse(new ApiError('unreachable', 'the server does not answer', null, []))
    await flushPromises()
    expect(desk.failure.value?.error.message).toBe('the server does not answer')
    expect(decided).not.toHaveBeenCalled()
    reply = later()
    desk.failure.value?.again()
    expect(sent).toHaveLength(2)
    reply.settle()
    await flushPromises()
    expect(decided).toHaveBeenCalledOnce()
    expect(desk.failure.value).toBeUndefined()
  })
})
