"""Strength of currencies: a chosen one opens its partners, one is left out, a span is added."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def test_a_currency_opens_its_partners_and_one_is_left_out(page: Page) -> None:
    page.goto("/strength")
    first = page.get_by_label(re.compile("^22 days: 22 bars of 1d"))
    expect(first.get_by_role("listitem")).to_have_count(8)
    expect(first).to_contain_text("all together 0.00")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowRight")
    expect(page).to_have_url(re.compile("currency=.*span=1|span=1.*currency="))
    strongest = re.search(r"currency=(\w+)", page.url)[1]  # type: ignore[index]
    partners = page.get_by_label(f"{strongest} against the others").get_by_role("row")
    expect(partners).to_have_count(8)
    page.keyboard.press("x")
    expect(first.get_by_role("listitem")).to_have_count(7)
    expect(page.get_by_role("button", name=f"{strongest} ×")).to_be_visible()
    expect(first).to_contain_text("all together 0.00")
    page.keyboard.press("a")
    added = page.get_by_label("Bars of span 6")
    added.fill("90")
    added.press("Enter")
    expect(page.get_by_label(re.compile("^90 × 1h: 90 bars of 1h"))).to_be_visible()
    page.get_by_role("button", name="as it was").click()
    expect(first.get_by_role("listitem")).to_have_count(8)
