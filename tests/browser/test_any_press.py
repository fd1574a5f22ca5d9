"""Whatever is pressed on whatever page, in any order and sooner than the answers come: nothing breaks."""

from __future__ import annotations

import os
import random
import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, Response

from tests.browser.conftest import faults_of, page_of, run_of
from tests.browser.hands import settled
from tests.conftest import Service, copy_of
from zealous_sieve.local.cluster import Cluster

PRESSES = int(os.environ.get("PRESSES", "40"))
"""So many on each page; more of them look further, with another ``SEED`` elsewhere."""
SEED = os.environ.get("SEED", "1")
PAGES = [
    "/instruments", "/instruments/TPSNHV", "/imports", "/board", "/scatter", "/strength", "/overview",
    "/outlook", "/sieves", "/sieves/2", "/functions/rsi", "/formulas/2", "/runs", "/runs/1",
    "/runs/1/hits", "/settings",
]  # fmt: skip
KEYS = ["ArrowDown", "ArrowUp", "ArrowLeft", "ArrowRight", "Enter", "Escape", "Tab", "F1", "F2", " ",
        "Home", "End", "Control+z", "Control+s", "Alt+ArrowDown", "Alt+o", "Alt+Insert",
        *"abcdefghijklmnopqrstuvwxyz0[]()<>{}+-/"]  # fmt: skip
PRESSED = (
    "button:visible:not(:disabled), select:visible, summary:visible, input:visible, th:visible"
)
A_FILE = re.compile("as CSV|as Parquet|Parquet|CSV|back up|Backup|JSON|Keep as a file", re.I)

PRESS = """
(e, [times, share]) => {
  if (e.tagName === 'SELECT') {
    e.selectedIndex = Math.floor(share * e.options.length)
    e.dispatchEvent(new Event('change', { bubbles: true }))
  } else for (let n = 0; n < times; n += 1) e.click()
}
"""


@pytest.fixture(scope="module")
def own(cluster: Cluster, demo: str) -> Iterator[Service]:
    """A desk of its own, as much on it is pressed away; with one run."""
    running = Service(copy_of(cluster, demo))
    running.start_all()
    run_of(running, 2)
    yield running
    running.stop()


def press_something(page: Page, chance: random.Random) -> str:
    """One press of a key or, once or twice, of something in sight; returns what it was."""
    if chance.random() < 0.5:
        key = chance.choice(KEYS)
        page.keyboard.press(key)
        return key
    found = page.query_selector_all(PRESSED)
    if not found:
        return "nothing"
    chosen = chance.choice(found)
    told: str = chosen.evaluate("(e) => e.ariaLabel || e.innerText || e.tagName")
    if A_FILE.search(told):
        return "nothing"
    chosen.evaluate(PRESS, [chance.choice([1, 1, 2]), chance.random()])
    return told


@pytest.mark.parametrize("path", PAGES)
def test_whatever_is_pressed_nothing_breaks(browser: Browser, own: Service, path: str) -> None:
    chance = random.Random(f"{SEED} {path}")
    page = page_of(browser, own)
    done: list[str] = []
    faults = faults_of(page)

    def heard(response: Response) -> None:
        if response.status == 500:
            faults.append(f"{response.status} {response.url} {response.request.post_data}")

    page.on("response", heard)
    page.on("dialog", lambda dialog: dialog.accept())
    page.goto(path)
    page.locator("main, .desk").first.wait_for()
    for _ in range(PRESSES):
        done.append(press_something(page, chance))
        if chance.random() < 0.2 and not page.url.startswith(own.base + path):
            page.goto(path)
        assert not faults, (done[-12:], page.url, faults)
    settled(page)
    assert page.locator("header.thread").is_visible()
    assert len(page.locator("body").inner_text()) > 120
    assert not faults, (done[-12:], page.url, faults)
    page.close()
