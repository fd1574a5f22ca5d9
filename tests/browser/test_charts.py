"""What stands on a chart can be read: no label on another, a price with room, the bar that is walked to."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.hands import go, settled

TEXTS = (Path(__file__).parent / "texts.js").read_text().partition("\n")[2]
LINES = "&".join(
    f"line={formula}"
    for formula in ("rsi(close,17)", "ema(close,34)", "stoch(14,3,3)", "macd(close,9,21,7)", "adx(14)")
)  # fmt: skip


def texts(page: Page) -> dict[str, Any]:
    settled(page)
    found: dict[str, Any] = page.evaluate(TEXTS)
    assert found["texts"] > 10, "the chart is drawn"
    return found


@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080)])
def test_no_label_of_a_chart_stands_on_another(
    page: Page, reviewed: int, size: tuple[int, int]
) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.goto("/sieves/2")
    for path in (
        f"/instruments/TPSNHV?bars=15m&{LINES}",
        f"/instruments/LANT40?{LINES}",
        "/instruments/TPCLDW",
        "/instruments/TPSNHV?bars=brick(10,2)",
        "/sieves/2",
        "/formulas/2",
        f"/runs/{reviewed}/hits",
    ):
        go(page, path)
        expect(page.locator(".canvas canvas").first, path).to_be_visible()
        for key in ("", "-", "6", "s", "s"):
            if key:
                page.keyboard.press(key)
            assert texts(page)["overlapping"] == [], f"{path} after {key!r}"


def test_walking_to_a_past_signal_shows_its_bar_and_leaves_the_price_room(page: Page) -> None:
    page.goto("/sieves/2")
    page.locator(".below canvas").first.wait_for()
    page.get_by_role("textbox", name="Condition 1", exact=True).click()
    page.keyboard.press("Escape")
    for key in ("ArrowLeft", "ArrowLeft", "PageUp"):
        page.keyboard.press(key)
        settled(page)
        signal = page.locator(".fired .signal")
        told = re.search(r"\d+ \w+ \d{4}", signal.inner_text())
        assert told
        expect(page.locator(".fired .readings").first).to_contain_text(told[0])
        expect(signal.locator(".mesh")).to_have_accessible_name(re.compile("passes; "))
        assert min(texts(page)["heights"]) >= 110
    page.get_by_role("button", name="Open the pane of volume").click()
    expect(page.get_by_role("button", name="Open the pane of volume")).to_have_count(0)


def test_what_a_link_draws_is_not_among_the_readers_own_unless_it_is_kept(page: Page) -> None:
    page.goto("/instruments/TPSNHV?line=rsi(close,17)&line=ema(close,34)")
    page.get_by_role("button", name="Keep ema(close,34)").click()
    expect(page).to_have_url(re.compile(r"line=rsi"))
    page.get_by_role("button", name="Remove rsi(close,17)").click()
    expect(page).not_to_have_url(re.compile(r"line="))
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("button", name=re.compile("^Remove "))).to_have_count(1)
    page.goto("/instruments/TPSNHV?line=rsi(close,17)")
    expect(page.get_by_role("button", name=re.compile("^Remove "))).to_have_count(2)
    page.goto("/instruments/TPSNHV")
    expect(page.get_by_role("button", name=re.compile("^Remove "))).to_have_count(1)
