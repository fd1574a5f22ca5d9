"""Pages in bad weather: a browser that keeps nothing, replies that are none, a server that is away."""

from __future__ import annotations

import os
import re
import signal
from collections.abc import Callable, Iterator
from itertools import cycle
from pathlib import Path
from random import Random
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.conftest import faults_of, page_of
from tests.browser.hands import go, settled
from tests.browser.test_own_desk import PAGES
from tests.conftest import Service, copy_of
from zealous_sieve.local.cluster import Cluster

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
    for path in PAGES[1:]:
        go(page, path)
        expect(page.locator("main").first).to_be_visible()
    page.close()
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
    page.close()
    assert escaped == []


@pytest.mark.parametrize("path", WORKING)
def test_an_odd_reply_is_told_in_its_place_and_the_page_goes_on_by_itself(
    weathered: Page, path: str
) -> None:
    page = weathered
    kinds = cycle(Random(path).sample(list(ODD.values()), len(ODD)))
    page.route(DATA, lambda route: route.fulfill(**next(kinds)))  # type: ignore[arg-type]
    page.goto(path)
    told = page.get_by_role("alert").or_(page.get_by_text("trying again")).first
    expect(told).to_be_visible()
    page.unroute(DATA)
    expect(page.get_by_text("trying again")).to_have_count(0)
    expect(page.locator("main").first).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)


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
        page.wait_for_url("**/runs")
        expect(
            page.get_by_role("alert").or_(page.get_by_text("trying again")).first
        ).to_be_visible()
        page.go_back()
        page.unroute(DATA)
        expect(note).to_have_value(f"Written in weather {n}.")
        expect(page.get_by_text("trying again")).to_have_count(0)


FIELD = (
    "main :is(textarea, input:not([type]), input[type=text], input[type=search]):enabled:visible"
)


@pytest.fixture
def own(cluster: Cluster, demo: str) -> Iterator[Service]:
    """A desk of its own, whose parts may be stopped."""
    running = Service(copy_of(cluster, demo))
    running.start_all()
    yield running
    running.stop()


def test_each_page_outlives_a_server_that_is_made_anew_with_what_is_typed(
    browser: Browser, own: Service
) -> None:
    first = page_of(browser, own)
    escaped: list[str] = []
    pages: dict[str, Page] = {}
    for path in WORKING:
        page = pages[path] = first.context.new_page()
        page.on("pageerror", lambda error: escaped.append(f"{error.message} {error.stack}"))
        page.goto(path)
        expect(page.locator("main").first).to_be_visible()
        settled(page)
    typed = {}
    for path, page in pages.items():
        fields = page.locator(FIELD)
        if fields.count():
            fields.first.fill("typed meanwhile")
            typed[path] = fields.first
    own.kill("serve")
    for path, page in pages.items():
        told = page.get_by_role("banner").get_by_role("status")
        expect(told, f"{path} says nothing").to_contain_text("trying again", timeout=90_000)
    own.start("serve", "--port", str(own.port))
    for path, page in pages.items():
        told = page.get_by_role("banner").get_by_text("trying again")
        expect(told, f"{path} does not go on").to_have_count(0)
    for path, field in typed.items():
        expect(field, path).to_have_value("typed meanwhile")
    assert len(typed) >= len(WORKING) - 5, "there is something to type on most pages"
    for page in pages.values():
        page.close()
    assert escaped == []


def test_a_server_that_says_nothing_is_told_as_one_that_is_away(page: Page) -> None:
    held: list[Route] = []
    page.route("**/api/thread", lambda route: held.append(route))
    page.goto("/runs")
    told = page.get_by_role("banner").get_by_text("the server does not answer, trying again")
    expect(told).to_be_visible()
    page.unroute("**/api/thread")
    expect(told).to_have_count(0)
    assert held


def test_work_is_followed_without_being_asked_for(page: Page, own: Service, tmp_path: Path) -> None:
    file = tmp_path / "quvna.csv"
    file.write_text(
        "code,time,close\n" + "".join(f"QUVNA,2026-04-{n:02},{n}\n" for n in range(1, 29))
    )
    os.kill(own.processes["worker"].pid, signal.SIGSTOP)
    number = own.client.bring(file)["id"]
    own.client.ask("PUT", "/demo", {"here": False})
    own.admit(page.context)
    pages = {
        "Reading the whole file": (page, f"/imports/{number}"),
        "It is being taken away": (page.context.new_page(), "/settings"),
    }
    asked: list[str] = []
    for waits, (one, path) in pages.items():
        one.goto(f"{own.base}{path}")
        expect(one.get_by_text(re.compile(waits))).to_be_visible()
        settled(one)
        one.on("request", lambda request: asked.append(request.url))
    page.wait_for_timeout(2_500)
    assert [url for url in asked if "/api/thread" not in url] == []
    os.kill(own.processes["worker"].pid, signal.SIGCONT)
    expect(page.get_by_role("button", name=re.compile("Import 28"))).to_be_visible()
    settings, _ = pages["It is being taken away"]
    expect(settings.get_by_role("button", name="Bring it back")).to_be_visible()


def test_a_run_is_followed_to_its_end_while_its_stream_is_away(page: Page, own: Service) -> None:
    os.kill(own.processes["worker"].pid, signal.SIGSTOP)
    run = own.client.ask("POST", "/runs", {"sieve_id": 2})["id"]
    own.admit(page.context)
    page.goto(f"{own.base}/runs/{run}")
    expect(page.get_by_text(re.compile("of [0-9]+ instruments"))).to_be_visible()
    page.route("**/events?*", lambda route: route.abort())
    own.kill("serve")
    os.kill(own.processes["worker"].pid, signal.SIGCONT)
    own.start("serve", "--port", str(own.port))
    expect(page.get_by_role("table").first).to_be_visible()
    expect(page.get_by_text(re.compile("of [0-9]+ instruments\\."))).to_have_count(0)
