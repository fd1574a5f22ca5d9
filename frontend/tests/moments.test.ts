import { VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, test, vi } from 'vitest'
import { defineComponent, h, ref, shallowRef, toRef } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import { useLook, type Look } from '@/parts/chart/look'
import { MOST, useSighting } from '@/parts/chart/sighting'
import { turned } from '@/parts/chart/numbers'
import { answer, ApiError, type Chart, type Control, type Dress } from '@/shared/api'
import { away } from '@/shared/away'
import { asOf, carryMoment, lookFrom, written } from '@/shared/asOf'
import { Answers } from '@/shared/client'
import { localOf, momentOf } from '@/shared/format'
import { provideMoment } from '@/shared/moment'
import { preferences } from '@/shared/preferences'
import { pointerIsDown, released } from '@/shared/press'
import { useThread } from '@/shared/queries'
import { keys } from '@/shared/questions'
import { useRead } from '@/shared/read'
import { within } from './setting'

describe('a moment on the clock that was chosen', () => {
  const before = preferences.value
  afterEach(() => (preferences.value = before))
  test.each(['UTC', 'Asia/Kolkata', 'America/St_Johns', 'Australia/Lord_Howe'])(
    'is shown and read back: %s',
    (zone) => {
      preferences.value = { ...before, zone }
      const day = 86_400_000
      for (let time = Date.UTC(2025, 0, 1); time < Date.UTC(2026, 0, 1); time += 3.37 * day) {
        const minute = Math.floor(time / 60_000) * 60_000
        expect(momentOf(localOf(written(minute)))).toBe(minute)
      }
    },
  )
  it('is none where nothing can be read', () => {
    expect(momentOf('')).toBeUndefined()
    expect(momentOf('soon')).toBeUndefined()
  })
})

describe('the moment that is looked from', () => {
  const page = { template: '<div/>' }
  const make = () => {
    const router = createRouter({
      history: createMemoryHistory(),
      routes: [
        { path: '/a', component: page },
        { path: '/b', component: page },
      ],
    })
    carryMoment(router)
    return router
  }
  beforeEach(() => (asOf.value = undefined))
  it('travels with every link, and leaves with none of them once it is the present', async () => {
    const router = make()
    await router.push('/a?line=x')
    await lookFrom(router, '2026-06-09T14:20:00Z')
    expect(router.currentRoute.value.query).toEqual({ line: 'x', asof: '2026-06-09T14:20:00Z' })
    await router.push('/b')
    expect(router.currentRoute.value.query.asof).toBe('2026-06-09T14:20:00Z')
    await lookFrom(router, undefined)
    await router.push('/a')
    expect(router.currentRoute.value.query.asof).toBeUndefined()
    expect(asOf.value).toBeUndefined()
  })
  it('comes with an address, and what is none is dropped', async () => {
    const router = make()
    await router.push('/a?asof=2026-01-05T10:00:00Z')
    expect(asOf.value).toBe('2026-01-05T10:00:00Z')
    await router.push('/b?asof=yesterday')
    expect(asOf.value).toBeUndefined()
    expect(router.currentRoute.value.fullPath).toBe('/b')
  })
  it.each(['2026-06-08T14:20:00Z', undefined])(
    'is not left again by a page that carries the last one along: %s',
    async (next) => {
      const router = make()
      await router.push('/a?asof=2026-06-09T14:20:00Z')
      const carried = { ...router.currentRoute.value.query, line: 'x' }
      await Promise.all([lookFrom(router, next), router.replace({ query: carried })])
      expect(asOf.value).toBe(next)
      expect({ ...router.currentRoute.value.query }).toEqual(
        next ? { line: 'x', asof: next } : { line: 'x' },
      )
    },
  )
})

describe('two parts of one page', () => {
  const THEN = '2026-06-09T14:20:00Z'
  const told = (request: Request) => request.headers.get('As-Of') ?? 'now'
  const Part = defineComponent({
    setup() {
      const board = useRead(() => ({
        of: keys.board('one'),
        read: (server) => answer(server.GET('/api/runs')) as Promise<unknown>,
      }))
      const kept = useRead(() => ({
        of: keys.sieves,
        read: (server) => answer(server.GET('/api/sieves')) as Promise<unknown>,
      }))
      return () => [String(board.data.value ?? '…'), String(kept.data.value ?? '…')].join(' ')
    },
  })
  const Apart = defineComponent({
    props: { moment: { type: String, default: undefined } },
    setup(props) {
      provideMoment(toRef(props, 'moment'))
      return () => h(Part)
    },
  })
  const asked: string[] = []
  beforeEach(() => {
    asked.length = 0
    asOf.value = undefined
    vi.stubGlobal('fetch', async (request: Request) => {
      const what = `${new URL(request.url, 'http://desk').pathname} ${told(request)}`
      asked.push(what)
      return Response.json(what)
    })
  })
  afterEach(() => {
    asOf.value = undefined
    vi.unstubAllGlobals()
  })
  const page = () =>
    mount(() => h('div', [h(Part), h('hr'), h(Apart, { moment: THEN }), h('hr'), h(Apart)]), {
      global: { plugins: [[VueQueryPlugin, { queryClient: new Answers() }]] },
    })
  const parts = (of: ReturnType<typeof page>) => of.html().replace(/<\/?div>/g, '').split('<hr>').map((part) => part.trim()) // prettier-ignore
  it('look from two moments; what the desk keeps is read once for both', async () => {
    const shown = page()
    const now = '/api/runs now /api/sieves now'
    const then = `/api/runs ${THEN} /api/sieves now`
    await vi.waitFor(() => expect(parts(shown)).toEqual([now, then, now]))
    expect(asked.sort()).toEqual([
      '/api/runs 2026-06-09T14:20:00Z',
      '/api/runs now',
      '/api/sieves now',
    ])
    shown.unmount()
  })
  it('one that has a moment of its own stays there when the desk goes to another', async () => {
    const shown = page()
    await vi.waitFor(() => expect(asked).toHaveLength(3))
    asOf.value = '2026-01-05T10:00:00Z'
    await vi.waitFor(() =>
      expect(parts(shown)[0]).toBe('/api/runs 2026-01-05T10:00:00Z /api/sieves now'),
    )
    expect(parts(shown).slice(1)).toEqual([
      `/api/runs ${THEN} /api/sieves now`,
      '/api/runs now /api/sieves now',
    ])
    expect(asked).toHaveLength(4)
    shown.unmount()
  })
  it('what was seen stays in sight until it is there of another moment; of another question it does not', async () => {
    const waits: (() => void)[] = []
    vi.stubGlobal('fetch', async (request: Request) => {
      await new Promise<void>((go) => waits.push(go))
      return Response.json(told(request))
    })
    const of = shallowRef('one')
    const own = within(
      () =>
        useRead(() => ({
          of: keys.board(of.value),
          read: (server) => answer(server.GET('/api/runs')) as Promise<unknown>,
        })),
      [(app) => app.use(VueQueryPlugin, { queryClient: new Answers() })],
    )
    const answered = async (n: number) => {
      await vi.waitFor(() => expect(waits.length).toBeGreaterThan(n))
      waits[n]!()
      await vi.waitFor(() => expect(own.isFetching.value).toBe(false))
    }
    await answered(0)
    asOf.value = THEN
    await vi.waitFor(() => expect(own.isPlaceholderData.value).toBe(true))
    expect(own.data.value).toBe('now')
    await answered(1)
    expect(own.data.value).toBe(THEN)
    of.value = 'another'
    await vi.waitFor(() => expect(own.isFetching.value).toBe(true))
    expect(own.data.value).toBeUndefined()
    own.leave()
  })
})

describe('a desk that did not answer', () => {
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
    away.value = undefined
  })
  it('is asked again soon, whatever it was that failed, and is there as soon as it answers', async () => {
    vi.useFakeTimers()
    const asked: string[] = []
    vi.stubGlobal('fetch', async (request: Request) => {
      asked.push(request.url)
      return Response.json({ troubles: [] })
    })
    const client = new Answers()
    const thread = within(useThread, [(app) => app.use(VueQueryPlugin, { queryClient: client })])
    await vi.advanceTimersByTimeAsync(100)
    expect(asked).toHaveLength(1)
    away.value = new ApiError('unreachable', 'of another part of the page', null, [])
    await vi.advanceTimersByTimeAsync(2_000)
    expect(asked).toHaveLength(2)
    expect(away.value).toBeUndefined()
    await vi.advanceTimersByTimeAsync(10_000)
    expect(asked).toHaveLength(2)
    thread.leave()
  })
})

describe('while a button is pressed', () => {
  const send = (type: string, on: EventTarget) =>
    on.dispatchEvent(new MouseEvent(type, { bubbles: true, button: 0 }))
  it('answers wait until its click was heard, also where the press took the focus from elsewhere', async () => {
    const button = document.body.appendChild(document.createElement('button'))
    const heard: string[] = []
    expect(released()).toBeUndefined()
    send('pointerdown', button)
    document.body.dispatchEvent(new FocusEvent('blur'))
    expect(pointerIsDown()).toBe(true)
    void released()?.then(() => heard.push('answer'))
    await flushPromises()
    button.addEventListener('click', () => heard.push('click'))
    send('pointerup', button)
    button.click()
    await vi.waitFor(() => expect(heard).toEqual(['click', 'answer']))
    expect(pointerIsDown()).toBe(false)
    expect(released()).toBeUndefined()
    button.remove()
  })
  it.each(['pointercancel', 'blur'])('%s of the window lets go', async (end) => {
    const button = document.body.appendChild(document.createElement('button'))
    send('pointerdown', button)
    const answer = released()
    window.dispatchEvent(new Event(end))
    await answer
    expect(released()).toBeUndefined()
    button.remove()
  })
})

describe('numbers of a formula', () => {
  const control = (name: string, value: number, start: number, more: Partial<Control> = {}) => ({
    function: 'bands',
    name,
    value,
    least: 1,
    most: 500,
    whole: true,
    start,
    end: start + String(value).length,
    prefix: '',
    suffix: '',
    ...more,
  })
  it('are turned one after another wherever they have moved to', () => {
    let text = 'bands(close, 9) > bands(close, 100)'
    let controls: readonly Control[] = [control('n', 9, 13), control('n', 100, 31)]
    for (const [place, value] of [
      [0, 10],
      [1, 99],
      [0, 250],
      [1, 7],
    ] as const) {
      const next = turned(text, controls, place, value)!
      text = next.text
      controls = next.controls
      for (const own of controls) expect(text.slice(own.start, own.end)).toBe(String(own.value))
    }
    expect(text).toBe('bands(close, 250) > bands(close, 7)')
  })
  it('that stood nowhere are written, in their order, and then turned like others', () => {
    const nowhere = { start: 5, end: 5, suffix: '' }
    const first = control('n', 20, 5, { ...nowhere, prefix: '(n = ', suffix: ')' })
    const written = turned('bands', [first], 0, 34)!
    expect(written.text).toBe('bands(n = 34)')
    expect(turned(written.text, written.controls, 0, 8)!.text).toBe('bands(n = 8)')
  })
  test.each([0, 501, 2.5, NaN])('can not be %s', (value) => {
    expect(turned('bands(9)', [control('n', 9, 6)], 0, value)).toBeUndefined()
    expect(turned('bands(9)', [], 0, 5)).toBeUndefined()
  })
})

describe('what of a chart is in sight', () => {
  const chartOf = (bars: number, earlier = false, first = 0) =>
    ({
      times: Array.from({ length: bars }, (_, n) => (first + n) * 86_400),
      earlier,
    }) as unknown as Chart
  it('never leaves the bars there are, however it is moved', async () => {
    const chart = shallowRef<Chart | undefined>(chartOf(300))
    const own = within(() => useSighting(chart, ref('linear'), async () => undefined))
    const moves = [
      () => own.pan(9),
      () => own.pan(-9),
      () => own.zoom(0.01),
      () => own.zoom(1e6),
      () => own.pan(0.4),
      () => own.came({ shown: 50, back: 30 }),
      () => own.pan(0.2),
      () => own.newest(),
    ]
    for (const move of [...moves, ...[...moves].reverse()]) {
      move()
      const { shown, back } = own.sight.value
      expect(shown).toBeGreaterThanOrEqual(20)
      expect(back).toBeGreaterThanOrEqual(0)
      expect(shown + back).toBeLessThanOrEqual(300)
    }
    own.leave()
  })
  it('goes on from where the wheel went, and asks for older bars only as far as needed', async () => {
    const chart = shallowRef<Chart | undefined>(chartOf(300, true))
    const asked: number[] = []
    const reach = async (bars: number) => void asked.push(bars)
    const own = within(() => useSighting(chart, ref('linear'), reach))
    own.came({ shown: 100, back: 100 })
    own.zoom(1.5)
    expect(own.sight.value).toEqual({ shown: 150, back: 100 })
    expect(asked).toEqual([200, 250])
    await own.range('all')
    await flushPromises()
    expect(Math.max(...asked)).toBe(MOST)
    own.anew()
    expect(own.sight.value.back).toBe(0)
    own.leave()
  })
  it('grows only by older bars of its own', async () => {
    const wanted = ref<Look>({ code: 'A', bars: '1d', dress: {} as Dress })
    const asked: { name: string; reply: (chart: Chart) => void }[] = []
    vi.stubGlobal('fetch', async (request: Request) => {
      if (request.url.endsWith('/session')) return Response.json({ token: 'its own' })
      const { before } = (await request.json()) as { before: number | null }
      const name = `${request.url.split('/').at(-2)}${before === null ? '' : ' older'}`
      return new Promise((resolve) =>
        asked.push({ name, reply: (chart) => resolve(Response.json(chart)) }),
      )
    })
    const of = (bars: number) => ({ ...chartOf(bars, true), lines: [], states: [], strip: [] })
    const own = within(
      () => useLook(wanted),
      [(app) => app.use(VueQueryPlugin, { queryClient: new Answers() })],
    )
    const answered = async (n: number, chart: Chart) => {
      await vi.waitFor(() => expect(asked.length).toBeGreaterThan(n))
      asked[n]!.reply(chart)
      await vi.waitFor(() => expect(own.data.value?.times).toHaveLength(chart.times.length))
    }
    await answered(0, of(300))
    wanted.value = { ...wanted.value, code: 'B' }
    const growing = own.reach(1_000)
    await vi.waitFor(() => expect(asked).toHaveLength(3))
    expect(asked.map(({ name }) => name).sort()).toEqual(['A', 'A older', 'B'])
    const older = asked.findIndex(({ name }) => name === 'A older')
    await answered(3 - older, { ...of(200), earlier: false })
    asked[older]!.reply(of(2_000))
    await growing
    expect(own.data.value?.times).toHaveLength(200)
    own.leave()
    vi.unstubAllGlobals()
  })
  it('shows a moment in the middle, and fetches back to it', async () => {
    const chart = shallowRef<Chart | undefined>(chartOf(300, true, 600))
    const reach = async () => void (chart.value = chartOf(900))
    const own = within(() => useSighting(chart, ref('linear'), reach))
    await own.showAt(500 * 86_400)
    const { shown, back } = own.sight.value
    expect(900 - back - shown / 2).toBeCloseTo(500, -1)
    own.leave()
  })
})
