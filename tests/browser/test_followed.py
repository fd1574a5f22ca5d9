"""What followed on a sieve's signals: the line on its page, and the page of its evidence."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.hands import write


def test_a_line_tells_what_followed_and_follows_what_is_written(page: Page) -> None:
    page.goto("/sieves/2")
    line = page.locator(".leaves .evidence")
    expect(line).to_contain_text(re.compile(r"^[\d,]+ signals on [\d,]+ days; 10 bars later \d+ %"))
    said = line.locator("span")
    before = said.inner_text()
    condition = page.get_by_role("textbox", name="Condition 2", exact=True)
    written = condition.inner_text()
    write(page, "Condition 2", "close > prev(highest(high, 24)) by 40%")
    expect(said).to_have_text("No signal.")
    write(page, "Condition 2", "close >")
    expect(page.locator(".leaves .sentence").first).to_contain_text("Not yet")
    expect(line).to_have_class(re.compile("old"))
    condition.click()
    write(page, "Condition 2", written)
    expect(said).to_have_text(before)
    expect(line).not_to_have_class(re.compile("old"))


def test_all_that_followed_is_a_key_away_and_asked_anew_in_its_sentence(page: Page) -> None:
    page.goto("/sieves/2")
    expect(page.locator(".leaves .evidence")).to_contain_text("signals on")
    page.locator("body").press("i")
    expect(page).to_have_url(re.compile("/sieves/2/evidence$"))
    heading = page.locator("h2.answer").first
    expect(heading).to_contain_text(re.compile(r"^[\d,]+ signals on [\d,]+ days; 10 bars later"))
    every = heading.inner_text()
    expect(page.get_by_role("img", name="How results are spread")).to_be_visible()
    page.get_by_label("Which signals count").select_option("apart")
    expect(heading).not_to_have_text(every)
    expect(page.get_by_text("too close to the last one counted")).to_be_visible()
    page.get_by_label("Ahead by").select_option("session")
    expect(heading).to_contain_text("at the end of the session")
    page.go_back()
    page.go_forward()
    expect(heading).to_contain_text("at the end of the session")
    cases = page.locator(".cases tbody tr")
    expect(cases).to_have_count(100)
    code = cases.nth(40).get_by_role("button").inner_text()
    page.locator("body").press("/")
    page.keyboard.type(code)
    expect(cases.first).to_contain_text(code)
    expect(page.get_by_role("heading", level=2).last).to_contain_text("among the newest 2,000 of")
    page.get_by_role("button", name="Result").click()
    best = [float(text.replace("−", "-").split()[0]) for text in figures(page)]
    assert best == sorted(best, reverse=True)
    cases.first.get_by_role("button").click()
    case = page.get_by_role("region", name="A signal on its chart")
    expect(case).to_contain_text("what followed is hidden")
    case.get_by_role("link", name=code).click()
    expect(page).to_have_url(re.compile(rf"/instruments/{code}\?bars=1d&at=\d+"))


def figures(page: Page) -> list[str]:
    texts = page.locator(".cases tbody td:nth-child(4)").all_inner_texts()
    return [text for text in texts if text != "–"]


def test_signals_are_traded_by_rules_that_are_written_in_their_sentence(page: Page) -> None:
    page.goto("/sieves/2/evidence")
    page.get_by_label("Rules of trades").select_option("stop beyond the last confirmed swing")
    told = page.locator("h2.answer").nth(1)
    expect(told).to_contain_text(re.compile(r"^[\d,]+ trades.* % won .* mean .* R"))
    before = told.inner_text()
    page.get_by_label("Target 1 in R").fill("2.2")
    page.get_by_label("Target 1 in R").press("Enter")
    expect(told).not_to_have_text(before)
    page.get_by_label("Add to the rules").select_option("out on a condition")
    expect(page.get_by_label("Condition to get out", exact=True)).to_be_visible()
    page.get_by_label("Cost in basis points").fill("-3")
    page.get_by_label("Cost in basis points").press("Enter")
    expect(page.get_by_label("Cost in basis points")).to_have_value("0")
    page.get_by_role("button", name="No stop").click()
    expect(told).to_contain_text(" %")
    expect(told).not_to_contain_text(" R")
    page.reload()
    expect(told).to_contain_text("trades")
    for name in ("No condition to get out",):
        page.get_by_role("button", name=name).click()
    bars = page.get_by_label("Bars that a trade is held at most")
    bars.fill("")
    bars.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("nothing ends a trade")
    page.get_by_label("Add to the rules").last.select_option("a stop")
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(told).to_contain_text(" R")
    page.get_by_label("Other rules of trades").select_option("no trades")
    expect(page.get_by_text("not looked at")).to_be_attached()
    expect(page.locator("h2.answer")).to_have_count(1)


def test_a_case_is_gone_through_bar_by_bar_with_its_trade(page: Page) -> None:
    page.goto("/sieves/2/evidence?ahead=4")
    page.get_by_label("Rules of trades").select_option("stop so many ATR away")
    expect(page.get_by_role("button", name="Trade", exact=True)).to_be_visible()
    page.get_by_role("button", name="Trade", exact=True).click()
    body = page.locator("body")
    body.press("ArrowDown")
    expect(page.locator(".cases tr.chosen")).to_have_count(1)
    made = page.locator(".cases tr.chosen td").last.inner_text()
    asked: list[str] = []
    page.on(
        "request",
        lambda own: asked.append(own.headers.get("as-of", "")) if "/fired" in own.url else None,
    )
    body.press("Enter")
    case = page.get_by_role("region", name="A signal on its chart")
    expect(case).to_contain_text("what followed is hidden")
    expect(case.locator("canvas")).to_be_visible()
    expect(case).to_contain_text("2 of ")
    expect(case.locator(".trade")).to_have_count(0)
    assert all(asked)
    assert "4 bars" not in case.locator(".head").inner_text()
    body.press("ArrowDown")
    expect(case).to_contain_text("1 bar after it")
    expect(case.locator(".trade")).to_contain_text("still in")
    body.press("ArrowUp")
    expect(case.locator(".trade")).to_have_count(0)
    body.press("w")
    expect(case).to_contain_text("after 4 bars")
    expect(case.locator(".trade")).to_contain_text(made)
    body.press("ArrowRight")
    expect(case).to_contain_text("what followed is hidden")
    expect(case).to_contain_text("3 of ")
    page.reload()
    expect(case).to_contain_text("what followed is hidden")
    body.press("Escape")
    expect(page.locator(".cases tr.chosen")).to_have_count(1)


def test_it_is_doubted_by_parts(page: Page) -> None:
    page.goto("/sieves/2/evidence?ahead=6")
    expect(page.locator("h2.answer").first).to_contain_text("6 bars later")
    page.locator("body").press("d")
    parts = page.get_by_role("region", name="Doubt by parts")
    years = parts.get_by_role("table", name="What followed, by year").locator("tbody tr")
    expect(years.first).to_contain_text(re.compile(r"20\d\d.*%"))
    expect(parts).to_contain_text("Without the best instrument")
    expect(parts.get_by_role("img").first).to_have_accessible_name(re.compile("%"))
    page.locator("body").press("d")
    expect(years).to_have_count(0)
