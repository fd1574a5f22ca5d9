"""What pages do when things are not as usual: narrow, long, cut off, changed by someone else, dark."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.hands import write
from tests.conftest import Service
from zealous_sieve.admission import address_to_open


def asked(service: Service, path: str, body: object = None) -> Any:
    return service.client.ask("GET" if body is None else "POST", path, body)


def test_a_page_that_was_cut_off_says_so_and_comes_back(page: Page) -> None:
    for path, content in (
        ("/sieves", "Waking range"),
        ("/instruments", "Caldowhaven Tideworks"),
        ("/runs", "Sieve"),
        ("/formulas", "my_bands"),
        ("/functions", "sma(x = close, n = 20)"),
        ("/board", "Osunness Waxworks"),
        ("/overview", "The range trend line (12, 2.7)"),
        ("/scatter?as=Tight+and+strong", "239 in sight"),
        ("/strength", "all together 0.00"),
        ("/outlook", "The range trend line (12, 2.7)"),
    ):
        page.route("**/api/**", lambda route: route.abort())
        page.goto(path)
        status = page.get_by_role("banner").get_by_role("status")
        expect(status).to_contain_text("the server does not answer, trying again")
        page.unroute("**/api/**")
        expect(page.get_by_text(content).first).to_be_visible()
        expect(status).to_have_count(0)


def test_a_browser_that_is_not_let_in_any_more_is_asked_anew_and_loses_nothing(
    page: Page, service: Service
) -> None:
    page.goto("/sieves/3")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    page.context.clear_cookies()
    page.get_by_role("textbox", name="Note").fill("Written meanwhile.")
    page.keyboard.press("Control+s")
    asked = page.get_by_role("alertdialog")
    expect(asked).to_contain_text("This browser is not let in yet")
    expect(asked).to_contain_text("./start")
    page.get_by_role("button", name="Look again").click()
    expect(asked).to_contain_text("Not let in yet.")
    page.keyboard.press("Control+s")
    beside = page.context.new_page()
    beside.goto("/runs")
    expect(beside.get_by_role("alertdialog")).to_be_visible()
    beside.goto(address_to_open(service.folder, service.port))
    expect(beside.get_by_role("navigation")).to_contain_text(re.compile(r"Sieves \d"))
    expect(asked).to_have_count(0)
    expect(page.get_by_role("textbox", name="Note")).to_have_value("Written meanwhile.")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("Saved as version")).to_be_visible()


def test_what_someone_else_has_changed_is_not_overwritten(
    browser: Browser, page: Page, service: Service
) -> None:
    page.goto("/sieves/3")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    other = browser.new_page(base_url=re.sub(r"/sieves.*", "", page.url))
    other.context.add_cookies(page.context.cookies())  # type: ignore[arg-type]
    other.goto("/sieves/3")
    other.get_by_role("textbox", name="Note").fill("Theirs.")
    other.keyboard.press("Control+s")
    expect(other.get_by_text("Saved as version")).to_be_visible()
    page.get_by_role("textbox", name="Note").fill("Ours.")
    page.keyboard.press("Control+s")
    expect(page.get_by_role("alert")).to_contain_text("Yours is still here")
    expect(page.get_by_role("textbox", name="Note")).to_have_value("Ours.")
    page.get_by_role("button", name="Take the saved one").click()
    expect(page.get_by_role("textbox", name="Note")).to_have_value("Theirs.")
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("textbox", name="Note")).to_have_value("Ours.")
    page.keyboard.press("Control+s")
    page.get_by_role("button", name="Save mine as a sieve of its own").click()
    expect(page).not_to_have_url(re.compile("/sieves/3$"))
    expect(page.get_by_role("textbox", name="Note")).to_have_value("Ours.")
    other.close()
    own = int(page.url.rpartition("/")[2])
    service.client.ask("DELETE", f"/sieves/{own}")


def test_what_is_removed_can_be_brought_back(page: Page) -> None:
    page.goto("/sieves/1")
    rows = page.locator("li.row")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    before = rows.count()
    second = page.get_by_role("textbox", name="Condition 2").inner_text()
    page.get_by_role("button", name="Remove condition 2").click()
    expect(rows).to_have_count(before - 1)
    page.get_by_role("button", name="Undo").click()
    expect(rows).to_have_count(before)
    expect(page.get_by_role("textbox", name="Condition 2")).to_have_text(second)
    page.get_by_role("button", name="Move down").first.click()
    expect(page.get_by_role("textbox", name="Condition 1")).to_have_text(second)


def test_what_was_meant_is_taken_by_one_key_and_given_back_by_undo(page: Page) -> None:
    page.goto("/sieves/new")
    box = page.get_by_role("textbox", name="Condition 1")
    write(page, "Condition 1", "close above yesterday's high for 3 weeks")
    offers = page.get_by_role("list", name="Did you mean").get_by_role("button")
    expect(offers).to_have_text(
        [
            "close > prev(high) for 3 bars on 1w ⏎",
            "close > prev(high) for 15 bars",
            "close > (high on 1d) for 3 bars on 1w",
            "close > (high on 1d) for 15 bars",
        ]
    )
    page.keyboard.press("Alt+Enter")
    expect(box).to_have_text("close > prev(high) for 3 bars on 1w")
    expect(
        page.get_by_text("On weekly bars the close is above the high of the bar before")
    ).to_be_visible()
    expect(offers).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(box).to_have_text("close above yesterday's high for 3 weeks")
    offers.nth(1).click()
    expect(box).to_have_text("close > prev(high) for 15 bars")


def test_night_is_remembered_and_day_comes_back(page: Page) -> None:
    page.goto("/sieves")
    ground = "getComputedStyle(document.body).backgroundColor"
    day = page.evaluate(ground)
    page.keyboard.press("n")
    expect(page.locator("html.dark")).to_have_count(1)
    page.reload()
    expect(page.get_by_role("button", name="Day")).to_be_visible()
    assert page.evaluate(ground) != day
    page.get_by_role("button", name="Day").click()
    assert page.evaluate(ground) == day


def test_the_whole_way_with_the_keyboard_alone(page: Page) -> None:
    """Compose, run, review and decide: Tab, letters, arrows and Enter."""

    def tab_to(label: str) -> None:
        for _ in range(80):
            page.keyboard.press("Tab")
            here = page.evaluate(
                "(document.activeElement.getAttribute('aria-label')"
                " ?? document.activeElement.innerText ?? '').trim()"
            )
            if here.startswith(label):
                return
        raise AssertionError(f"no Tab leads to {label}")

    page.goto("/sieves")
    expect(page.get_by_role("table")).to_be_visible()
    page.keyboard.press("c")
    expect(page.get_by_role("textbox", name="Condition 1")).to_be_visible()
    tab_to("Name of the sieve")
    page.keyboard.press("Control+a")
    page.keyboard.type("By keyboard")
    tab_to("Side")
    page.keyboard.press("s")
    tab_to("Condition 1")
    page.keyboard.press("Control+a")
    page.keyboard.type("close < sma(close, 200) by 10%")
    page.keyboard.press("Escape")
    expect(page.locator(".leaves .leaf").first).to_be_visible()
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    expect(page.locator("main h1, main .head").first).to_contain_text("By keyboard")
    expect(page.locator("tbody tr").first).to_be_visible()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.locator(".canvas canvas")).to_be_visible()
    decided = page.locator(".rail p")
    page.keyboard.press("w")
    expect(decided).to_contain_text("1 of")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("x")
    expect(decided).to_contain_text("0 of")
    page.keyboard.press("Escape")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))


def test_a_formula_that_can_not_be_evaluated_keeps_its_page_usable(page: Page) -> None:
    page.goto("/sieves/new")
    for text, told in (
        ('close > close of "TPSNHW"', 'did you mean "TPSNHV"'),
        ('strength("ZZZ", 5).percent > 1', '"ZZZ" is not a currency of a pair'),
        ("close > sma(close, 99999)", "10,000"),
    ):
        write(page, "Condition 1", text)
        expect(page.locator(".desk")).to_contain_text(told)
        expect(page.get_by_role("button", name=re.compile("^Run"))).to_be_disabled()
    write(page, "Condition 1", "close > open")
    expect(page.get_by_role("button", name=re.compile("^Run"))).to_be_enabled()


def test_what_may_be_written_is_offered_and_taken_by_one_key(page: Page) -> None:
    page.goto("/sieves/new")
    box = page.get_by_role("textbox", name="Condition 1")
    offered = page.get_by_role("listbox", name="Completions").get_by_role("option")

    def take() -> None:
        page.wait_for_timeout(200)  # what has only just appeared takes no key yet
        page.keyboard.press("Enter")

    write(page, "Condition 1", "rsi(9) > ")
    expect(offered.first).to_contain_text("a level of RSI")
    take()
    expect(box).to_have_text(re.compile(r"^rsi\(9\) > \d+$"))
    write(page, "Condition 1", "close > sm")
    expect(offered.first).to_contain_text("sma")
    expect(page.get_by_role("img", name=re.compile(r"sma\(close, 20\) on"))).to_be_visible()
    take()
    expect(box).to_have_text("close > sma(close, 20)")
    write(page, "Condition 1", 'fact("sec')
    expect(offered.first).to_contain_text("sector")
    take()
    page.keyboard.type(") ==")
    expect(box).to_have_text('fact("sector") ==')


def test_an_instrument_is_looked_at_by_keys_alone(page: Page) -> None:
    page.goto("/instruments")
    page.get_by_role("button", name="All shares").click()
    page.get_by_role("link", name="TPSNHV").click()
    chart = page.get_by_role("img", name=re.compile("^TPSNHV, "))
    expect(chart).to_have_accessible_name(re.compile("bars of 1d"))
    page.keyboard.press("b")
    page.keyboard.type("80m")
    page.keyboard.press("Enter")
    expect(chart).to_have_accessible_name(re.compile("bars of 80m"))
    page.keyboard.press("l")
    page.keyboard.type("sma(close, 7)")
    page.keyboard.press("Enter")
    expect(chart).to_have_accessible_name(re.compile(r"sma\(close, 7\) [\d.]+"))
    page.keyboard.type("rsi(")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.keyboard.press("s")
    expect(page.get_by_role("combobox", name="Scale")).to_have_value("log")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("img", name=re.compile("bars of 80m"))).not_to_have_accessible_name(
        re.compile("^TPSNHV")
    )
    assert re.search(r"universe=All\+shares.*bars=80m.*set=", page.url)
    for _ in range(40):
        page.keyboard.press("ArrowUp")
    expect(chart).to_be_visible()
    page.reload()
    expect(chart).to_have_accessible_name(re.compile(r"bars of 80m.*sma\(close, 7\)"))


def test_the_bars_in_sight_are_a_table_too_and_the_chart_an_image(page: Page) -> None:
    page.goto("/instruments/TPSNHV?line=close+>+open&line=sma(close,+7)")
    expect(page.get_by_role("img", name=re.compile("^TPSNHV, 600 bars"))).to_be_visible()
    with page.expect_download() as kept:
        page.keyboard.press("p")
    assert kept.value.suggested_filename == "TPSNHV 1d.png"
    page.keyboard.press("t")
    table = page.get_by_role("region", name="TPSNHV, the bars in sight")
    expect(table.get_by_role("row")).to_have_count(131)
    newest = table.get_by_role("row").nth(1).get_by_role("cell").all_inner_texts()
    assert newest[0] == "16 Jun 2026"
    assert newest[6] in ("yes", "no")
    assert float(newest[3]) <= float(newest[4]) <= float(newest[2])
    assert float(newest[7]) > 0
    page.keyboard.press("+")
    expect(table.get_by_role("row")).to_have_count(92)
    page.keyboard.press("t")
    expect(page.get_by_role("img", name=re.compile("^TPSNHV"))).to_be_visible()


def test_all_of_history_comes_as_one_looks_back(page: Page) -> None:
    page.goto("/instruments/TPSNHV?bars=1d")
    chart = page.get_by_role("img", name=re.compile("^TPSNHV, 600 bars"))
    expect(chart).to_be_visible()
    page.keyboard.press("6")
    whole = page.get_by_role("img", name=re.compile(r"^TPSNHV, [\d,]+ bars of 1d"))
    expect(whole).not_to_have_accessible_name(re.compile("^TPSNHV, 600 bars"))
    drawn = whole.get_attribute("aria-label") or ""
    count = int(drawn.split(", ", 1)[1].split(" ")[0].replace(",", ""))
    own = page.request.get("/api/instruments/TPSNHV").json()["summary"]["coverage"]
    assert count == next(c["bars"] for c in own if c["seconds"] == 86_400) + 1


@pytest.mark.parametrize("bars", ["7x", "1mo", "1s"])
def test_bars_that_are_not_there_are_told_and_others_chosen(page: Page, bars: str) -> None:
    page.goto(f"/instruments/TPSNHV?bars={bars}")
    told = page.get_by_role("img", name=re.compile("^TPSNHV")).or_(
        page.get_by_text(re.compile("can't be drawn|has no bars of 1s: it has 1d"))
    )
    expect(told.first).to_be_visible()
    page.keyboard.press("b")
    page.keyboard.type("1w")
    page.keyboard.press("Enter")
    expect(page.get_by_role("img", name=re.compile("^TPSNHV, .* of 1w"))).to_be_visible()


def test_a_finding_opens_the_chart_at_its_bars(page: Page) -> None:
    page.goto("/instruments")
    page.get_by_label("flagged only").check()
    gap = page.locator(".finding", has_text="session without a bar").or_(
        page.locator(".finding", has_text="sessions without a bar")
    )
    gap.first.get_by_role("link").click()
    expect(page).to_have_url(re.compile(r"bars=1d&at=\d+"))
    chart = page.locator("[role=img][aria-label*='without a bar before']")
    expect(chart).to_be_visible()
    page.keyboard.press("t")
    rows = page.locator(".values tbody tr td:first-child")
    at = int(re.findall(r"at=(\d+)", page.url)[0])
    expect(rows.first).to_be_visible()
    days = [
        time.strptime(text.replace("Sept", "Sep"), "%d %b %Y") for text in rows.all_inner_texts()
    ]
    assert days[-1] < time.gmtime(at) < days[0]
    page.get_by_role("link", name="gap").first.click()
    expect(chart.or_(rows.first)).to_be_visible()


def test_pressed_again_and_again_history_is_there_once(page: Page) -> None:
    """Several requests for older bars at once bring each bar one time, in order."""
    page.goto("/instruments/TPSNHV?line=sma(close,+7)")
    expect(page.get_by_role("img", name=re.compile("^TPSNHV, 600 bars"))).to_be_visible()
    for key in ("6", "6", "5", "6", "ArrowLeft", "ArrowLeft", "-", "6"):
        page.keyboard.press(key)
    expect(page.get_by_role("img", name=re.compile("^TPSNHV, 1,541 bars"))).to_be_visible()
    page.keyboard.press("6")
    page.keyboard.press("t")
    cells = page.locator(".values tbody td:first-child")
    expect(cells).to_have_count(1541)
    texts = cells.all_inner_texts()
    days = [time.strptime(text.replace("Sept", "Sep"), "%d %b %Y") for text in texts]
    assert days == sorted(set(days), reverse=True)


def test_what_is_drawn_stays_when_the_instrument_changes_and_when_it_can_not_be(page: Page) -> None:
    page.goto("/instruments/LANTFU?universe=All+instruments&line=cum_delta&bars=15m")
    expect(page.get_by_role("img", name=re.compile("^LANTFU, .*cum_delta [-\\d]"))).to_be_visible()
    expect(page.get_by_role("link", name="LANTFU")).to_be_visible()
    page.keyboard.press("ArrowUp")
    expect(page.get_by_role("img", name=re.compile("^(?!LANTFU).*cum_delta"))).to_be_visible()
    expect(page.get_by_role("button", name="Remove cum_delta")).to_be_visible()
    page.get_by_role("button", name="Remove cum_delta").click()
    expect(page.get_by_role("img", name=re.compile("cum_delta"))).to_have_count(0)
    page.get_by_role("combobox", name="Universe").select_option("Currencies")
    expect(
        page.get_by_role("navigation", name="Instruments").get_by_role("link").first
    ).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("ArrowDown")
    expect(page).to_have_url(
        re.compile(r"/instruments/OSK.*universe=Currencies|universe=Currencies")
    )


def test_wheel_and_drag_bring_other_bars_into_sight_and_keys_go_on_from_there(page: Page) -> None:
    page.goto("/instruments/TPSNHV")
    sheet = page.get_by_role("img", name=re.compile("^TPSNHV, 600 bars"))
    expect(sheet).to_be_visible()
    box = sheet.bounding_box()
    assert box is not None
    x, y = box["x"] + 300, box["y"] + 150
    rows = page.locator(".values tbody tr")

    def until(moved: Callable[[], None], reached: Callable[[], bool]) -> None:
        """Do it until the table tells that it has come about, however long the page takes."""
        for _ in range(60):
            moved()
            page.keyboard.press("t")
            expect(rows.first).to_be_visible()
            if reached():
                return
            page.keyboard.press("t")
            expect(sheet).to_be_visible()
        raise AssertionError("nothing came of it")

    def newest() -> str:
        return rows.first.locator("td").first.inner_text()

    def drag() -> None:
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 200, y, steps=6)
        page.mouse.up()

    page.mouse.move(x, y)
    until(lambda: page.mouse.wheel(0, -400), lambda: 20 <= rows.count() < 130)
    page.keyboard.press("t")
    expect(sheet).to_be_visible()
    until(drag, lambda: newest() != "16 Jun 2026")
    near = rows.count()
    page.keyboard.press("End")
    expect(rows.first.locator("td").first).to_have_text("16 Jun 2026")
    assert abs(rows.count() - near) <= 1


def test_the_palette_finds_everything_and_a_code_takes_the_place_of_the_charts(page: Page) -> None:
    page.goto("/instruments/TPSNHV?bars=1w&line=sma(close,+7)")
    expect(page.get_by_role("img", name=re.compile("^TPSNHV, .* of 1w"))).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.type("gltlrs")
    page.keyboard.press("Enter")
    expect(page.get_by_role("img", name=re.compile(r"^GLTLRS, .* of 1w.*sma"))).to_be_visible()
    box = page.get_by_role("dialog", name="Find anything")
    for words, entry, url in (
        ("waking", re.compile("sieve Waking range"), r"/sieves/\d+$"),
        ("largest", re.compile("universe Largest 40"), r"universe=Largest"),
        ("functions", re.compile("page Functions"), r"/functions"),
    ):
        page.keyboard.press("g")
        page.keyboard.type(words)
        expect(box.get_by_role("option", name=entry)).to_be_visible()
        box.get_by_role("option", name=entry).click()
        expect(page).to_have_url(re.compile(url))
        expect(box).to_have_count(0)
    page.keyboard.press("g")
    page.keyboard.type("no such thing at all")
    expect(box).to_contain_text("Nothing fits")
    page.keyboard.press("Escape")
    expect(box).to_have_count(0)
    page.goto("/instruments")
    expect(page.get_by_role("link", name="TPSNHV")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.type("import files")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/imports"))


def test_a_chart_is_measured_compared_and_drawn_otherwise_by_keys_and_clicks(page: Page) -> None:
    page.goto("/instruments/TPSNHV")
    sheet = page.get_by_role("img", name=re.compile("^TPSNHV, 600 bars"))
    expect(sheet).to_be_visible()
    expect(page.get_by_role("link", name="TPSNHV")).to_be_visible()
    page.keyboard.press("e")
    for _ in range(5):
        page.keyboard.press(",")
    measured = page.locator(".measured")
    expect(measured).to_contain_text("5 bars")
    expect(measured).to_contain_text("× ATR")
    page.keyboard.press("Escape")
    expect(measured).to_have_count(0)
    page.keyboard.press("k")
    drawn = page.get_by_label("Drawn as")
    expect(drawn).to_have_value("bars")
    drawn.select_option("smoothed")
    expect(page).to_have_url(re.compile("set="))
    expect(drawn).to_have_value("smoothed")
    expect(sheet).to_be_visible()
    page.keyboard.press("c")
    page.keyboard.type("LANT40")
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Scale")).to_have_value("percent")
    expect(page.get_by_role("img", name=re.compile(r"LANT40 [+−]\d"))).to_be_visible()
    line = page.get_by_label('Drawn formula close of "LANT40"')
    line.fill('close of "GLIMMR"')
    line.press("Enter")
    expect(page.get_by_role("img", name=re.compile(r"GLIMMR [+−]\d"))).to_be_visible()
    page.get_by_role("button", name=re.compile("full size")).click()
    expect(page.get_by_role("navigation", name="Instruments")).to_be_hidden()
    page.keyboard.press("Escape")
    expect(page.get_by_role("navigation", name="Instruments")).to_be_visible()


def test_numbers_of_what_is_drawn_are_turned_by_key_and_held_down(page: Page) -> None:
    page.goto("/instruments/TPSNHV?line=ema(close, 12)&line=rsi")
    sheet = page.get_by_role("img", name=re.compile(r"ema\(close, 12\) \d"))
    expect(sheet).to_be_visible()
    turned = page.get_by_label("n of ema")
    expect(turned).to_have_value("12")
    page.keyboard.press("a")
    for _ in range(5):
        page.keyboard.press("ArrowUp")
    expect(page.get_by_label("Drawn formula ema(close, 17)")).to_be_visible()
    expect(turned).to_be_focused()
    page.get_by_label("n of rsi").fill("9")
    expect(
        page.get_by_role("img", name=re.compile(r"ema\(close, 17\) .*rsi\(n=9\) \d"))
    ).to_be_visible()
    page.get_by_label("n of rsi").fill("0")
    expect(page.get_by_label("Drawn formula rsi(n = 9)")).to_be_visible()


def test_a_doubted_bar_is_marked_and_the_doubted_are_stepped_through(page: Page) -> None:
    page.goto("/instruments?universe=All instruments")
    page.get_by_text("APSNNS", exact=True).click()
    rail = page.get_by_role("navigation", name="Instruments")
    expect(rail.get_by_role("link", name="APSNNS")).to_be_visible()
    rail.get_by_label("flagged only").check()
    expect(rail.get_by_role("link")).to_have_count(7)
    page.get_by_role("link", name="frozen").first.click()
    expect(page).to_have_url(re.compile("at=1776729600"))
    rail.get_by_label("flagged only").blur()
    expect(page.get_by_role("img", name=re.compile("^APSNNS, 600 bars"))).to_be_visible()
    for _ in range(40):
        page.keyboard.press(",")
    expect(page.locator(".readings").first).to_contain_text("doubted 9 bars in a row")


def test_what_a_script_can_ask_is_found_and_asked_on_its_page(page: Page) -> None:
    page.goto("/settings")
    page.get_by_role("link", name="what there is").click()
    expect(page.locator("summary").first).to_be_visible()
    page.keyboard.press("f")
    page.keyboard.type("all universes")
    page.locator("summary", has_text="All universes with").click()
    page.get_by_role("button", name="Ask it now").click()
    expect(page.get_by_label("Answer")).to_contain_text('"name": "All shares"')
    page.keyboard.press("Escape")
    page.get_by_label("Find a request").fill("no such thing")
    expect(page.get_by_text("No request fits")).to_be_visible()
