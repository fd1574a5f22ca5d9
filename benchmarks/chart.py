"""From the key that asks for the next hit to its drawn chart, in a real browser.

    ./start                                 in one terminal
    .venv/bin/python benchmarks/chart.py    in another

Steps through the hits of the newest finished run with more than three. Cold means that the page has not
read the chart ahead.
"""

from __future__ import annotations

import statistics
import sys

from in_browser import DRAWN, opened
from playwright.sync_api import Page
from screenshots import finished_run

from zealous_sieve.client import Client

BASE = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8437"
PRESSED = "addEventListener('keydown', () => (window.pressedAt = performance.now()), true)"


def steps(page: Page, codes: list[str], pause: int) -> list[float]:
    taken = []
    for code in codes:
        page.keyboard.press("ArrowRight")
        drawn = page.evaluate(DRAWN, code)
        taken.append(drawn - page.evaluate("() => window.pressedAt"))
        page.wait_for_timeout(pause)
    return taken


def main() -> None:
    run = finished_run(Client(BASE), "Agreed uptrend")
    with opened(BASE) as page:
        page.goto(f"{BASE}/runs/{run['id']}")
        page.wait_for_selector("tbody td.mono a")
        codes = page.locator("tbody td.mono").all_inner_texts()
        page.goto(f"{BASE}/runs/{run['id']}/hits")
        page.wait_for_selector(".canvas canvas")
        page.evaluate(PRESSED)
        page.wait_for_timeout(800)
        half = 1 + min(len(codes) // 2, 8)
        ahead = steps(page, codes[1:half], 700)
        cold = steps(page, codes[half : half + 8], 0)
    print(f"read ahead: median {statistics.median(ahead):.0f} ms, longest {max(ahead):.0f} ms")
    print(f"at once:    median {statistics.median(cold):.0f} ms, longest {max(cold):.0f} ms")


if __name__ == "__main__":
    main()
