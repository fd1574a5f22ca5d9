import { store } from './store'

/** What was written and not saved, kept in the browser so that it survives leaving the page. */
export interface Draft<T> {
  content: T
  basedOn: number
  at: number
}

const place = (name: string) => `draft:${name}`

export function keepDraft<T>(name: string, content: T, basedOn: number) {
  store.setItem(place(name), JSON.stringify({ content, basedOn, at: Date.now() }))
}

export function draftOf<T>(name: string): Draft<T> | undefined {
  try {
    const text = store.getItem(place(name))
    return text ? (JSON.parse(text) as Draft<T>) : undefined
  } catch {
    return undefined
  }
}

export const forgetDraft = (name: string) => store.removeItem(place(name))
