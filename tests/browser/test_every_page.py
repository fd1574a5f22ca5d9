"""Each page, opened once: large enough to be pressed, never wider than its window, readable by whoever."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import run_of
from tests.browser.hands import settled
from tests.conftest import Service

AXE = Path(__file__).resolve().parents[2] / "frontend/node_modules/axe-core/axe.min.js"
LONG = "Wenenquay Seaweeds and Tideworks of the Outer Quilegate Bank, with all its daughters " * 2
LONG_FORMULA = " and ".join(f"close > sma(close, {n}) * 0.{n}" for n in range(10, 40))
PAGES = (
    "/sieves", "/sieves/1", "/sieves/{sieve}", "/sieves/new",
    "/sieves/1/evidence", "/sieves/{sieve}/evidence",
    "/formulas/2", "/formulas/{formula}",
    "/functions", "/scripts", "/imports", "/settings", "/overview", "/strength?currency=LMN", "/outlook",
    "/board", "/board?asof=2026-06-09T14:20:00Z", "/scatter?as=Tight+and+strong&code=KPPLLW",
    "/runs", "/runs/{run}", "/runs/{run}/hits", "/verdicts", "/instruments",
    "/instruments/TPSNHV?bars=15m&line=rsi(11)&line=rsi(",
)  # fmt: skip


@pytest.fixture(scope="module")
def long_names(service: Service) -> Iterator[dict[str, int]]:
    """A sieve and a formula with names as long as they may be, and a run of it."""
    ask = service.client.ask
    conditions = [
        {"role": "must", "formula": "close > 0"},
        {"role": "boost", "formula": LONG_FORMULA},
    ]
    document = {
        "name": LONG[:120],
        "universe": "All shares",
        "conditions": conditions,
        "note": LONG,
    }
    sieve = ask("POST", "/sieves", {"sieve": document})["id"]
    named = {"name": "so_long_" * 7, "text": LONG_FORMULA, "note": LONG}
    formula = ask("POST", "/formulas", named)["id"]
    yield {"sieve": sieve, "formula": formula, "run": run_of(service, sieve)}
    for path in (f"/sieves/{sieve}", f"/formulas/{formula}"):
        ask("DELETE", path)


TARGETS = """
() => {
  const large = (e) => {
    const box = e.getBoundingClientRect()
    return box.height >= 23.9 && box.width >= 23.9
  }
  return [...document.querySelectorAll('button, a, input, select, summary')]
    .filter((e) => e.offsetParent && !e.closest('p, .visually-hidden, .cm-editor'))
    .filter((e) => getComputedStyle(e).display !== 'inline')
    .filter((e) => !large(e) && !large(e.closest('label') ?? e))
    .map((e) => e.outerHTML.slice(0, 90))
}
"""


@pytest.mark.parametrize("path", PAGES)
def test_each_page_can_be_read_pressed_and_made_narrow(
    page: Page, long_names: dict[str, int], path: str
) -> None:
    page.goto(path.format(**long_names))
    expect(page.locator("main")).to_be_visible()
    settled(page)
    # What is being counted or read anew is faint for a moment, on purpose.
    expect(page.locator(".counts.stale, .leaves.busy, .old")).to_have_count(0)
    assert page.evaluate(TARGETS) == []
    page.evaluate(AXE.read_text())
    assert faults_of_access(page, "") == []
    page.get_by_role("button", name="Night", exact=True).click()
    expect(page.locator("html.dark")).to_have_count(1)
    page.evaluate("Promise.all(document.getAnimations().map((own) => own.finished))")
    # By night, whatever has to do with colours.
    coloured = "{ runOnly: ['color-contrast', 'link-in-text-block'] }"
    assert faults_of_access(page, coloured) == []
    for width, height in ((1920, 1080), (1024, 800), (640, 400)):
        page.set_viewport_size({"width": width, "height": height})
        page.evaluate("new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go)))")
        if width > 640:
            wide = page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
            assert wide <= 0, f"{wide} pixels too wide at {width}"
    # At twice the size a page is one column that can be used.
    for box in page.locator(":not(.in-line) > .cm-editor, .canvas, .title").all():
        found = box.bounding_box()
        assert found is not None
        assert found["width"] > 200


def faults_of_access(page: Page, how: str) -> list[str]:
    found = page.evaluate(f"axe.run({how}).then((result) => result.violations)")
    return [f"{v['id']}: {[n['target'] for n in v['nodes']][:3]}" for v in found]
