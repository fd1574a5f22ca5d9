"""By the keyboard alone: nobody is ever nowhere, and what is marked goes on in one step."""

from __future__ import annotations

import contextlib
import re
import time

import pytest
from playwright.sync_api import Error, Page, expect

from tests.browser.hands import settled
from tests.conftest import Service

PLACE = "() => { const at = document.activeElement; return [at.tagName, at.matches('input, textarea') ]}"
NO_TEXTS = "".join(f":not([type={kind}])" for kind in ("checkbox", "file", "range"))
FIELDS = f"main input{NO_TEXTS}, main textarea, main .cm-content"
PAGES = [
    "/instruments", "/instruments/LANT40", "/overview", "/scatter", "/strength",
    "/sieves/2", "/formulas/2", "/settings", "/imports",
]  # fmt: skip


def stands(page: Page, after: str) -> bool:
    """One stands somewhere, soon after something was done; whether in a field."""
    page.wait_for_timeout(120)
    with contextlib.suppress(Error):
        page.wait_for_function(f"() => ({PLACE})()[0] !== 'BODY'", timeout=5000)
    tag, is_field = page.evaluate(PLACE)
    assert tag != "BODY", after
    return bool(is_field)


@pytest.mark.parametrize("path", PAGES)
def test_left_by_escape_or_enter_a_field_leaves_one_on_its_part_of_the_page(
    page: Page, path: str
) -> None:
    page.goto(path)
    settled(page)
    fields = page.locator(FIELDS)
    expect(fields.first).to_be_visible()
    for place in range(min(12, fields.count())):
        field = fields.nth(place)
        if not field.is_visible() or not field.is_enabled():
            continue
        ways = ["Escape"]
        if "inline-part" in (field.get_attribute("class") or ""):
            ways.append("Enter")
        for way in ways:
            field.focus()
            page.keyboard.press(way)
            is_field = stands(page, f"{way} in {field.get_attribute('aria-label')}")
            assert not is_field or way == "Enter"


def test_a_form_that_closes_leaves_one_where_it_was(page: Page) -> None:
    page.goto("/board")
    settled(page)
    page.keyboard.press("e")
    settled(page)
    page.get_by_role("textbox").first.focus()
    page.keyboard.press("Escape")
    stands(page, "Escape in a form")
    page.keyboard.press("e")
    expect(page.get_by_role("textbox")).to_have_count(0)
    stands(page, "a form that closed")


def test_all_that_is_filtered_becomes_a_universe_and_a_sieve_in_it_by_keys(
    page: Page, service: Service
) -> None:
    name = f"Far out {time.time()}"
    page.goto("/board")
    page.get_by_label("Rows shown").select_option("far")
    settled(page)
    shown = re.search(r"(\d+) of \d+", page.locator(".sentence [role=status]").inner_text())
    assert shown
    page.locator("body").press("m")
    expect(page.locator(".sentence [role=status]")).to_contain_text(f"{shown[1]} marked")
    page.keyboard.press("u")
    page.keyboard.type(name)
    page.keyboard.press("Shift+Enter")
    expect(page).to_have_url(re.compile("/sieves/new"))
    expect(page.locator(".shape")).to_contain_text(name)
    expect(page.locator(".leaves")).to_contain_text(f"of {shown[1]} pass")
    universe = next(u for u in service.client.ask("GET", "/universes") if u["name"] == name)
    assert len(universe["rule"]["codes"]) == int(shown[1])
    page.goto("/board")
    settled(page)
    page.keyboard.press("m")
    page.keyboard.press("m")
    expect(page.locator(".sentence [role=status]")).not_to_contain_text("marked")


def go_by_keys(page: Page, name: str) -> None:
    """To a page by its name."""
    page.keyboard.press("g")
    expect(page.get_by_role("combobox", name=re.compile("Find|Go"))).to_be_focused()
    page.keyboard.type(name)
    page.wait_for_timeout(300)
    page.keyboard.press("Enter")
    settled(page)
    stands(page, f"going to {name}")


def test_from_data_to_a_verdict_by_the_keyboard_alone(page: Page, service: Service) -> None:
    now = f"{time.time():.0f}"
    page.goto("/instruments?universe=All shares")
    settled(page)
    page.keyboard.press("/")
    page.keyboard.type("l")
    page.keyboard.press("Escape")
    stands(page, "finding")
    page.keyboard.press("m")
    page.keyboard.press("u")
    page.keyboard.type(f"Zeal {now}")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("universe=Zeal"))
    settled(page)
    stands(page, "a universe that was kept")
    go_by_keys(page, "Board")
    universe = page.get_by_label("Universe", exact=True)
    expect(universe.locator("option", has_text=now)).to_have_count(1)
    for _ in range(30):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.getAttribute('aria-label')") == "Universe":
            break
    # One letter that tells it apart: letters that come slowly, on a busy machine, are words each.
    page.keyboard.type("Z")
    page.keyboard.press("Escape")
    settled(page)
    stands(page, "a universe that was chosen")
    expect(universe).to_have_value(f"Zeal {now}")
    page.keyboard.press("m")
    page.keyboard.press("u")
    page.keyboard.type(f"Fewer {now}")
    page.keyboard.press("Shift+Enter")
    expect(page).to_have_url(re.compile("/sieves/new"))
    expect(page.locator(".shape")).to_contain_text(f"Fewer {now}")
    page.keyboard.type("close > sma(close, 45)")
    leaves = page.locator(".leaves .sentence b").first
    expect(leaves).to_have_text(re.compile(r"^[1-9]\d*$"))
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    run = page.url.rsplit("/", 1)[1]
    expect(page.locator("tbody tr").nth(1)).to_be_visible()
    settled(page)
    stands(page, "a run that began")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/hits/\d+$"))
    expect(page.locator(".canvas canvas")).to_be_visible()
    stands(page, "a hit that was opened")
    page.keyboard.press("t")
    expect(page.locator(".rail p")).to_contain_text("1 of")
    stands(page, "a verdict")
    page.keyboard.press("v")
    page.keyboard.press("m")
    page.keyboard.type("wide gap")
    page.keyboard.press("Enter")
    stands(page, "a note")
    verdicts = [hit["verdict"] for hit in service.client.ask("GET", f"/runs/{run}/hits")["hits"]]
    assert [v["verdict"] for v in verdicts if v] == ["take"]


@pytest.mark.parametrize("path", ["/instruments/LANT40", "/sieves/2", "/scatter"])
def test_the_list_of_keys_fits_one_screen_and_says_each_once(page: Page, path: str) -> None:
    page.goto(path)
    settled(page)
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog")
    box = dialog.bounding_box()
    assert box
    assert box["y"] + box["height"] <= 800
    for group in dialog.locator("section").all():
        keys = group.locator("kbd").all_inner_texts()
        assert len(keys) == len(set(keys)), keys
