let pending = 0

/**
 * Something is on its way: a reply, a question that waits for the next key, the code of a page. Returns what
 * says that it came. The root of the document tells how many there are, for whoever drives the page.
 */
export function awaiting(): () => void {
  const tell = (change: number) => {
    pending += change
    document.documentElement.dataset.awaiting = String(pending)
  }
  let isHere = false
  tell(1)
  return () => {
    if (!isHere) tell(-1)
    isHere = true
  }
}
