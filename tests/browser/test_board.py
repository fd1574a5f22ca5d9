"""The board: what turned and agrees with the week becomes a universe."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.hands import holds


def test_what_turned_and_agrees_with_the_week_becomes_a_universe(page: Page) -> None:
    page.goto("/board")
    rows = page.get_by_role("row")
    board = page.get_by_role("table", name="Board Rating")
    expect(board).to_have_attribute("aria-rowcount", "240")
    page.get_by_label("Rows shown").select_option("turned")
    page.get_by_label("Within so many bars").fill("4")
    page.get_by_label("Agreeing with").select_option(label="rating on 1w")
    expect(board).not_to_have_attribute("aria-rowcount", "240")
    count = int(board.get_attribute("aria-rowcount") or 0) - 1
    assert 1 < count < 120
    first = rows.nth(1)
    words = first.get_by_role("cell").nth(4).inner_text()
    assert re.search(r"turned ([0-4] bars ago|on the newest bar)", words), words
    assert ("above" in words) == ("above" in first.get_by_role("cell").nth(7).inner_text())
    codes = [row.get_by_role("link").inner_text() for row in rows.all()[1:3]]
    board.focus()
    page.keyboard.press(" ")
    page.keyboard.press("ArrowDown")
    page.keyboard.press(" ")
    expect(page.get_by_role("status").filter(has_text="2 marked")).to_be_visible()
    page.keyboard.press("u")
    page.get_by_label("Name of the universe").fill("Turned with the week")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Turned with the week holds 2 instruments now.")).to_be_visible()
    page.get_by_label("Universe", exact=True).select_option("Turned with the week")
    page.get_by_label("Rows shown").select_option("all")
    page.get_by_label("Agreeing with").select_option(label="none in particular")
    expect(board).to_have_attribute("aria-rowcount", "3")
    assert sorted(row.get_by_role("link").inner_text() for row in rows.all()[1:]) == sorted(codes)
    page.get_by_role("button", name="as it was").click()
    expect(board).to_have_attribute("aria-rowcount", "240")


def test_a_column_is_composed_set_back_and_opens_its_chart(page: Page) -> None:
    page.goto("/board")
    board = page.get_by_role("table", name="Board Rating")
    expect(board).to_be_visible()
    page.keyboard.press("a")
    formula = page.get_by_label("Formula of the column")
    formula.fill("closs / 2")
    formula.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("did you mean close")
    holds(formula, "closs / 2")
    formula.fill("100 * (close / sma(close, 34) - 1)")
    formula.press("Enter")
    for label, value in (("Digits behind the point", "1"), ("Width in pixels", "260")):
        page.get_by_label(label).fill(value)
        page.get_by_label(label).press("Enter")
    limit = page.get_by_label("Far above: over")
    limit.fill("12")
    limit.press("Enter")
    low = page.get_by_label("Far below: under")
    low.fill("")
    low.press("Enter")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.get_by_role("button", name=re.compile("^close e")).click()
    page.keyboard.press("o")
    expect(page).to_have_url(re.compile(r"set=\w+.*order=5|order=5.*set=\w+"))
    page.goto(page.url)
    cell = page.get_by_role("row").nth(1).get_by_role("cell").last
    expect(cell).to_contain_text("far above")
    now = cell.inner_text()
    assert re.search(r"\d\.\d\n?$", now), now
    assert (cell.bounding_box() or {})["width"] == 260
    page.keyboard.press("k")
    page.get_by_label("Name of the arrangement").fill("Rating and more")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("as=Rating.and.more"))
    with page.expect_download() as told:
        page.get_by_role("button", name="PNG of Board Rating and more").click()
    assert told.value.path().read_bytes()[:4] == b"\x89PNG"
    board = page.get_by_role("table", name="Board Rating and more")
    page.keyboard.press("<")
    expect(page).to_have_url(re.compile("asof=2026-06-09"))
    expect(cell).not_to_have_text(now)
    board.focus()
    for key in ("ArrowRight",) * 5:
        page.keyboard.press(key)
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/instruments/\w+\?.*asof=2026-06-09"))
    drawn = page.get_by_label("Drawn formula 100 * (close / sma(close, 34) - 1)")
    expect(drawn).to_be_visible()
