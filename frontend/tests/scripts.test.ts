import { describe, expect, it } from 'vitest'
import raw from '../../docs/reference/openapi.json?raw'
import { fitting, partsOf, written, type Reference } from '@/features/scripts/reference'

const document = JSON.parse(raw) as Reference

describe('the requests that a script can make', () => {
  const parts = partsOf(document)
  const all = parts.flatMap((part) => part.requests)

  it('are all of the document, with what they take and answer in words', () => {
    const told = Object.values(document.paths).reduce((n, own) => n + Object.keys(own).length, 0)
    expect(all).toHaveLength(told)
    for (const own of all) {
      const shapes = own.body + own.reply + own.parameters.map((p) => p.shape).join()
      expect(shapes, own.path).not.toMatch(/(?<!")undefined|\[object|\$ref/)
      expect(own.summary, own.path).toMatch(/^[A-Z].*\.$/)
    }
    const session = all.find((own) => own.path === '/api/session')!
    expect([session.reply, session.plain]).toEqual(['{\n  token: text\n}', true])
  })

  it('are found by words, and a shape within itself ends', () => {
    const found = fitting(parts, 'verdict put').flatMap((part) => part.requests)
    expect(found.map((own) => own.path)).toEqual(['/api/hits/{hit_id}/verdict'])
    expect(fitting(parts, 'nothing like it')).toEqual([])
    const tree = { properties: { of: { $ref: '#/Tree' }, n: { type: 'integer', default: 2 } } }
    expect(written({ $ref: '#/Tree' }, { Tree: tree })).toBe(
      '{\n  of: Tree\n  n: whole number = 2\n}',
    )
  })
})
