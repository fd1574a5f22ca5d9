"""The trader's way through the application, in a real browser, by keyboard where one would."""

from __future__ import annotations

import re
import time

from playwright.sync_api import Locator, Page, Route, expect

from tests.browser.hands import editor, write
from tests.conftest import Service


def test_from_a_changed_condition_to_verdicts(page: Page) -> None:
    page.goto("/")
    page.get_by_role("link", name="Waking range").click()
    leaves = page.locator(".leaves .sentence b")
    expect(leaves).to_have_text(re.compile(r"^\d+$"))
    before = int(leaves.inner_text())

    write(page, "Condition 2", "close > prev(highest(high, 10))")
    expect(
        page.get_by_text("Close is above the highest high of the 10 bars before")
    ).to_be_visible()
    expect(leaves).not_to_have_text(str(before))
    after = int(leaves.inner_text())
    assert after > before

    page.keyboard.press("Control+Enter")
    expect(page.locator("main .sentence b").first).to_have_text(str(after))
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    rows = page.locator("tbody tr")
    expect(rows).to_have_count(after)

    page.keyboard.press("ArrowDown")
    expect(rows.nth(1)).to_have_class(re.compile("chosen"))
    code = rows.nth(1).locator("a").inner_text()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/hits/\d+$"))
    expect(page.locator("h1")).to_contain_text(code)
    expect(page.locator(".canvas canvas")).to_be_visible()
    expect(page.locator("aside[aria-label=Why] li").nth(1)).to_contain_text(
        "is above the highest high of the 10 bars before"
    )

    page.keyboard.press("ArrowLeft")
    expect(page.locator(".steps")).to_contain_text(f"1 / {after}")
    first = page.locator("h1 .mono").inner_text()
    page.keyboard.press("t")
    expect(page.locator(".rail a", has_text=first).locator(".mark.take")).to_be_visible()
    expect(page.locator("h1 .mono")).to_have_text(code)
    page.keyboard.press("v")
    page.keyboard.press("v")
    page.keyboard.press("m")
    page.keyboard.type("wide gap")
    page.keyboard.press("Enter")
    page.keyboard.press("d")
    expect(page.locator(".rail p")).to_have_text(f"2 of {after} decided")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(".rail p")).to_have_text(f"1 of {after} decided")

    page.keyboard.press("Escape")
    expect(page.locator("tbody tr").first.locator("td").last).to_have_text("take")
    page.reload()
    expect(page.locator("tbody tr").first.locator("td").last).to_have_text("take")


def test_composing_a_sieve_from_nothing(page: Page) -> None:
    page.goto("/sieves")
    expect(page.get_by_role("table")).to_be_visible()
    page.keyboard.press("c")
    expect(page).to_have_url(re.compile("/sieves/new$"))
    page.get_by_role("textbox", name="Name of the sieve").fill("Near its high")
    write(page, "Condition 1", "close within 1% of highest(high, 250)")
    expect(
        page.get_by_text("Close is within 1 % of the highest high of the last 250 bars")
    ).to_be_visible()
    page.get_by_role("button", name=re.compile("Add a condition")).click()
    write(page, "Condition 2", "volume > 1")
    page.get_by_role("combobox", name="Role of condition 2").select_option("boost")
    page.get_by_role("combobox", name="Universe").select_option("Largest 40")
    expect(page.locator(".leaves .sentence")).to_contain_text("of 40 pass now")
    page.keyboard.press("Control+s")
    expect(page).to_have_url(re.compile(r"/sieves/\d+$"))
    expect(page.get_by_text("version 1", exact=True)).to_be_visible()
    page.goto("/sieves")
    row = page.locator("tbody tr", has_text="Near its high")
    row.get_by_role("button", name="Archive", exact=True).click()
    expect(row).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(row).to_have_count(1)


def test_errors_are_underlined_at_their_place_and_stop_a_run(page: Page) -> None:
    page.goto("/sieves/1")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    write(page, "Condition 1", "close > emma(close, 20)")
    expect(page.locator(".cm-lintRange-error")).to_have_text("emma(close, 20)")
    expect(page.locator(".row .wrong").first).to_contain_text("did you mean ema?")
    expect(page.get_by_role("button", name=re.compile("^Run"))).to_be_disabled()
    expect(page.locator(".leaves")).to_contain_text("correct what is underlined")


def test_the_editor_completes_functions_with_their_paragraph(page: Page) -> None:
    page.goto("/sieves/1")
    editor(page, "Condition 1")
    page.keyboard.press("Delete")
    page.keyboard.type("close > supe", delay=30)
    expect(page.locator(".cm-tooltip-autocomplete")).to_contain_text("supertrend")
    expect(page.locator(".cm-completionInfo")).to_contain_text("trailing line")
    page.wait_for_timeout(200)  # the list takes no key in its first moments
    page.keyboard.press("Enter")
    expect(page.locator(".cm-content").first).to_contain_text("supertrend(10, 3).line")


def in_order(codes: Locator, *, reverse: bool) -> None:
    """Wait until the codes that are shown stand in order."""
    for _ in range(100):
        listed = codes.all_inner_texts()
        if len(listed) > 10 and listed == sorted(listed, reverse=reverse):
            return
        time.sleep(0.05)
    raise AssertionError(listed)


def run_of(page: Page, sieve: str) -> None:
    """Press the button that runs just that sieve, on the list of all."""
    own = page.get_by_role("link", name=sieve, exact=True)
    page.locator("tbody tr", has=own).get_by_role("button", name="Run").click()


def test_hits_are_sorted_and_filtered(page: Page) -> None:
    page.goto("/sieves")
    run_of(page, "Agreed uptrend")
    codes = page.locator("tbody td.mono")
    expect(codes.nth(10)).to_be_visible()
    page.get_by_role("button", name="Code").click()
    in_order(codes, reverse=False)
    listed = codes.all_inner_texts()
    page.get_by_role("button", name="Code").click()
    in_order(codes, reverse=True)
    page.keyboard.press("/")
    page.keyboard.type(listed[3].lower())
    expect(codes).to_have_count(1)
    page.get_by_role("textbox", name="Filter hits").fill("zzzz")
    expect(page.get_by_text("No hit fits the filter")).to_be_visible()
    page.get_by_role("tab", name=re.compile("Stale")).click()
    expect(page.locator("main")).to_contain_text("CMSTRG")


def test_a_run_that_ends_before_its_page_is_read_shows_its_hits(page: Page) -> None:
    def late(route: Route) -> None:
        time.sleep(2)
        route.continue_()

    page.goto("/sieves")
    page.route(re.compile(r"/api/runs/\d+$"), late)
    run_of(page, "Agreed uptrend")
    expect(page.locator("tbody td.mono").nth(10)).to_be_visible()


def test_instruments_tell_what_the_data_check_found(page: Page) -> None:
    page.goto("/instruments")
    page.get_by_role("button", name="7 of them").click()
    expect(page.locator("tbody tr")).to_have_count(7)
    for kind in ("gap", "bad print", "stale", "frozen"):
        expect(page.locator("tbody").get_by_text(kind).first).to_be_visible()
    page.get_by_role("button", name=re.compile("^Currencies")).click()
    page.get_by_label("flagged only").uncheck()
    expect(page.locator("tbody tr")).to_have_count(28)


def test_states_without_content_say_what_to_do(page: Page, service: Service) -> None:
    page.goto("/nowhere/at/all")
    expect(page.get_by_text("There is no page at this address")).to_be_visible()
    page.goto("/runs/99999")
    expect(page.get_by_role("alert")).to_contain_text("there is no run 99999")
    page.goto("/instruments?universe=Nowhere")
    expect(page.get_by_role("alert")).to_contain_text("no universe called Nowhere")


def test_the_keys_of_a_page_are_listed(page: Page) -> None:
    page.goto("/sieves")
    expect(page.get_by_role("table")).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("compose a new sieve")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_a_formula_of_the_sieves_own_is_named_and_used(page: Page) -> None:
    page.goto("/sieves/2")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    page.get_by_role("button", name="Name a formula").click()
    page.get_by_role("textbox", name="Name of formula 1").fill("reach")
    write(page, "Formula 1", "100 * (highest(high, 20) / lowest(low, 20) - 1)")
    write(page, "Condition 3", "reach < 15")
    expect(page.locator(".row").nth(2).locator(".says")).to_contain_text("Reach is below 15")
    expect(page.locator(".leaves .sentence b")).to_have_text(re.compile(r"^\d+$"))
    write(page, "Formula 1", "reach + 1")
    expect(page.locator(".row").nth(2).locator(".wrong")).to_contain_text("reach → reach")
    page.get_by_role("button", name="Remove formula 1").click()
    expect(page.locator(".row").nth(2).locator(".wrong")).to_contain_text('"reach" is not')


def test_a_condition_on_another_timeframe_and_across_the_universe_reaches_the_chart(
    page: Page,
) -> None:
    page.goto("/sieves/new")
    page.get_by_role("combobox", name="Universe").select_option("All shares")
    write(page, "Condition 1", "close > sma(close, 20) on 1w")
    page.get_by_role("button", name=re.compile("Add a condition")).click()
    write(page, "Condition 2", 'rank(roc(close, 60), by="sector") > 80')
    expect(page.locator(".leaves .sentence")).to_contain_text("of 240 pass now")
    page.keyboard.press("Control+Enter")
    expect(page.locator("tbody td.mono").first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".canvas canvas")).to_be_visible()
    expect(page.locator("aside[aria-label=Why] li").nth(1)).to_contain_text("is above 80")
    expect(page.locator(".pane.readings", has_text="Rank")).to_be_visible()


def test_a_formula_of_the_desk_is_composed_called_and_kept_from_harm(page: Page) -> None:
    page.goto("/formulas")
    expect(page.get_by_role("textbox", name="Name of the formula")).to_have_value("agreement")
    page.keyboard.press("c")
    page.get_by_role("textbox", name="Name of the formula").fill("room")
    write(
        page, "Formula", "input span = 20 between 5 and 60\n100 * (highest(high, span) / close - 1)"
    )
    expect(page.locator(".says tbody tr")).to_have_count(1)
    page.keyboard.press("Control+s")
    expect(page.get_by_text("room is saved as version 1")).to_be_visible()
    expect(page.locator(".says tbody")).to_have_text("room(span=20)a numberpercent")

    page.goto("/sieves/new")
    write(page, "Condition 1", "room(span=30) < 1")
    expect(page.locator(".leaves .sentence")).to_contain_text("pass now")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("Saved as version 1.")).to_be_visible()

    page.goto("/formulas")
    page.get_by_role("link", name=re.compile("^room")).click()
    expect(page.locator(".used")).to_contain_text("New sieve")
    page.get_by_role("button", name="Archive", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("is called by the sieve")
    write(page, "Formula", "highest(high, 20")
    expect(page.locator(".says .fall").first).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Save"))).to_be_disabled()


def test_a_pair_is_defined_and_found_among_the_instruments(page: Page) -> None:
    page.goto("/instruments?universe=All%20instruments")
    page.get_by_role("button", name="Define a pair").click()
    page.get_by_label("First leg").fill("TARPIN")
    page.get_by_label("Second leg").fill("NOSUCH")
    page.get_by_label("Code of the pair").fill("TARHEM")
    page.get_by_label("Relation").select_option("ratio")
    page.get_by_role("button", name="Define it").click()
    expect(page.get_by_role("alert")).to_contain_text("there is no instrument NOSUCH")
    page.get_by_label("Second leg").fill("HEMPRO")
    page.keyboard.press("Enter")
    row = page.locator("tbody tr", has_text="TARHEM")
    expect(row).to_contain_text("TARPIN to HEMPRO")
    row.get_by_label("Mark TARHEM").check()
    page.get_by_role("button", name="Archive 1").click()
    expect(row).to_have_count(0)


def test_bars_of_a_day_and_bricks_reach_the_chart(page: Page) -> None:
    page.goto("/sieves/new")
    write(page, "Condition 1", "close > vwap")
    page.get_by_label("Timeframe").fill("15m")
    page.get_by_label("Unfinished bar").select_option("the forming one included")
    expect(page.locator(".leaves .leaf").first).to_contain_text("provisional")
    page.keyboard.press("Control+Enter")
    expect(page.locator("main .sentence").first).to_contain_text("the forming one included")
    page.locator("tbody td.mono").first.click()
    page.keyboard.press("Enter")
    expect(page.locator(".canvas canvas")).to_be_visible()
    expect(page.locator(".readings").first).to_contain_text("16 Jun, 14:15")
    expect(page.locator("aside[aria-label=Why]")).to_contain_text("Provisional")

    page.goto("/sieves/new")
    write(page, "Condition 1", "close > prev(close)")
    page.get_by_label("Timeframe").fill("brick(10,20)")
    page.get_by_label("Timeframe").blur()
    expect(page.locator(".leaves .sentence")).to_contain_text("pass now")
    page.get_by_label("Timeframe").fill("soon")
    page.get_by_label("Timeframe").blur()
    expect(page.locator(".leaves")).to_contain_text("write what a bar is as 1w, 80m")
