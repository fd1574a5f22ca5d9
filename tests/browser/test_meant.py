"""Every field of a formula says what is wrong and what was meant, keeps the text, and takes nothing
else."""

from __future__ import annotations

import re
import threading

import pytest
from playwright.sync_api import Locator, Page, Route, expect

from tests.browser.hands import holds


def opened(page: Page, where: str) -> Locator:
    """A field of a formula on one of the pages."""
    page.goto({"axis": "/scatter", "line": "/overview"}.get(where, where))
    match where:
        case "axis":
            return page.get_by_label("Formula across")
        case "line":
            breadth = page.get_by_label("Breadth")
            breadth.get_by_role("button", name="change").click()
            return breadth.get_by_label("One more line")
        case "/outlook":
            return page.get_by_label("One more reason")
    return page.get_by_label("Draw a formula")


@pytest.mark.parametrize("where", ["/instruments/LANT40", "/outlook", "axis", "line"])
def test_what_can_not_be_read_stays_in_its_field_with_what_was_meant(
    page: Page, where: str
) -> None:
    field = opened(page, where)
    if where == "axis":
        expect(field.locator(".cm-placeholder")).to_have_count(0)
    before = "" if field.locator(".cm-placeholder").count() else field.inner_text()
    text = "averge(close, 20)" if where == "axis" else "closs > open"
    field.fill(text)
    field.press("Enter")
    meant = page.get_by_role("group", name="Did you mean")
    expect(meant.or_(page.get_by_role("alert")).first).to_be_visible()
    holds(field, text)
    expect(page.get_by_text("can't be drawn")).to_have_count(0)
    # Leaving the field loses nothing, Escape gives back what was there.
    field.press("Tab")
    holds(field, text)
    field.press("Escape")
    holds(field, before)
    expect(meant).to_have_count(0)


def test_enter_takes_the_first_that_was_meant(page: Page) -> None:
    field = opened(page, "/instruments/LANT40")
    field.fill("closs > open")
    field.press("Enter")
    expect(page.get_by_role("button", name=re.compile("close > open"))).to_be_visible()
    field.press("Enter")
    drawn = page.get_by_label("Drawn formula close > open")
    expect(drawn).to_be_visible()
    holds(field, "")
    # A drawn formula that is made unreadable stays drawn as it was.
    drawn.fill("close > > open")
    drawn.press("Enter")
    expect(page.get_by_role("alert")).to_be_visible()
    page.reload()
    holds(drawn, "close > open")


def test_an_answer_that_comes_late_takes_no_other_text(page: Page) -> None:
    held: list[Route] = []
    begun = threading.Event()
    page.route("**/api/formula", lambda r: r.continue_() if begun.is_set() else held.append(r))
    field = opened(page, "/instruments/LANT40")
    field.fill("ema(close, 21)")
    with page.expect_request("**/api/formula"):
        field.press("Enter")
    field.press("Enter")
    field.fill("closs")
    begun.set()
    with page.expect_response("**/api/formula"):
        for route in held:
            route.continue_()
    page.wait_for_timeout(600)
    holds(field, "closs")
    expect(page.get_by_label("Drawn formula ema(close, 21)")).to_have_count(0)
    field.fill("ema(close, 21)")
    field.press("Enter")
    expect(page.get_by_label("Drawn formula ema(close, 21)")).to_have_count(1)


def test_a_universe_offers_what_was_meant(page: Page) -> None:
    page.goto("/instruments")
    page.get_by_role("button", name=re.compile("^new")).click()
    page.get_by_role("textbox", name="Formula of the universe").click()
    page.keyboard.insert_text("closs > open")
    offers = page.get_by_role("list", name="Did you mean")
    offers.get_by_role("button").first.click()
    expect(page.get_by_role("textbox", name="Formula of the universe")).to_have_text("close > open")
