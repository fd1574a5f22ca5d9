import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, test, vi } from 'vitest'
import { nextTick, ref, type Ref } from 'vue'
import ConditionRow from '@/features/sieves/ConditionRow.vue'
import { condition, empty, merged, upToDate, useHistory } from '@/parts/shaping/draft'
import { useAct } from '@/shared/act'
import { ApiError, type Sieve } from '@/shared/api'
import { draftOf, forgetDraft, keepDraft } from '@/shared/drafts'
import { useKeys } from '@/shared/keys'
import { useLatest } from '@/shared/latest'
import Reply from '@/shared/Reply.vue'
import Archived from '@/shared/Archived.vue'
import { done, forgetSteps, offer, takeBack } from '@/shared/undo'
import { later, press, within } from './setting'

const refusal = new ApiError('unreachable', 'the server does not answer', null, [])

describe('requests that change something', () => {
  it('are one at a time, and a refusal is told with a way to try again', async () => {
    const { act, busy, failure, leave } = within(useAct)
    let reply = later()
    const work = vi.fn(() => reply.promise)
    void act('Not saved', work)
    void act('Not saved', work)
    expect(work).toHaveBeenCalledOnce()
    expect(busy.value).toBe(true)
    reply.refuse(refusal)
    await flushPromises()
    expect(failure.value?.what).toBe('Not saved')
    reply = later()
    failure.value?.again()
    reply.settle()
    await flushPromises()
    expect(work).toHaveBeenCalledTimes(2)
    expect(failure.value).toBeUndefined()
    leave()
  })

  it('an undo that fails stays on offer and says so', async () => {
    let fails = true
    done('Gone.', async () => {
      if (fails) throw refusal
    })
    await takeBack()
    expect(offer.value?.text).toBe('Not undone: the server does not answer.')
    fails = false
    await takeBack()
    expect(offer.value).toBeNull()
  })

  it('is taken back step by step, one press one step', async () => {
    const undone: string[] = []
    for (const name of ['one', 'two', 'three']) done(`${name}.`, () => undone.push(name))
    await Promise.all([takeBack(), takeBack()])
    expect([undone, offer.value?.text]).toEqual([['three'], 'Undone. Before it: two.'])
    offer.value = null
    await takeBack()
    await takeBack()
    expect([undone, offer.value]).toEqual([['three', 'two', 'one'], null])
    await takeBack()
    expect(offer.value).toEqual({ text: 'There is nothing to take back here.' })
    done('here.', () => undone.push('here'))
    forgetSteps()
    await takeBack()
    await takeBack()
    expect(undone).toEqual(['three', 'two', 'one', 'here'])
  })

  it('an undo that ends late leaves what is on offer by then', async () => {
    const slow = later()
    done('Dropped.', () => slow.promise)
    const undoing = takeBack()
    done('Written.')
    slow.settle()
    await undoing
    expect(offer.value?.text).toBe('Written.')
  })
})

describe('what was asked of the server', () => {
  const shown = (
    of: { data: Ref<unknown>; error: Ref<unknown>; again: () => unknown },
    more = {},
  ) =>
    mount(Reply, {
      props: { of, what: 'It can’t be shown', reading: 'looking…', ...more },
      slots: { default: 'what is there', empty: 'nothing at all' },
    })
  it('is told as asked, as there, and as failed with the way to try again', async () => {
    const data = ref<unknown>()
    const error = ref<unknown>()
    const again = vi.fn()
    const page = shown({ data, error, again })
    expect(page.text()).toBe('looking…')
    error.value = new ApiError('c', 'the server is away', 'wait', [])
    await nextTick()
    expect(page.text()).toContain('It can’t be shown: the server is away.')
    expect(page.text()).not.toContain('what is there')
    await page.get('button').trigger('click')
    expect(again).toHaveBeenCalledTimes(1)
    error.value = undefined
    data.value = []
    await nextTick()
    expect(page.text()).toBe('what is there')
    await page.setProps({ empty: true })
    expect(page.text()).toBe('nothing at all')
  })
  it('stays in sight where only reading it anew fails, but for what stands alone', async () => {
    const failed = ref(new ApiError('c', 'away', '', []))
    const of = { data: ref(0), error: failed, again: () => {} }
    expect(shown(of).text()).toContain('what is there')
    expect(shown(of, { alone: true }).text()).not.toContain('what is there')
  })
  it('is asked again as it was asked when it failed', async () => {
    const asked: string[] = []
    let fails = true
    const latest = within(() =>
      useLatest(0, async (question: string) => {
        asked.push(question)
        if (fails) throw new ApiError('c', 'away', '', [])
        return question
      }),
    )
    await latest.ask('one')
    expect(latest.error.value).toBeTruthy()
    fails = false
    await latest.again()
    expect([asked, latest.reply.value, latest.error.value]).toEqual([
      ['one', 'one'],
      'one',
      undefined,
    ])
    latest.leave()
  })
})

describe('keys', () => {
  it('one press is one action however long it is held, but for those that repeat', () => {
    const [once, often] = [vi.fn(), vi.fn()]
    const desk = within(() =>
      useKeys([
        { key: 't', does: 'take', run: once },
        { key: 'ArrowDown', does: 'next', repeats: true, run: often },
      ]),
    )
    press('t')
    press('ArrowDown')
    for (let n = 0; n < 5; n++) {
      press('t', { repeat: true })
      press('ArrowDown', { repeat: true })
    }
    expect(once).toHaveBeenCalledOnce()
    expect(often).toHaveBeenCalledTimes(6)
    desk.leave()
    press('t')
    expect(once).toHaveBeenCalledOnce()
  })

  it('rest in a text, but for those with Ctrl; undo is left to the text itself', () => {
    const [plain, save, undo] = [vi.fn(), vi.fn(), vi.fn()]
    const desk = within(() =>
      useKeys([
        { key: 'd', does: 'drop', run: plain },
        { key: 'Ctrl+s', does: 'save', run: save },
        { key: 'Ctrl+z', does: 'undo', notInTexts: true, run: undo },
      ]),
    )
    const field = document.body.appendChild(document.createElement('input'))
    const choice = document.body.appendChild(document.createElement('select'))
    for (const on of [field, choice]) {
      press('d', {}, on)
      press('s', { ctrlKey: true }, on)
      press('z', { ctrlKey: true }, on)
    }
    expect([plain, save, undo].map((f) => f.mock.calls.length)).toEqual([0, 2, 1])
    desk.leave()
  })

  it('of the browser and of a button are left to these', () => {
    const run = vi.fn()
    const list = ['d', 'Enter', ' '].map((key) => ({ key, does: key, run }))
    const desk = within(() => useKeys(list))
    const button = document.body.appendChild(document.createElement('button'))
    const inside = button.appendChild(document.createElement('span'))
    press('d', { altKey: true })
    for (const key of ['Enter', ' ']) press(key, {}, inside)
    expect(run).not.toHaveBeenCalled()
    for (const key of ['d', 'Enter', ' ']) press(key)
    press('d', {}, button)
    expect(run).toHaveBeenCalledTimes(4)
    desk.leave()
  })
})

describe('a sieve being written', () => {
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => vi.useRealTimers())

  it('is taken back change by change, and done again', async () => {
    const draft = ref<Sieve>(empty())
    const { undo, redo, leave } = within(() => useHistory(draft))
    const texts = () => draft.value.conditions.map((c) => c.formula)
    const first = texts()
    for (const formula of ['close > 1', 'close > 2']) {
      vi.advanceTimersByTime(1000)
      draft.value.conditions.push(condition(formula))
      await nextTick()
    }
    undo()
    expect(texts()).toEqual([...first, 'close > 1'])
    undo()
    undo()
    expect(texts()).toEqual(first)
    redo()
    expect(texts()).toEqual([...first, 'close > 1'])
    vi.advanceTimersByTime(1000)
    draft.value.conditions[0]!.formula = 'open > 1'
    await nextTick()
    redo()
    expect(texts()).toEqual(['open > 1', 'close > 1'])
    leave()
  })

  it('takes what the server made of it only where nothing was typed since', () => {
    const sent = { ...empty(), timeframes: ['brick(10,20)'], name: 'Sent' }
    const now = { ...sent, name: 'Typed meanwhile' }
    const saved = { ...sent, timeframes: ['brick(10, 20)'] }
    const page = merged(sent, now, saved)
    expect([page.name, page.timeframes[0]]).toEqual(['Typed meanwhile', 'brick(10, 20)'])
  })

  it('is read as it is today when it was kept by an earlier version', () => {
    const { timeframes, sides, ...rest } = { ...empty(), name: 'Kept' }
    const kept = { ...rest, format: 'zealous-sieve/sieve/1', timeframe: '15m', side: 'short' }
    const now = { ...empty(), name: 'Kept', timeframes: ['15m'], sides: ['short'] }
    expect(upToDate(kept as unknown as Sieve)).toEqual(now)
    expect(upToDate({ ...rest, timeframes, sides })).toEqual({ ...empty(), name: 'Kept' })
  })

  it('is kept in the browser until it is saved', () => {
    keepDraft('sieve 7', { name: 'Mine' }, 3)
    expect(draftOf('sieve 7')).toMatchObject({ content: { name: 'Mine' }, basedOn: 3 })
    forgetDraft('sieve 7')
    expect(draftOf('sieve 7')).toBeUndefined()
    localStorage.setItem('draft:sieve 8', 'no JSON')
    expect(draftOf('sieve 8')).toBeUndefined()
  })
})

describe('a condition', () => {
  const row = (role: 'must' | 'boost' | 'veto', counted = true) =>
    mount(ConditionRow, {
      props: {
        modelValue: { ...condition('close > 1'), role },
        position: 1,
        total: 2,
        instruments: 240,
        count: { alone: 238, so_far: 7, without: 9 },
        said: counted,
        counted,
      },
      global: { stubs: { FormulaEditor: true } },
    })
  test.each([
    ['must', ['alone238', 'so far7', 'without it9']],
    ['boost', ['alone238']],
    ['veto', ['keeps out2', 'so far7', 'without it9']],
  ] as const)('a %s tells what it lets through or keeps out', (role, told) => {
    const terms = row(role).findAll('dt')
    const pairs = terms.map((t) => t.text() + t.element.nextElementSibling!.textContent!.trim())
    expect(pairs).toEqual(told)
  })

  it('greys what is no longer about the text', () => {
    expect(row('must').findAll('.old')).toHaveLength(0)
    expect(row('must', false).findAll('.old')).toHaveLength(2)
  })
})

it('what was archived is listed with its way back', async () => {
  const list = mount(Archived, { props: { entries: [{ id: 4, name: 'Old', note: 'All shares' }] } })
  expect(list.text()).toContain('Archived: 1')
  await list.get('button').trigger('click')
  expect(list.emitted('back')).toEqual([[4]])
  expect(mount(Archived, { props: { entries: [] } }).html()).not.toContain('Archived')
})
