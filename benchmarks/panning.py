"""A chart in a real browser: from the key to all of history drawn, and frames while it is panned.

    ./start                                   in one terminal
    .venv/bin/python benchmarks/panning.py    in another

The rival draws the same bars in the same page with a candle series of the charting library, panned by the
same moves.
"""

from __future__ import annotations

import json
import statistics
import sys
from itertools import pairwise
from pathlib import Path

from in_browser import DRAWN, opened
from playwright.sync_api import Page

BASE = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8437"
CODE = sys.argv[2] if len(sys.argv) > 2 else "TPSNHV"
LIBRARY = Path(__file__).resolve().parents[1] / "frontend/node_modules/echarts/dist/echarts.min.js"
FRAMES = """() => { window.frames = []; window.going = true
  const step = (now) => { window.frames.push(now); if (window.going) requestAnimationFrame(step) }
  requestAnimationFrame(step) }"""
RIVAL = """([bars, width, height]) => {
  const host = document.createElement('div')
  host.id = 'rival'
  host.style = `position:fixed;left:0;top:0;width:${width}px;height:${height}px;background:#fff;z-index:9`
  document.body.append(host)
  const own = echarts.init(host)
  own.setOption({ animation: false, xAxis: { type: 'category', data: bars.map((b, n) => n) },
    yAxis: { scale: true }, dataZoom: [{ type: 'inside', start: 50, end: 100, throttle: 0 }],
    series: [{ type: 'candlestick', data: bars, large: false }] })
}"""


def fps(page: Page, x: float, y: float) -> float:
    """Frames a second while dragged there and back; the median of the time between two."""
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(FRAMES)
    for n in range(90):
        page.mouse.move(x + (n if n < 45 else 90 - n) * 5, y)
    page.evaluate("() => (window.going = false)")
    page.mouse.up()
    moments = page.evaluate("() => window.frames")
    return 1000 / statistics.median(b - a for a, b in pairwise(moments))


def main() -> None:
    with opened(BASE) as page:
        for bars in ("1d", "1m"):
            page.goto(f"{BASE}/instruments/{CODE}?bars={bars}")
            page.evaluate(DRAWN, CODE)
            page.wait_for_timeout(1500)
            page.keyboard.press("6")
            page.wait_for_timeout(2500)
            page.keyboard.press("3")
            page.wait_for_timeout(600)
            begun = page.evaluate("() => performance.now()")
            page.keyboard.press("6")
            drawn = page.evaluate(
                "() => new Promise((d) => requestAnimationFrame(() => requestAnimationFrame("
                "() => d(performance.now()))))"
            )
            label = page.locator(".canvas [role=img]").get_attribute("aria-label") or ""
            print(
                f"{bars}: {label.split(';')[0]}; from the key to all of it drawn {drawn - begun:.0f} ms"
            )
            page.keyboard.press("5")
            page.wait_for_timeout(500)
            box = page.locator(".canvas").bounding_box()
            assert box is not None
            own = fps(page, box["x"] + 300, box["y"] + 150)
            body = json.dumps({"bars": bars, "count": 5000})
            chart = page.evaluate(
                "async ([code, body]) => { const s = await (await fetch('/api/session')).json(); "
                "return (await fetch(`/api/instruments/${code}/chart`, { method: 'POST', body, headers: "
                "{ 'Content-Type': 'application/json', 'X-Session-Token': s.token } })).json() }",
                [CODE, body],
            )
            columns = (chart[name] for name in ("open", "close", "low", "high"))
            page.add_script_tag(path=str(LIBRARY))
            page.evaluate(RIVAL, [list(zip(*columns, strict=True)), 800, 560])
            page.wait_for_timeout(800)
            other = fps(page, 300, 200)
            print(
                f"{bars}: panned at {own:.0f} frames a second; candle series of the library {other:.0f}"
            )


if __name__ == "__main__":
    main()
