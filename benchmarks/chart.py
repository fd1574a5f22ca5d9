"""From the key that asks for the next hit to its drawn chart, in a real browser.

    ./start                                 in one terminal
    .venv/bin/python benchmarks/chart.py    in another

Steps through the hits of the newest finished run with more than five. Cold means that the page has not
read the chart ahead.
"""

from __future__ import annotations

import statistics
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "scripts"))
from screenshots import FLAGS, finished_run

from zealous_sieve.client import Client

BASE = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8437"
DRAWN = """(code) => new Promise((done) => {
  const look = () => {
    const label = document.querySelector('.canvas')?.getAttribute('aria-label') ?? ''
    if (label.startsWith(code)) requestAnimationFrame(() => done(performance.now() - window.pressedAt))
    else requestAnimationFrame(look)
  }
  look()
})"""


def steps(page: Page, codes: list[str], pause: int) -> list[float]:
    taken = []
    for code in codes:
        page.keyboard.press("ArrowRight")
        taken.append(page.evaluate(DRAWN, code))
        page.wait_for_timeout(pause)
    return taken


def main() -> None:
    run = finished_run(Client(BASE), "Agreed uptrend")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{BASE}/runs/{run['id']}")
        page.wait_for_selector("tbody td.mono a")
        codes = page.locator("tbody td.mono").all_inner_texts()
        page.goto(f"{BASE}/runs/{run['id']}/review/{codes[0]}")
        page.wait_for_selector(".canvas canvas")
        page.evaluate(
            "addEventListener('keydown', () => (window.pressedAt = performance.now()), true)"
        )
        page.wait_for_timeout(800)
        ahead = steps(page, codes[1:9], 700)
        cold = steps(page, codes[9:17], 0)
        browser.close()
    print(f"read ahead: median {statistics.median(ahead):.0f} ms, longest {max(ahead):.0f} ms")
    print(f"at once:    median {statistics.median(cold):.0f} ms, longest {max(cold):.0f} ms")


if __name__ == "__main__":
    main()
