/** What was written and not saved, kept in the browser so that it survives leaving the page. */
export interface Draft<T> {
  content: T
  basedOn: number
  at: number
}

const place = (name: string) => `draft:${name}`

export function keepDraft<T>(name: string, content: T, basedOn: number) {
  try {
    localStorage.setItem(place(name), JSON.stringify({ content, basedOn, at: Date.now() }))
  } catch {
    // A full store keeps nothing more; what is on the page stays there.
  }
}

export function draftOf<T>(name: string): Draft<T> | undefined {
  try {
    const text = localStorage.getItem(place(name))
    return text ? (JSON.parse(text) as Draft<T>) : undefined
  } catch {
    return undefined
  }
}

export const forgetDraft = (name: string) => localStorage.removeItem(place(name))
