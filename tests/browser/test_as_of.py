"""The desk is set back, and every page looks from there."""

from __future__ import annotations

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.hands import answer_late


def test_the_whole_desk_is_set_back_by_key_and_comes_to_the_present_again(page: Page) -> None:
    page.goto("/sieves/2")
    counts = page.locator(".leaves .sentence")
    expect(counts).to_contain_text("pass now")
    now = counts.inner_text()
    page.keyboard.press("<")
    told = page.locator(".moment.past .told")
    expect(told).to_contain_text("Tue 9 Jun 2026 14:20 UTC")
    expect(page).to_have_url(re.compile("asof=2026-06-09T14:20:00Z"))
    expect(counts).to_contain_text("pass then")
    assert counts.inner_text().split(" pass")[0] != now.split(" pass")[0]
    page.get_by_role("link", name=re.compile("^Instruments")).click()
    expect(page).to_have_url(re.compile("/instruments.*asof=2026-06-09T14:20:00Z"))
    page.goto("/instruments/LANT40?asof=2026-06-09T14:20:00Z")
    chart = page.get_by_role("img", name=re.compile("^LANT40, 600 bars"))
    expect(chart).to_have_accessible_name(re.compile("9 Jun 2026"))
    for _ in range(3):
        page.keyboard.press("(")
    expect(page).to_have_url(re.compile("asof=2026-06-04T14:20:00Z"))
    expect(chart).to_have_accessible_name(re.compile("3 Jun 2026"))
    page.keyboard.press("h")
    page.get_by_label("Moment", exact=True).fill("2026-05-05T12:00")
    expect(told).to_contain_text("Tue 5 May 2026 12:00 UTC")
    expect(chart).to_have_accessible_name(re.compile("4 May 2026"))
    page.get_by_label("Moment", exact=True).press("Escape")
    expect(page.get_by_label("Moment", exact=True)).to_have_count(0)
    page.keyboard.press("h")
    page.keyboard.type("1 month earlier 10:15")
    expect(page.locator("#moment-meant")).to_contain_text("Sun 5 Apr 2026 10:15 UTC")
    page.keyboard.press("Enter")
    expect(told).to_contain_text("Sun 5 Apr 2026 10:15 UTC")
    page.keyboard.press("h")
    page.keyboard.type("16.4. 14:20\n")
    expect(told).to_contain_text("Thu 16 Apr 2026 14:20 UTC")
    page.keyboard.press("h")
    page.keyboard.type("16 Apr and more\n")
    expect(page.locator("#moment-meant")).to_contain_text("write it as")
    page.get_by_label("Moment", exact=True).focus()
    page.keyboard.type("0")
    expect(told).to_contain_text("Thu 16 Apr 2026 14:20 UTC")
    page.keyboard.press("Escape")
    page.keyboard.press("0")
    expect(told).to_have_count(0)
    expect(page).not_to_have_url(re.compile("asof"))
    expect(chart).to_have_accessible_name(re.compile("16 Jun 2026"))


def test_steps_that_are_asked_for_before_the_desk_has_counted_are_done(page: Page) -> None:
    answer_late(page, "GET", "/api/thread", 4000)
    for address, key, then in (
        ("/instruments/LANT40?asof=2026-06-09T14:20:00Z", "(", "Fri 5 Jun 2026 14:20 UTC"),
        ("/instruments/LANT40", "<", "Tue 2 Jun 2026 14:20 UTC"),
    ):
        page.goto(address)
        page.get_by_role("heading", name="LANT40").wait_for()
        for _ in range(2):
            page.keyboard.press(key)
        expect(page.locator(".moment.past .told")).to_contain_text(then)


def hold(page: Page, address: str | re.Pattern[str]) -> list[Route]:
    """What is asked for at an address waits, until it is told to go on."""
    held: list[Route] = []
    page.route(address, lambda route: held.append(route))
    return held


def test_a_step_back_while_a_page_is_being_opened_takes_the_page_along(page: Page) -> None:
    held = hold(page, "**/assets/InstrumentPage*.js")
    page.goto("/instruments/LANT40?asof=2026-06-09T14:20:00Z")
    expect(page.locator(".moment.past .told")).to_contain_text("Tue 9 Jun 2026")
    page.keyboard.press("<")
    expect(page.locator(".moment.past .told")).to_contain_text("Tue 2 Jun 2026")
    held[0].continue_()
    expect(page).to_have_url(re.compile("/instruments/LANT40.*asof=2026-06-02T14:20:00Z"))
    expect(page.get_by_role("row", name=re.compile("^1d .* 1 Jun 2026$"))).to_be_visible()


def test_a_page_that_was_left_calls_nobody_back(page: Page) -> None:
    lists = hold(page, re.compile("/api/formulas$"))
    pages = hold(page, "**/assets/RunsPage*.js")
    with page.expect_request(re.compile("/api/formulas$")):
        page.goto("/formulas")
    page.get_by_role("link", name="Runs").click()
    with page.expect_response(re.compile("/api/formulas$")):
        lists[0].continue_()
    page.wait_for_timeout(300)
    pages[0].continue_()
    expect(page.get_by_role("heading", name="Runs", exact=True)).to_be_visible()
    expect(page).to_have_url(re.compile("/runs"))


def test_an_answer_that_comes_after_its_moment_was_left_is_not_taken_for_the_new_one(
    page: Page,
) -> None:
    answer_late(page, "GET", "/api/instruments/LANT40?", 2000)
    page.goto("/instruments/LANT40?asof=2026-06-09T14:20:00Z")
    expect(page.locator(".moment.past .told")).to_contain_text("Tue 9 Jun 2026")
    page.keyboard.press("<")
    expect(page).to_have_url(re.compile("asof=2026-06-02T14:20:00Z"))
    expect(page.get_by_role("row", name=re.compile("^1d .* 1 Jun 2026$"))).to_be_visible()
    page.wait_for_timeout(600)
    expect(page.get_by_role("row", name=re.compile("^1d .* 1 Jun 2026$"))).to_be_visible()
