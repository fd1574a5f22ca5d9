"""What a user does on a page."""

from __future__ import annotations

from playwright.sync_api import Locator, Page, expect


def editor(page: Page, label: str) -> None:
    """Put the cursor into a formula and choose all of its text."""
    page.get_by_role("textbox", name=label, exact=True).click()
    page.keyboard.press("Control+a")


def write(page: Page, label: str, text: str) -> None:
    editor(page, label)
    page.keyboard.insert_text(text)


def holds(field: Locator, text: str) -> None:
    """A field of a formula holds a text; empty it shows what may stand there."""
    if text:
        expect(field).to_have_text(text)
    else:
        expect(field.locator(".cm-placeholder")).to_have_count(1)


AT_REST = """() => new Promise((told) => {
  let since = performance.now()
  const look = () => {
    const now = performance.now()
    if (document.documentElement.dataset.awaiting !== '0') since = now
    if (now - since > 120) told(true)
    else requestAnimationFrame(look)
  }
  look()
})"""


def settled(page: Page) -> None:
    """Wait until nothing is on its way to a page, for longer than one reply takes to lead to the next."""
    page.evaluate(AT_REST)


def go(page: Page, path: str) -> None:
    """Go on to another address within the application, and wait until nothing is on its way."""
    page.evaluate(
        """(path) => {
          history.pushState({}, '', path)
          dispatchEvent(new PopStateEvent('popstate', { state: history.state }))
        }""",
        path,
    )
    settled(page)


LATE = """
(() => {
  const plain = window.fetch
  window.fetch = async (request, ...rest) => {
    const own = request.method === '%s' && request.url.includes('%s')
    if (own) await new Promise((resolve) => setTimeout(resolve, %d))
    return plain(request, ...rest)
  }
})()
"""


def answer_late(page: Page, method: str, path: str = "", by: int = 450) -> None:
    """Requests of a method leave the page so many milliseconds late."""
    page.add_init_script(LATE % (method, path, by))


def press_in_page(page: Page, first: str, soon: str, changes: str, at_once: str) -> None:
    """
    Press a key, another 100 ms later, and a third as soon as the words of a part have changed:
    by the page's own clock, however busy the machine is.
    """
    page.evaluate(
        """([first, soon, changes, atOnce]) => {
          const press = (key) => {
            for (const way of ['keydown', 'keyup'])
              document.body.dispatchEvent(new KeyboardEvent(way, { key, bubbles: true }))
          }
          const words = () => document.querySelector(changes)?.textContent
          const before = words()
          new MutationObserver((_, watching) => {
            if (!words() || words() === before) return
            watching.disconnect()
            press(atOnce)
          }).observe(document.body, { childList: true, characterData: true, subtree: true })
          press(first)
          setTimeout(() => press(soon), 100)
        }""",
        [first, soon, changes, at_once],
    )
