"""The chart workshop: what is drawn, how, and how fast."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.hands import go, holds, settled
from tests.conftest import Service


def test_formulas_are_drawn_dressed_and_kept_as_a_layout(page: Page) -> None:
    page.goto("/instruments/TPSNHV?universe=All shares")
    expect(page.get_by_role("img", name=re.compile("^TPSNHV, 600 bars"))).to_be_visible()
    page.keyboard.press("d")
    shop = page.get_by_role("complementary", name="How it is drawn")
    draw = shop.get_by_label("Draw a function or formula")
    expect(draw).to_be_focused()
    expect(shop.locator("#drawable option[value^='supertrend']")).to_have_count(1)
    expect(shop.locator("#drawable option[value='my_bands']")).to_have_count(1)
    draw.fill("rsi(close, 17)")
    draw.press("Enter")
    drawn = page.get_by_role("img", name=re.compile(r"rsi\(close, 17\) [\d.]+"))
    expect(drawn).to_be_visible()
    number = shop.get_by_label("n of rsi")
    number.press("ArrowUp")
    expect(page.get_by_role("img", name=re.compile(r"rsi\(close, 18\) [\d.]+"))).to_be_visible()
    shop.get_by_role("button", name="average of it").click()
    expect(
        page.get_by_role("img", name=re.compile(r"sma\(rsi\(close, 18\), 13\) [\d.]+"))
    ).to_be_visible()
    panes = page.locator(".pane.readings")
    expect(panes).to_have_count(3)
    shop.get_by_label("Where formula 2 is drawn").select_option("before")
    expect(panes).to_have_count(2)
    state = shop.get_by_label("Add: State of formula 1")
    state.fill("rsi(close, 18) > 57")
    state.press("Enter")
    holds(shop.get_by_label("State of formula 1 1", exact=True), "rsi(close, 18) > 57")
    state.fill("rsi(close")
    state.press("Enter")
    expect(shop.get_by_role("alert")).to_be_visible()
    expect(shop.get_by_label("State of formula 1 2", exact=True)).to_have_count(0)
    state.press("Escape")
    holds(state, "")
    paint = shop.get_by_label("Add: Painted")
    paint.fill("close > open and largest(volume, 20)")
    paint.press("Enter")
    shop.get_by_label("Colour of bars where none holds").select_option("flat")
    shop.get_by_label("volume", exact=True).check()
    expect(page.locator(".strip")).to_have_count(1)
    shop.get_by_label("Levels of formula 1").fill("43 57")
    shop.get_by_label("Levels of formula 1").press("Enter")
    shop.get_by_label("gauge", exact=True).check()
    shop.press("Escape")
    expect(shop).to_have_count(0)

    page.keyboard.press("i")
    page.keyboard.type("My gauges")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Layout of the chart")).to_have_value("My gauges")
    # Usual for gauges, and for nothing else.
    page.goto("/instruments?universe=All instruments")
    page.goto("/instruments/LANTFU?universe=All instruments")
    expect(page.get_by_label("Layout of the chart")).to_have_value("Plain")
    gauge = "LNTVOL"
    page.goto("/instruments?universe=All instruments")
    codes = page.evaluate(
        "fetch('/api/instruments?universe=All%20instruments').then(r => r.json())"
    )
    gauge = next(own["code"] for own in codes if own["kind"] == "gauge")
    page.goto(f"/instruments/{gauge}?universe=All instruments")
    expect(page.get_by_label("Layout of the chart")).to_have_value("My gauges")
    expect(page.locator(".strip")).to_have_count(1)


def test_several_speeds_are_compared_through_the_stretch_that_is_measured(page: Page) -> None:
    page.goto("/instruments/TPSNHV?line=sma(close,+30)")
    expect(page.get_by_role("img", name=re.compile(r"sma\(close, 30\) [\d.]+"))).to_be_visible()
    page.keyboard.press("d")
    shop = page.get_by_role("complementary", name="How it is drawn")
    shop.get_by_role("button", name="speeds").click()
    expect(shop).to_contain_text("Measure a stretch")
    canvas = page.locator(".canvas canvas").bounding_box()
    assert canvas is not None
    for share in (0.3, 0.7):
        page.mouse.click(canvas["x"] + canvas["width"] * share, canvas["y"] + 90)
    rows = shop.locator(".speeds tbody tr")
    expect(rows).to_have_count(7)
    turns = [int(text) for text in rows.locator("td:nth-child(2)").all_inner_texts()]
    assert turns[0] >= turns[-1]
    best = shop.locator(".speeds tr.best td:first-child").first.inner_text()
    shop.locator(".speeds tr.best").first.get_by_role("button", name="take").click()
    expect(shop.get_by_label("n of sma").first).to_have_value(best)


def test_a_formula_is_seen_turned_saved_and_compared_with_its_earlier_self(
    page: Page, service: Service
) -> None:
    ask = service.client.ask
    text = "input length = 24 between 5 and 200\nshow middle = sma(close, length)"
    own = ask("POST", "/formulas", {"name": "own_mean", "text": text, "note": ""})["id"]
    page.goto(f"/formulas/{own}")
    chart = page.get_by_role("region", name="The formula on a chart")
    drawn = chart.get_by_role("img", name=re.compile(r"middle [\d.]+"))
    expect(drawn).to_be_visible()
    chart.get_by_label("length of input").press("ArrowUp")
    editor = page.get_by_role("textbox", name="Formula", exact=True)
    expect(editor).to_contain_text("input length = 25 between 5 and 200")
    expect(drawn).to_be_visible()
    editor.click()
    page.keyboard.press("Control+End")
    page.keyboard.type(" +")
    expect(page.get_by_text("the formula ends where a value should come")).to_be_visible()
    expect(drawn).to_be_visible()
    page.keyboard.press("Backspace")
    page.keyboard.press("Backspace")
    expect(page.get_by_role("table")).to_be_visible()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("version 2", exact=True)).to_be_visible()
    page.get_by_text("Versions: 2").click()
    page.get_by_role("button", name="compare 1").click()
    shown = page.locator(".differences")
    expect(shown.locator(".before")).to_contain_text("input length = 24")
    expect(shown.locator(".after")).to_contain_text("input length = 25")
    # Saved elsewhere meanwhile: the later save is told, and compared.
    body = {"name": "own_mean", "text": text.replace("24", "60"), "note": "", "based_on": 2}
    ask("PUT", f"/formulas/{own}", body)
    chart.get_by_label("length of input").press("ArrowUp")
    expect(editor).to_contain_text("input length = 26")
    page.keyboard.press("Control+s")
    told = page.locator(".differences").first
    expect(told).to_contain_text("saved meanwhile")
    expect(told.locator(".before")).to_contain_text("input length = 60")
    expect(told.locator(".after")).to_contain_text("input length = 26")
    page.get_by_role("button", name="Take the saved one").click()
    expect(editor).to_contain_text("input length = 60")
    ask("DELETE", f"/formulas/{own}")


def test_two_windows_that_edit_one_sieve_see_how_they_differ(
    page: Page, service: Service, waking: int
) -> None:
    page.goto(f"/sieves/{waking}")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    kept = service.client.ask("GET", f"/sieves/{waking}")
    changed = kept["sieve"] | {"fired_within": 9}
    service.client.ask("PUT", f"/sieves/{waking}", {"sieve": changed, "based_on": kept["version"]})
    page.get_by_role("combobox", name="Side").select_option("short")
    page.keyboard.press("Control+s")
    told = page.locator(".differences")
    expect(told.locator(".before")).to_contain_text("long, within 9")
    expect(told.locator(".after")).to_contain_text("short, within 3")


def test_charts_of_sieves_and_hits_are_dressed_in_the_workshop_too(
    page: Page, waking: int, reviewed: int
) -> None:
    page.goto(f"/sieves/{waking}")
    expect(page.locator(".fired canvas").first).to_be_visible()
    page.keyboard.press("l")
    shop = page.get_by_role("complementary", name="How it is drawn")
    draw = shop.get_by_label("Draw a function or formula")
    expect(draw).to_be_focused()
    draw.fill("rsi(close, 17)")
    draw.press("Enter")
    expect(page.get_by_role("img", name=re.compile(r"rsi\(close, 17\) [\d.]+"))).to_be_visible()
    shop.press("Escape")
    expect(shop).to_have_count(0)
    page.reload()
    expect(page.get_by_role("img", name=re.compile(r"rsi\(close, 17\) [\d.]+"))).to_be_visible()

    page.goto(f"/runs/{reviewed}/hits")
    code = page.locator("h1 .mono")
    expect(page.locator(".canvas canvas")).to_be_visible()
    first = code.inner_text()
    page.keyboard.press("l")
    shop.get_by_role("button", name="Bars out of the ordinary").click()
    expect(page.locator(".strip").first).to_be_visible()
    draw.fill("no_such(close)")
    draw.press("Enter")
    expect(shop.get_by_role("alert")).to_contain_text("no_such")
    draw.press("Escape")
    holds(draw, "")
    draw.press("Escape")
    expect(shop).to_have_count(0)
    page.keyboard.press("o")
    offered = page.get_by_role("dialog", name="Conditions that it suggests")
    expect(offered.get_by_role("button").first).to_be_visible()
    page.keyboard.press("Escape")
    expect(offered).to_have_count(0)
    page.keyboard.press("ArrowRight")
    expect(code).not_to_have_text(first)
    expect(page.locator(".strip").first).to_be_visible()
    page.keyboard.press("l")
    page.get_by_role("button", name="Plain").click()
    expect(page.locator(".strip")).to_have_count(0)


@pytest.mark.parametrize(
    "path",
    ["/instruments/TPSNHV", "/sieves/{waking}", "/runs/{reviewed}/hits", "/formulas/2"],
    ids=["instrument", "sieve", "hit", "formula"],
)
def test_every_chart_grows_towards_the_past_and_answers_to_the_same_keys(
    page: Page, waking: int, reviewed: int, path: str
) -> None:
    page.goto(path.format(waking=waking, reviewed=reviewed))
    chart = page.get_by_role("img", name=re.compile(r"^\S+, [\d,]+ bars of 1d;"))
    expect(chart).to_be_visible()
    # As a page does that is come back to, which finds there what it had read.
    go(page, "/functions")
    page.go_back()
    expect(chart).to_be_visible()
    settled(page)

    def bars() -> int:
        told = (chart.get_attribute("aria-label") or "").split(", ", 1)[1]
        return int(told.split(" ")[0].replace(",", ""))

    first = bars()
    for _ in range(60):
        page.keyboard.press("Shift+ArrowLeft")
        settled(page)
        if bars() > first:
            break
    assert bars() > first
    page.keyboard.press("End")
    page.keyboard.press("e")
    page.keyboard.press(",")
    expect(page.locator(".measured")).to_contain_text("1 bar")
    page.keyboard.press("o")
    expect(page.get_by_role("dialog", name=re.compile("^Conditions"))).to_be_visible()
    page.keyboard.press("Escape")
    with page.expect_download() as kept:
        page.keyboard.press("p")
    assert kept.value.suggested_filename.endswith(" 1d.png")
