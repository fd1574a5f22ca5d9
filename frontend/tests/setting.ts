import { mount } from '@vue/test-utils'
import { defineComponent, h, type Plugin } from 'vue'
import type { HitView } from '@/shared/api'

/** Use a composable inside a component, as it would be; returns what it gave. */
export function within<T>(use: () => T, plugins: Plugin[] = []) {
  let given: T | undefined
  const wrapper = mount(
    defineComponent({
      setup() {
        given = use()
        return () => h('div')
      },
    }),
    { global: { plugins } },
  )
  return { ...(given as T), leave: () => wrapper.unmount() }
}

/** A promise with its ends in hand. */
export function later() {
  let settle!: () => void
  let refuse!: (error: unknown) => void
  const promise = new Promise<void>((resolve, reject) => {
    settle = resolve
    refuse = reject
  })
  return { promise, settle, refuse }
}

export const press = (key: string, more: KeyboardEventInit = {}, on: EventTarget = window) =>
  on.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))

export const hit = (code: string, rest: Partial<HitView> = {}): HitView => ({
  id: code.charCodeAt(0),
  run_id: 1,
  code,
  name: `${code} Works`,
  timeframe: '1d',
  side: 'long',
  place: 1,
  fired_at: 0,
  bar_at: 0,
  age: 0,
  begun: true,
  provisional: false,
  close: 1,
  now: 1,
  tick: 0.01,
  score: 0,
  rank: null,
  cells: [],
  sentences: [],
  news: '',
  verdict: null,
  tail: [],
  parts: [],
  fired_in_tail: -1,
  ...rest,
})
