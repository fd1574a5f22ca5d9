"""A desk without the demo: nothing on it leans on what the demo has."""

from __future__ import annotations

import json
import random
import re
import time
from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path
from urllib.parse import quote

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import faults_of, page_of
from tests.browser.hands import go, write
from tests.conftest import Service, copy_of
from zealous_sieve import bootstrap
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.table.demo import begin_empty

FIVE = ("KESSO", "KWE/OSK", "TA RO", "^OLM", "QUAY.B")
MANY = tuple(f"QRN{n:04}" for n in range(3000))
PAGES = (
    "/", "/instruments", "/imports", "/overview", "/board", "/scatter", "/strength", "/outlook",
    "/sieves", "/sieves/new", "/formulas", "/formulas/new", "/functions", "/runs", "/settings", "/scripts",
)  # fmt: skip


def table(codes: tuple[str, ...], days: int = 240) -> str:
    """Daily bars of invented shares, as one table."""
    chance = random.Random(4)
    rows = ["paper,date,open,high,low,close,volume"]
    for code in codes:
        price, day = 60.0, date(2025, 1, 1)
        for _ in range(days):
            day += timedelta(days=3 if day.weekday() == 4 else 1)
            opened, price = price, max(1.0, price * (1 + chance.gauss(0, 0.015)))
            high, low = max(opened, price) * 1.004, min(opened, price) * 0.996
            rows.append(
                f"{code},{day},{opened:.2f},{high:.2f},{low:.2f},{price:.2f},{price * 900:.0f}"
            )
    return "\n".join(rows) + "\n"


@pytest.fixture(scope="module")
def empty(cluster: Cluster) -> str:
    """A database that was begun without the demo, to copy."""
    address = cluster.make_database("begun_without_demo")
    migrate(address)
    outside = bootstrap.outside(address)
    assert begin_empty(outside, lambda _: None)
    outside.bars.database.engine.dispose()
    return "begun_without_demo"


@pytest.fixture
def own(cluster: Cluster, empty: str) -> Iterator[Service]:
    running = Service(copy_of(cluster, empty))
    running.start_all()
    yield running
    running.stop()


def bring(own: Service, path: Path) -> None:
    """Read a table and take it."""
    number = own.client.bring(path)["id"]
    for before, then in (("reading", "ready"), ("taking", "done")):
        while (state := own.client.ask("GET", f"/imports/{number}")["own"]["state"]) == before:
            time.sleep(0.05)
        assert state == then
        if then == "ready":
            own.client.ask("POST", f"/imports/{number}/take", {})


def visit_all(browser: Browser, own: Service, *further: str) -> None:
    """Every page is opened: none has an error, tells one, or waits for ever."""
    page = page_of(browser, own)
    faults = faults_of(page)
    refused: list[str] = []
    page.on("response", lambda reply: refused.append(reply.url) if reply.status >= 400 else None)
    page.goto(PAGES[0])
    for path in (*PAGES[1:], *further):
        go(page, path)
        expect(page.locator("main")).to_be_visible()
        expect(page.get_by_text(re.compile("reading…|drawing…|^Opening"))).to_have_count(0)
        expect(page.get_by_role("alert")).to_have_count(0)
        expect(page.get_by_text("correct what is underlined")).to_have_count(0)
    page.close()
    assert faults == []
    # That there are no pairs is told by the server, and by the page in words.
    assert {url.rpartition("/api/")[2] for url in refused} <= {"strength"}


@pytest.mark.parametrize(("codes", "days"), [(FIVE[:1], 240), (MANY, 80)], ids=["1", "3000"])
def test_no_page_of_a_desk_of_shares_has_an_error(
    browser: Browser, own: Service, tmp_path: Path, codes: tuple[str, ...], days: int
) -> None:
    path = tmp_path / "shares.csv"
    path.write_text(table(codes, days), "utf-8")
    bring(own, path)
    visit_all(browser, own, f"/instruments/{codes[-1]}")


def test_an_empty_desk_takes_a_table_dropped_on_any_page_and_its_pages_work_before_and_after(
    browser: Browser, own: Service
) -> None:
    visit_all(browser, own)
    page = page_of(browser, own)
    page.goto("/")
    expect(page).to_have_url(re.compile("/imports$"))
    expect(page.get_by_text("Nothing is taken before you say so")).to_be_visible()
    page.goto("/board")
    expect(page.locator("main")).to_contain_text("There are no instruments yet")
    drop(page, "five.csv", table(FIVE))
    expect(page).to_have_url(re.compile(r"/imports/\d+$"))
    page.get_by_role("button", name="Import 1,200 bars of 1d").click()
    expect(page.locator(".account")).to_contain_text("The data check")
    page.goto("/runs")
    sieve = own.client.ask("GET", "/ready")["sieves"][0]["sieve"]
    assert sieve["universe"] == "All instruments"
    drop(page, "given.json", json.dumps(sieve))
    expect(page).to_have_url(re.compile("/sieves$"))
    expect(page.get_by_role("article").filter(has_text=sieve["name"])).to_be_visible()

    page.goto("/instruments")
    page.get_by_label("Mark KWE/OSK").check()
    page.get_by_role("button", name="Archive 1").click()
    expect(page.get_by_role("link", name="KWE/OSK")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("link", name="KWE/OSK")).to_be_visible()
    page.keyboard.press("d")
    expect(page.get_by_label("Kind", exact=True)).to_be_focused()
    page.get_by_label("Kind", exact=True).select_option("share")
    page.get_by_label("Sector").fill("ferries")
    page.get_by_label("Currency", exact=True).fill("KRO")
    page.get_by_label("Currency", exact=True).press("Enter")
    expect(page.get_by_text("What 5 instruments are is kept.")).to_be_visible()
    expect(page.get_by_role("cell", name="ferries")).to_have_count(5)
    page.get_by_role("link", name="KWE/OSK").click()
    known = page.get_by_label("What is known")
    expect(known).to_contain_text("share, no venue, in KRO, steps of 0.01.")
    known.get_by_role("button", name="change").click()
    known.get_by_label("Name").fill("Kwenholm Packets")
    known.get_by_label("Name").press("Enter")
    expect(page.get_by_role("heading", name="Kwenholm Packets")).to_be_visible()

    page.goto("/sieves/new")
    write(page, "Condition 1", "close > 0")
    expect(page.locator(".leaves .sentence")).to_contain_text("5 of 5 pass now")
    page.keyboard.press("Control+Enter")
    page.get_by_role("row").filter(has_text="KWE/OSK").get_by_role("link").first.click()
    expect(page).to_have_url(re.compile(r"/hits/\d+$"))
    expect(page.get_by_role("heading", name="KWE/OSK")).to_be_visible()
    page.keyboard.press("t")
    expect(page.locator(".rail a", has_text="KWE/OSK").locator(".mark.take")).to_be_visible()
    page.close()
    visit_all(browser, own, *(f"/instruments/{quote(code, safe='')}" for code in FIVE))


def test_from_300_files_on_an_empty_desk_to_hits_that_leave_it(
    browser: Browser, own: Service
) -> None:
    page = page_of(browser, own)
    faults = faults_of(page)
    page.goto("/")
    files = {}
    for code in MANY[:300]:
        rows = [line.partition(",")[2] for line in table((code,), 60).splitlines()]
        files[f"{code}.csv"] = "\n".join(rows) + "\n"
    drop_all(page, files)
    expect(page.get_by_role("heading", name="QRN0000.csv and 299 more")).to_be_visible()
    expect(page.locator(".sentence").first).to_contain_text("its name says")
    page.get_by_label("Take QRN0003", exact=True).uncheck()
    expect(page.get_by_text("1 instrument left out")).to_be_visible()
    page.get_by_role("button", name="Import 17,940 bars of 1d").click()
    page.get_by_label("Take QRN0007 back").click()
    expect(page.get_by_text("2 instruments not taken, or taken back")).to_be_visible()

    page.keyboard.press("Escape")
    expect(page).to_have_url(re.compile("/instruments$"))
    expect(page.get_by_role("link", name="QRN0008")).to_be_visible()
    expect(page.get_by_role("link", name="QRN0007")).to_have_count(0)
    page.keyboard.press("d")
    page.get_by_label("Kind", exact=True).select_option("share")
    page.get_by_label("Sector").press("Enter")
    expect(page.get_by_text("What 298 instruments are is kept.")).to_be_visible()

    page.goto("/sieves")
    expect(page.locator(".sentence").first).to_contain_text("0 sieves")
    page.keyboard.press("c")
    expect(page.get_by_role("textbox", name="Condition 1", exact=True)).to_be_focused()
    page.keyboard.type("close < average of 12 days")
    expect(page.get_by_role("list", name="Did you mean")).to_be_visible()
    leave_completion(page)
    page.keyboard.press("Enter")
    expect(page.locator(".leaves .sentence")).to_contain_text("298 of 298 pass now")
    page.keyboard.press("Alt+Enter")
    expect(page.get_by_role("textbox", name="Condition 2", exact=True)).to_be_focused()
    page.keyboard.type("volume > 0")
    leave_completion(page)
    page.keyboard.press("Enter")
    page.keyboard.press("a")
    expect(page.get_by_role("textbox", name="Condition 3", exact=True)).to_be_focused()
    page.keyboard.press("Alt+Delete")
    expect(page.get_by_role("textbox", name="Condition 3", exact=True)).to_have_count(0)
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    expect(page.locator("main tbody tr").first).to_be_visible()
    with page.expect_download() as given:
        page.get_by_role("button", name=re.compile("^CSV")).first.click()
    lines = Path(given.value.path()).read_text("utf-8").splitlines()
    assert len(lines) > 20
    assert any("QRN0" in line for line in lines[1:])
    assert faults == []
    page.close()
    visit_all(browser, own, "/instruments/QRN0008", "/runs/1", "/imports/1")


def leave_completion(page: Page) -> None:
    """Put away what is offered for the word at the cursor, if anything is."""
    page.wait_for_timeout(300)
    if page.locator(".cm-tooltip-autocomplete").count():
        page.keyboard.press("Escape")


def drop(page: Page, name: str, text: str) -> None:
    drop_all(page, {name: text})


def drop_all(page: Page, files: dict[str, str]) -> None:
    """Let files go over the page."""
    page.evaluate(
        """(files) => {
          const dataTransfer = new DataTransfer()
          for (const [name, text] of Object.entries(files))
            dataTransfer.items.add(new File([text], name))
          const how = { dataTransfer, bubbles: true, cancelable: true }
          for (const kind of ['dragover', 'drop'])
            document.body.dispatchEvent(new DragEvent(kind, how))
        }""",
        files,
    )
