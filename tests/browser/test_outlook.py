"""An outlook is written, and settled when its time has come."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.hands import answer_late, holds


def test_an_outlook_is_written_and_settled(page: Page) -> None:
    answer_late(page, "GET", "/api/beginning", 2000)
    page.goto("/outlook?asof=2026-06-09T14:20:00Z")
    writer = page.get_by_label("A new outlook")
    for label, value in (("Settled on bars", "1d"), ("Horizon", "4")):
        page.get_by_label(label).fill(value)
        page.get_by_label(label).press("Enter")
    expect(writer).to_contain_text(re.compile("earlier stretches of that length it did so anyway"))
    usual = writer.get_by_text(re.compile("^In .* earlier stretches")).inner_text()
    page.get_by_label("Lean").select_option(label="0 to neither side")
    holds(page.get_by_label("Settled by"), "close within 0.5% of start")
    expect(page.get_by_label("Settled when")).to_have_value("at the end")
    formula = page.get_by_label("Settled by")
    formula.fill("closs > start")
    formula.press("Enter")
    expect(writer.get_by_role("alert")).to_contain_text("did you mean close")
    expect(page.get_by_role("button", name=re.compile("^Write it down"))).to_be_disabled()
    formula.fill("close > start by 2%")
    formula.press("Enter")
    expect(writer).not_to_contain_text(usual)
    more = page.get_by_label("One more reason")
    more.fill("rsi(11) > 50")
    more.press("Enter")
    expect(writer.get_by_text(re.compile("11-bar RSI .* 50"))).to_be_visible()
    page.get_by_label("Note").fill("The ferries are late, the lenders are not.")
    page.get_by_role("button", name=re.compile("^Write it down")).click()
    own = page.get_by_label(re.compile("^Outlook of Tue 9 Jun"))
    expect(own).to_contain_text("open, 4 bars of 1d left")
    expect(own).to_contain_text("The ferries are late")
    expect(own.get_by_role("img", name=re.compile("bars of 1d before"))).to_be_visible()
    page.keyboard.press("0")
    expect(own).to_contain_text(re.compile("(right|wrong) on bar 4"))
    expect(own).to_contain_text("written looking back")
    expect(page.get_by_label("Record")).to_contain_text("none settled yet")
    own.get_by_role("button", name="archive").click()
    expect(own).to_have_count(0)
    page.get_by_role("button", name=re.compile("^Undo|undo")).click()
    expect(own).to_be_visible()
