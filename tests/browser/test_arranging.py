"""How pages are arranged: kept by name, shared by address, in two windows, and when the server is away."""

from __future__ import annotations

import re
from urllib.parse import parse_qs, urlsplit

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.test_kept import cut_off, refused

TOO_MUCH = {"code": "too_much", "message": "more than 12 s", "mend": None, "problems": []}
PAGES = {
    "/board": ("Board", "Rating"),
    "/scatter": ("Scatter", "Moved and busy"),
    "/strength": ("Spans", "From a month to an hour"),
    "/overview": ("Overview", "The market"),
}


@pytest.mark.parametrize("path", PAGES)
def test_a_changed_arrangement_is_kept_once_shared_and_taken_away(
    browser: Browser, page: Page, path: str
) -> None:
    label, first = PAGES[path]
    page.goto(path)
    chosen = page.get_by_label(label, exact=True)
    expect(chosen).to_have_value(first)
    forming = page.get_by_label("Bars that count")
    before = forming.input_value()
    forming.select_option("true" if before == "false" else "false")
    expect(page).to_have_url(re.compile("set="))
    # The address says it all: another browser sees the same.
    other = browser.new_context(
        base_url=re.sub(r"/(board|scatter|strength|overview).*", "", page.url)
    )
    other.add_cookies(page.context.cookies())  # type: ignore[arg-type]
    stranger = other.new_page()
    stranger.goto(page.url)
    expect(stranger.get_by_label("Bars that count")).not_to_have_value(before)
    # Nothing is lost by leaving the page.
    page.goto("/sieves")
    page.goto(path)
    expect(forming).not_to_have_value(before)

    page.get_by_role("button", name=re.compile("^keep under a name")).click()
    name = page.get_by_label("Name of the arrangement")
    name.fill("Mine")
    cut_off(page)
    name.press("Enter")
    refused(page, "Not kept")
    expect(chosen).to_have_value("Mine")
    expect(page).not_to_have_url(re.compile("set="))
    name.press("Escape")
    stranger.get_by_role("button", name=re.compile("^keep under a name")).click()
    theirs = stranger.get_by_label("Name of the arrangement")
    theirs.fill("Mine")
    theirs.press("Enter")
    expect(stranger.get_by_role("alert")).to_contain_text(
        "there is an arrangement called Mine already"
    )
    expect(theirs).to_have_value("Mine")

    # Kept in two windows, the later one is told, and its own is still there.
    stranger.goto(f"{path}?as=Mine")
    page.goto(f"{path}?as=Mine")
    for window in (page, stranger):
        own = window.get_by_label("Bars that count")
        expect(own).not_to_have_value(before)
        own.select_option(before)
    page.get_by_role("button", name="keep it").click()
    expect(page.get_by_role("button", name="keep it")).to_have_count(0)
    stranger.get_by_role("button", name="keep it").click()
    expect(stranger.get_by_role("alert")).to_contain_text("kept otherwise since you opened it")
    expect(stranger.get_by_label("Bars that count")).to_have_value(before)
    other.close()

    page.get_by_role("button", name="take away").click()
    expect(chosen).to_have_value(first)
    page.get_by_role("button", name="Undo").click()
    expect(chosen).to_have_value("Mine")
    page.get_by_role("button", name="take away").click()
    expect(chosen).to_have_value(first)


@pytest.mark.parametrize("path", PAGES)
def test_an_address_that_says_nonsense_shows_the_page_all_the_same(page: Page, path: str) -> None:
    label, first = PAGES[path]
    page.goto(
        f"{path}?as={first.replace(' ', '+')}&set=bm8&in=1,2&show=x,y&order=q&span=z&asof=soon"
    )
    expect(page.get_by_label(label, exact=True)).to_have_value(first)
    expect(page).not_to_have_url(re.compile("set="))
    page.goto(f"{path}?as=Somebody's")
    expect(page.get_by_label(label, exact=True)).to_have_value("Somebody's")
    expect(page.get_by_text("(not kept here)")).to_be_attached()


@pytest.mark.parametrize(
    ("path", "asked", "what"),
    [
        ("/board", "board", "The board can't be shown"),
        ("/scatter?as=Tight+and+strong", "scatter", "The scatter can't be drawn"),
        ("/strength", "strength", "The strength can't be shown"),
        ("/overview", "overview/tightness", "Tightness can't be shown"),
        ("/overview", "overview/ahead*", "What is scheduled can't be shown"),
        ("/outlook", "outlooks", "The outlooks can't be shown"),
        ("/outlook", "outlooks/look", "It can't be told"),
    ],
)
def test_a_part_that_fails_says_so_and_can_be_tried_again(
    page: Page, path: str, asked: str, what: str
) -> None:
    page.route(f"**/api/{asked}", lambda route: route.fulfill(status=422, json=TOO_MUCH))
    page.goto(path)
    alert = page.get_by_role("alert").filter(has_text=what)
    expect(alert).to_contain_text("more than 12 s")
    page.unroute(f"**/api/{asked}")
    alert.get_by_role("button", name="Try again").click()
    expect(alert).to_have_count(0)


def test_marked_rows_and_hits_of_a_run_are_points_too(page: Page, reviewed: int) -> None:
    page.goto("/board")
    for row in (1, 2, 3):
        page.get_by_role("row").nth(row).get_by_role("checkbox").check()
    page.get_by_role("link", name="The marked as a scatter").click()
    page.get_by_label("Scatter", exact=True).select_option("Tight and strong")
    expect(page.get_by_text("3 chosen instruments")).to_be_visible()
    expect(page.get_by_role("status").filter(has_text="of 3 in sight")).to_be_visible()
    assert parse_qs(urlsplit(page.url).query)["of"] == ["All shares"]
    with page.expect_download() as told:
        page.get_by_role("button", name=re.compile("^PNG of Scatter")).click()
    assert told.value.path().read_bytes()[:4] == b"\x89PNG"
    page.goto(f"/runs/{reviewed}")
    page.get_by_role("link", name="as a scatter").click()
    page.get_by_label("Scatter", exact=True).select_option("Growth and trend")
    page.get_by_label("Coloured by").select_option("side")
    expect(page.get_by_label("Colours").get_by_role("button")).to_have_text(["long"])
    page.get_by_role("button", name="a universe instead").click()
    expect(page.get_by_role("status").filter(has_text="of 239 in sight")).to_be_visible()
    with page.expect_download() as listed:
        page.get_by_role("button", name=re.compile("^CSV of Scatter")).click()
    head = listed.value.path().read_text().splitlines()[0]
    assert head.startswith("code,name,sector,side,sales growth")
