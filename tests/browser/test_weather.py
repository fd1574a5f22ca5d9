"""Pages in bad weather: a browser that keeps nothing, replies that are none, a server that is away."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.conftest import faults_of, page_of
from tests.browser.test_own_desk import PAGES
from tests.conftest import Service

WORKING = (*PAGES, "/sieves/3", "/verdicts", "/instruments/NCC")
NO_STORE = """Object.defineProperty(window, 'localStorage', {
  get() { throw new DOMException('The operation is insecure.', 'SecurityError') } })"""
FULL_STORE = """Storage.prototype.setItem = () => {
  throw new DOMException('The quota has been exceeded.', 'QuotaExceededError') }"""
KEEPS_NOTHING = "This browser keeps nothing of ours"


@pytest.mark.parametrize("store", [NO_STORE, FULL_STORE], ids=["none", "full"])
def test_where_the_browser_keeps_nothing_all_works_and_it_is_told_once(
    browser: Browser, service: Service, store: str
) -> None:
    page = page_of(browser, service)
    page.add_init_script(store)
    faults = faults_of(page)
    for path in PAGES:
        page.goto(path)
        expect(page.locator("main").first).to_be_visible()
        page.wait_for_load_state("networkidle")
    page.goto("/sieves/3")
    note = page.get_by_role("textbox", name="Note")
    note.fill("Kept as long as the page is open.")
    told = page.get_by_role("banner").get_by_text(KEEPS_NOTHING)
    expect(told).to_be_visible()
    page.get_by_role("link", name="Runs").click()
    expect(page).to_have_url(re.compile("/runs$"))
    page.go_back()
    expect(note).to_have_value("Kept as long as the page is open.")
    page.get_by_role("button", name="Night").click()
    expect(page.locator("html")).to_have_class(re.compile("dark"))
    page.context.close()
    assert faults == []


ODD = {
    "empty": {"status": 200, "content_type": "application/json", "body": ""},
    "no JSON": {"status": 200, "content_type": "text/html", "body": "<html>of another</html>"},
    "of a gateway": {"status": 502, "content_type": "text/html", "body": "<html>bad</html>"},
    "of another shape": {"status": 200, "content_type": "application/json", "body": '{"odd": 1}'},
}
DATA = re.compile("/api/(?!session)")


@pytest.fixture
def weathered(browser: Browser, service: Service) -> Iterator[Page]:
    page = page_of(browser, service)
    escaped: list[str] = []
    page.on("pageerror", lambda error: escaped.append(f"{error.message} {error.stack}"))
    yield page
    page.context.close()
    assert escaped == []


@pytest.mark.parametrize("kind", ODD)
def test_an_odd_reply_is_told_in_its_place_and_the_page_goes_on_by_itself(
    weathered: Page, kind: str
) -> None:
    page = weathered

    def odd(route: Route) -> None:
        route.fulfill(**ODD[kind])  # type: ignore[arg-type]

    told = page.get_by_role("alert").or_(page.get_by_text("trying again")).first
    for path in WORKING:
        page.route(DATA, odd)
        page.goto(path)
        expect(told, f"{path} says nothing of a reply that is {kind}").to_be_visible()
        page.unroute(DATA)
        expect(page.get_by_text("trying again")).to_have_count(0)
        expect(page.locator("main").first).to_be_visible()
        expect(page.get_by_role("alert"), f"{path} does not go on after {kind}").to_have_count(0)


def under(weather: dict[str, Any] | None) -> Callable[[Route], None]:
    """What becomes of a request; with no weather it is cut off."""
    return lambda route: route.fulfill(**weather) if weather else route.abort()


def test_what_is_typed_stays_while_the_server_is_away_and_answers_oddly(weathered: Page) -> None:
    page = weathered
    page.goto("/sieves/3")
    note = page.get_by_role("textbox", name="Note")
    expect(note).to_be_visible()
    for n, weather in enumerate((*ODD.values(), None)):
        page.route(DATA, under(weather))
        note.fill(f"Written in weather {n}.")
        page.get_by_role("link", name="Runs").click()
        expect(
            page.get_by_role("alert").or_(page.get_by_text("trying again")).first
        ).to_be_visible()
        page.go_back()
        page.unroute(DATA)
        expect(note).to_have_value(f"Written in weather {n}.")
        expect(page.get_by_text("trying again")).to_have_count(0)
