import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'

/** What pages do where the browser keeps nothing, and where a reply is none. */
const fresh = async <T>(load: () => Promise<T>) => {
  vi.resetModules()
  return load()
}
const broken = () => {
  throw new DOMException('no', 'SecurityError')
}

describe('what is kept in the browser', () => {
  afterEach(() => vi.unstubAllGlobals())

  test.each([
    ['none', { getItem: broken, setItem: broken, removeItem: broken }],
    ['a full one', { getItem: () => null, setItem: broken, removeItem: () => {} }],
  ])('with %s stays while the page is open, and is told once', async (_, storage) => {
    vi.stubGlobal('localStorage', storage)
    const { store, whenNotKept } = await fresh(() => import('@/shared/store'))
    const { draftOf, forgetDraft, keepDraft } = await import('@/shared/drafts')
    const told = vi.fn()
    whenNotKept(told)
    expect(draftOf('sieve 3')).toBeUndefined()
    keepDraft('sieve 3', { note: 'mine' }, 2)
    keepDraft('sieve 4', 1, 0)
    expect(draftOf('sieve 3')?.content).toEqual({ note: 'mine' })
    forgetDraft('sieve 3')
    expect(draftOf('sieve 3')).toBeUndefined()
    expect(store.getItem('draft:sieve 4')).toContain('"content":1')
    expect(told).toHaveBeenCalledTimes(1)
  })

  test('is kept beyond the page, and what no longer fits in memory is not shown in its place', async () => {
    const kept = new Map<string, string>()
    let full = true
    vi.stubGlobal('localStorage', {
      getItem: (name: string) => kept.get(name) ?? null,
      setItem: (name: string, value: string) => (full ? broken() : kept.set(name, value)),
      removeItem: (name: string) => kept.delete(name),
    })
    const { store } = await fresh(() => import('@/shared/store'))
    kept.set('a', 'old')
    store.setItem('a', 'new')
    expect(store.getItem('a')).toBe('new')
    full = false
    store.setItem('a', 'newer')
    expect([store.getItem('a'), kept.get('a')]).toEqual(['newer', 'newer'])
    store.removeItem('a')
    expect([store.getItem('a'), kept.has('a')]).toEqual([null, false])
  })
})

describe('a reply that is none', () => {
  const json = { 'Content-Type': 'application/json' }
  beforeEach(() => vi.unstubAllGlobals())

  test.each([
    ['empty', new Response('', { status: 200, headers: json }), 'odd_reply'],
    ['no JSON', new Response('<html>', { status: 200, headers: json }), 'odd_reply'],
    ['an error without a word', new Response('', { status: 502 }), 'odd_reply'],
    ['an error that is no JSON', new Response('<html>', { status: 502 }), 'odd_reply'],
    ['a refusal that is no JSON', new Response('<html>', { status: 403 }), 'odd_reply'],
    ['an error of another shape', Response.json({ wrong: 1 }, { status: 500 }), 'odd_reply'],
    ['ours', Response.json({ code: 'c', message: 'm', problems: [] }, { status: 400 }), 'c'],
    ['not let in', Response.json({ code: 'no_pass', message: 'm' }, { status: 401 }), 'no_pass'],
    ['none', undefined, 'unreachable'],
  ])('is told: %s', async (_, reply, code) => {
    vi.stubGlobal('fetch', async () => {
      if (!reply) throw new TypeError('network')
      return reply.clone()
    })
    const { answer, present } = await fresh(() => import('@/shared/api'))
    const { shutOut } = await import('@/shared/session')
    for (const call of [
      () => answer(present.GET('/api/thread')),
      () => answer(present.POST('/api/formula', { body: { text: 'close' } as never })),
    ])
      await expect(call()).rejects.toMatchObject({ code })
    expect(shutOut.value).toBe(code === 'no_pass')
  })
})
