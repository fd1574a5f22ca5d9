import { mount, RouterLinkStub } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import Findings from '@/features/instruments/Findings.vue'

const finding = (day: number) => ({
  code: 'QORVA',
  kind: 'gap' as const,
  detail: '1 session without a bar',
  first: day * 86_400,
  last: day * 86_400,
  bars: 86_400,
})
const shown = (count: number) =>
  mount(Findings, {
    props: {
      code: 'QORVA',
      universe: '1',
      findings: Array.from({ length: count }, (_, day) => finding(day)),
    },
    global: { stubs: { RouterLink: RouterLinkStub } },
  })

describe('what the data check found of an instrument', () => {
  it.each([
    [1, 1, ''],
    [4, 4, ''],
    [5, 3, 'and 2 more'],
    [40, 3, 'and 37 more'],
  ])('%d findings: %d are in sight, all of them one press away', (count, first, more) => {
    const wrapper = shown(count)
    expect(wrapper.findAll('div .finding')).toHaveLength(first)
    expect(wrapper.findAll('.finding')).toHaveLength(count)
    expect(wrapper.find('summary').exists() ? wrapper.get('summary').text() : '').toBe(more)
  })

  it('says that nothing was found', () => expect(shown(0).text()).toBe('sound'))
})
