"""The scatter in a browser: 5,000 points moved about, and a session of 240 shares played.

    .venv/bin/python benchmarks/scatter.py --base http://127.0.0.1:8437

The 5,000 points take the place of the server's reply; all else is the application as it runs. The rival for
a step of the playback is to ask the server for each moment.
"""

from __future__ import annotations

import argparse
import json
import random
import re
import time
from typing import Any

from in_browser import opened
from playwright.sync_api import Page, Route

MANY = 5_000
MEASURE = """async () => {
  const canvas = document.querySelector('canvas'), box = canvas.getBoundingClientRect()
  const tell = (kind, x, y) => canvas.dispatchEvent(new PointerEvent(kind, {
    clientX: box.x + x, clientY: box.y + y, pointerId: 1, altKey: true, bubbles: true }))
  canvas.setPointerCapture = () => {}
  tell('pointerdown', 400, 300)
  const begun = performance.now(), frames = 120
  for (let n = 0; n < frames; n += 1) {
    tell('pointermove', 400 + 80 * Math.sin(n / 9), 300 + 60 * Math.cos(n / 7))
    await new Promise((next) => requestAnimationFrame(next))
  }
  const spent = performance.now() - begun
  tell('pointerup', 400, 300)
  return (1000 * frames) / spent
}"""


def crowd(route: Route) -> None:
    """Answer with many points instead of the server."""
    chance = random.Random(7)
    frames = 5

    def values(spread: float) -> list[list[float]]:
        start = [chance.gauss(0, spread) for _ in range(MANY)]
        return [[v + f * chance.gauss(0, spread / 30) for v in start] for f in range(frames)]

    measure = {"unit": "none", "problems": []}
    sizes = [[chance.expovariate(1) for _ in range(MANY)]] * frames
    reply: dict[str, Any] = {
        "codes": [f"C{n:04}" for n in range(MANY)],
        "names": [""] * MANY,
        "sectors": [f"sector {n % 10}" for n in range(MANY)],
        "sides": [""] * MANY,
        "fastest": "1d",
        "moments": list(range(frames)),
        "first": 0,
        "stopped": [],
        "trailless": [],
        "words": [],
        "groups": [""] * MANY,
        "tint": {**measure, "values": []},
        "x": {**measure, "values": values(1.0)},
        "y": {**measure, "values": [[2.0**v for v in row] for row in values(1.0)]},
        "size": {**measure, "values": sizes},
    }
    route.fulfill(body=json.dumps(reply), content_type="application/json")


def played(page: Page, base: str) -> None:
    """How long steps of the playback take, with the frame drawn, and how long asking for each would."""
    page.goto(f"{base}/scatter")
    in_sight = page.get_by_text(re.compile(r"\d of [\d,]+ in sight"))
    in_sight.wait_for()
    shares = in_sight.inner_text().split(" of ")[0]
    page.keyboard.press("p")
    page.get_by_label("Moment of the session").wait_for()
    page.keyboard.press("p")
    time.sleep(3)
    begun, steps = time.perf_counter(), 40
    for _ in range(steps):
        page.keyboard.press(".")
        page.evaluate("() => new Promise((next) => requestAnimationFrame(next))")
    step = (time.perf_counter() - begun) / steps
    own = page.evaluate(
        "() => performance.getEntriesByName(location.origin + '/api/scatter').length"
    )
    asked = page.evaluate(
        """async () => {
          const found = performance.getEntriesByName(location.origin + '/api/scatter')
          return found.reduce((a, b) => Math.min(a, b.duration), 1e9)
        }"""
    )
    print(
        f"playback of {shares} shares: {1000 * step:.0f} ms a step; asking the server for each "
        f"{asked:.0f} ms or more, {asked / 1000 / step:.0f} times as long ({own} requests in all)"
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--base", default="http://127.0.0.1:8437")
    base = parser.parse_args().base
    with opened(base) as page:
        played(page, base)
        page.route("**/api/scatter", crowd)
        page.goto(f"{base}/scatter")
        page.get_by_text(f"of {MANY:,} in sight").wait_for()
        time.sleep(1)
        rates = [page.evaluate(MEASURE) for _ in range(3)]
        print(f"{MANY} points moved about: {max(rates):.0f} frames a second")


if __name__ == "__main__":
    main()
