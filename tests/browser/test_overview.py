"""The overview: statements are changed where they stand, who is tight is sought anew, all is set back."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.hands import holds


def test_the_overview_is_read_changed_and_set_back(page: Page) -> None:
    page.goto("/overview")
    said = page.get_by_label("Statements")
    expect(said.get_by_role("link", name=re.compile("average"))).not_to_have_count(0)
    said.get_by_role("button", name="change").click()
    first = page.get_by_label("Statement 1")
    first.fill("close > sma(close, 21)")
    first.press("Enter")
    sentence = said.get_by_role("link", name=re.compile("21-bar average")).nth(1)
    expect(sentence).to_be_visible()
    expect(page).to_have_url(re.compile("set="))
    text = sentence.inner_text()
    wrong = page.get_by_label("One more statement")
    wrong.fill("closs > 1")
    wrong.press("Enter")
    expect(said.get_by_text("did you mean close").first).to_be_visible()
    wrong.press("Escape")
    holds(wrong, "")
    page.keyboard.press("<")
    expect(page).to_have_url(re.compile("asof=2026-06-09"))
    expect(sentence).not_to_have_text(text)
    tight = page.get_by_label("Tightness")
    tight.get_by_role("button", name="change").click()
    bars = tight.get_by_label("Bars of tightness 1", exact=True)
    for name, value in (
        ("On at least so many", "1"),
        ("Formula: it is tight where", "close > sma(close, 9)"),
    ):
        field = tight.get_by_label(name)
        field.fill(value)
        field.press("Enter")
    expect(bars).to_have_value("1h")
    expect(tight.locator("table.tight").get_by_role("row")).to_have_count(15)
    rotation = page.get_by_label("Rotation", exact=True)
    expect(rotation.get_by_label(re.compile("^a day")).get_by_role("listitem")).to_have_count(10)
    expect(
        page.get_by_label("Sessions").get_by_text(re.compile("^open, until")).first
    ).to_be_visible()
    page.get_by_role("button", name="as it was").click()
    true = said.get_by_role("link", name=re.compile("points up$"))
    expect(true.first).to_be_visible()
    expect(said.get_by_role("link", name=re.compile("21-bar average"))).to_have_count(0)
    said.get_by_role("link", name="outlook").first.click()
    expect(page.get_by_label("Instrument")).to_have_value("LANT40")
    expect(page.get_by_label("Reason 1", exact=True)).to_have_text(re.compile("."))
    expect(page).to_have_url(re.compile("asof=2026-06-09"))
    expect(page).not_to_have_url(re.compile("reason="))
