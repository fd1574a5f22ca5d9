"""Nothing a user did is lost or lands elsewhere; what fails is told where it was asked for."""

from __future__ import annotations

import re
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.hands import answer_late, editor, press_in_page, write
from tests.conftest import Service


def asked(service: Service, path: str, body: object = None, method: str | None = None) -> Any:
    return service.client.ask(method or ("GET" if body is None else "POST"), path, body)


def verdicts(service: Service, run: int) -> dict[str, str]:
    hits = asked(service, f"/runs/{run}/hits")["hits"]
    return {h["code"]: h["verdict"]["verdict"] for h in hits if h["verdict"]}


def open_review(page: Page, run: int) -> Locator:
    page.goto(f"/runs/{run}/hits")
    expect(page.locator(".canvas canvas")).to_be_visible()
    return page.locator("h1 .mono")


def test_a_key_that_is_held_or_follows_at_once_decides_no_other_hit(
    page: Page, service: Service, reviewed: int
) -> None:
    code = open_review(page, reviewed)
    first = code.inner_text()
    for _ in range(20):
        page.keyboard.down("t")
        page.wait_for_timeout(35)
    page.keyboard.up("t")
    expect(code).not_to_have_text(first)
    assert verdicts(service, reviewed) == {first: "take"}

    answer_late(page, "PUT")
    code = open_review(page, reviewed)
    second = code.inner_text()
    press_in_page(page, "w", soon="d", changes="h1 .mono", at_once="d")
    expect(code).not_to_have_text(second)
    expect(page.locator(".rail p")).to_contain_text("2 of")
    page.wait_for_timeout(1000)
    assert verdicts(service, reviewed) == {first: "take", second: "watch"}


def test_words_of_a_hit_are_kept_before_and_after_its_verdict(
    page: Page, service: Service, reviewed: int
) -> None:
    code = open_review(page, reviewed)
    first = code.inner_text()
    note = page.get_by_role("textbox", name="Note")
    note.fill("before")
    page.keyboard.press("Escape")
    page.keyboard.press("3")
    page.keyboard.press("ArrowRight")
    expect(code).not_to_have_text(first)
    expect(note).to_have_value("")
    page.reload()
    page.goto(f"/runs/{reviewed}/review/{first}")  # as addresses were before hits had numbers
    expect(page).to_have_url(re.compile(r"/hits/\d+$"))
    expect(note).to_have_value("before")
    expect(page.get_by_role("button", name="too thin")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("d")
    expect(code).not_to_have_text(first)
    page.keyboard.press("ArrowLeft")
    with page.expect_response(re.compile(r"/hits/\d+/verdict$")):
        note.fill("before and after")
        page.keyboard.press("Enter")
        page.keyboard.press("ArrowRight")
    expect(code).not_to_have_text(first)
    kept = next(h for h in asked(service, f"/runs/{reviewed}/hits")["hits"] if h["code"] == first)
    assert (kept["verdict"]["reason"], kept["verdict"]["note"]) == ("too thin", "before and after")


def test_the_message_after_a_verdict_covers_nothing(page: Page, reviewed: int) -> None:
    open_review(page, reviewed)
    page.keyboard.press("t")
    message = page.locator(".undo")
    expect(message).to_contain_text("taken")
    box = message.bounding_box()
    assert box is not None
    for other in page.locator("main button, main input, main a, main canvas, nav a").all():
        own = other.bounding_box() if other.is_visible() else None
        if own is not None:
            apart = own["x"] >= box["x"] + box["width"] or own["x"] + own["width"] <= box["x"]
            apart |= own["y"] >= box["y"] + box["height"] or own["y"] + own["height"] <= box["y"]
            assert apart, other.inner_text()


def test_a_draft_survives_leaving_and_reloading_and_can_be_set_aside(page: Page) -> None:
    page.goto("/sieves/2")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    saved = page.get_by_role("textbox", name="Condition 2", exact=True).inner_text()
    write(page, "Condition 2", "close > open by 4%")
    page.get_by_role("link", name=re.compile("^Runs")).click()
    expect(page).to_have_url(re.compile("/runs$"))
    page.goto("/sieves/2")
    condition = page.get_by_role("textbox", name="Condition 2", exact=True)
    expect(condition).to_have_text("close > open by 4%")
    page.reload()
    expect(condition).to_have_text("close > open by 4%")
    expect(page.locator(".found")).to_contain_text("Your unsaved draft of")
    page.get_by_role("button", name="Discard it").click()
    expect(condition).to_have_text(saved)
    page.get_by_role("button", name="Undo").click()
    expect(condition).to_have_text("close > open by 4%")

    page.goto("/formulas/new")
    write(page, "Formula", "close - open")
    page.goto("/sieves")
    page.goto("/formulas/new")
    expect(page.get_by_role("textbox", name="Formula", exact=True)).to_have_text("close - open")


def test_what_is_typed_while_a_save_is_on_its_way_stays(page: Page, service: Service) -> None:
    answer_late(page, "PUT")
    for path, label, first, second in (
        ("/sieves/1", "Condition 1", "close > sma(close, 31)", "close > sma(close, 32)"),
        ("/formulas/1", "Formula", "close - sma(close, 31)", "close - sma(close, 32)"),
    ):
        page.goto(path)
        write(page, label, first)
        page.wait_for_timeout(600)
        page.keyboard.press("Control+s")
        page.wait_for_timeout(150)
        write(page, label, second)
        expect(page.get_by_text(re.compile("aved as version 2"))).to_be_visible()
        expect(page.get_by_role("textbox", name=label, exact=True)).to_have_text(second)
        expect(page.get_by_text("version 2, changed")).to_be_visible()
        page.keyboard.press("Control+s")
        expect(page.get_by_text(re.compile("aved as version 3"))).to_be_visible()
        write(page, label, first)
        expect(page.get_by_text("version 3, changed")).to_be_visible()


def test_ctrl_enter_runs_once_and_types_nothing(page: Page, service: Service) -> None:
    before = len(asked(service, "/runs"))
    page.goto("/sieves/3")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    text = page.get_by_role("textbox", name="Condition 1", exact=True).inner_text()
    editor(page, "Condition 1")
    page.keyboard.press("End")
    page.keyboard.down("Control")
    for _ in range(6):
        page.keyboard.down("Enter")
    page.keyboard.up("Enter")
    page.keyboard.up("Control")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    assert len(asked(service, "/runs")) == before + 1
    page.goto("/sieves/3")
    expect(page.get_by_role("textbox", name="Condition 1", exact=True)).to_have_text(text)


def test_the_last_change_of_a_sieve_is_taken_back_by_key(page: Page) -> None:
    page.goto("/sieves/3")
    rows = page.locator("li.row")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    before = rows.count()
    page.get_by_role("button", name="Remove condition 2").click()
    page.get_by_role("combobox", name="Side").select_option("short")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("combobox", name="Side")).to_have_value("long")
    expect(rows).to_have_count(before - 1)
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(before)
    page.keyboard.press("Control+Shift+z")
    expect(rows).to_have_count(before - 1)


def test_what_no_longer_belongs_to_the_text_is_greyed_at_once(page: Page) -> None:
    page.goto("/sieves/3")
    row = page.locator("li.row").nth(1)
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    expect(page.locator(".old")).to_have_count(0)
    page.route("**/api/preview", lambda route: None)
    write(page, "Condition 2", "close > open by 1%")
    expect(row.locator(".says")).to_have_class(re.compile("old"))
    expect(row.locator(".counts")).to_have_class(re.compile("old"))
    expect(page.locator(".leaves")).to_have_class(re.compile("old"))
    expect(page.locator("li.row").first.locator(".says")).not_to_have_class(re.compile("old"))


def refused(page: Page, what: str) -> None:
    """The next requests fail; what is asked is told on the page, and can be tried again."""
    alert = page.get_by_role("alert").filter(has_text=what)
    expect(alert).to_contain_text("the server does not answer")
    page.unroute("**/api/**")
    alert.get_by_role("button", name="Try again").click()
    expect(alert).to_have_count(0)


def cut_off(page: Page) -> None:
    """From here on nothing reaches the server; the browser takes a moment to see to that."""
    page.route("**/api/**", lambda route: route.abort())
    page.wait_for_function("() => fetch('/api/thread').then(() => false, () => true)")


def test_every_request_that_fails_is_told_where_it_was_asked_for(
    page: Page, service: Service, reviewed: int
) -> None:
    page.goto("/sieves")
    row = page.locator("tbody tr").first
    for button, what in (("Copy", "Not copied"), ("Run", "The run can't begin")):
        page.goto("/sieves")
        expect(row).to_be_visible()
        cut_off(page)
        row.get_by_role("button", name=button, exact=True).click()
        refused(page, what)
        expect(page).not_to_have_url(re.compile("/sieves$"))
    copied = [s for s in asked(service, "/sieves") if s["sieve"]["name"].endswith(", copy")]
    page.goto("/sieves")
    mine = page.locator("tbody tr", has_text=copied[0]["sieve"]["name"])
    expect(mine).to_be_visible()
    cut_off(page)
    mine.get_by_role("button", name="Archive", exact=True).click()
    refused(page, "Not archived")
    expect(mine).to_have_count(0)
    page.reload()
    page.get_by_text(re.compile("^Archived: ")).click()
    cut_off(page)
    page.get_by_role("button", name=f"Restore {copied[0]['sieve']['name']}").click()
    refused(page, "Not restored")
    expect(mine).to_have_count(1)
    asked(service, f"/sieves/{copied[0]['id']}", method="DELETE")

    open_review(page, reviewed)
    cut_off(page)
    page.keyboard.press("t")
    refused(page, "Not kept")
    expect(page.locator(".rail p")).to_contain_text("1 of")
    page.keyboard.press("ArrowLeft")
    cut_off(page)
    page.keyboard.press("x")
    refused(page, "Not kept")
    expect(page.locator(".rail p")).to_contain_text("0 of")

    page.goto(f"/runs/{reviewed}")
    expect(page.locator("tbody tr").first).to_be_visible()
    cut_off(page)
    page.keyboard.press("r")
    refused(page, "The run can't begin")
    expect(page).not_to_have_url(re.compile(f"/runs/{reviewed}$"))


def test_verdicts_are_taken_back_step_by_step_and_stand_in_one_list(
    page: Page, service: Service, reviewed: int
) -> None:
    def known(verdict: str) -> int:
        return int(asked(service, f"/verdicts?verdict={verdict}")["matching"])

    taken, watched = known("take"), known("watch")
    code = open_review(page, reviewed)
    decided = page.locator(".rail p")
    seen = []
    for n, key in enumerate("twd", start=1):
        seen.append(code.inner_text())
        page.wait_for_timeout(600)
        page.keyboard.press(key)
        expect(decided).to_contain_text(f"{n} of")
        expect(code).not_to_have_text(seen[-1])
    for n, last in enumerate(reversed(seen[1:])):
        page.keyboard.press("Control+z")
        expect(decided).to_contain_text(f"{2 - n} of")
        expect(code).to_have_text(last)
        expect(page.locator(".undo")).to_contain_text("Before it: ")
    assert verdicts(service, reviewed) == {seen[0]: "take"}
    page.get_by_role("link", name="all decided").click()
    row = page.locator("tbody tr").first
    expect(row).to_contain_text(seen[0])
    for name, count in (("Taken", taken + 1), ("Watched", watched)):
        tab = page.get_by_role("tab", name=name)
        expect(tab).to_have_text(re.compile(rf"^\s*{name} {count}\b"))
    page.keyboard.press("w")
    expect(page.get_by_role("tab", name="Watched")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("t")
    expect(row).to_contain_text(seen[0])
    page.keyboard.press("Enter")
    expect(code).to_have_text(seen[0])
    page.wait_for_timeout(600)
    page.keyboard.press("x")
    expect(decided).to_contain_text("0 of")
    page.keyboard.press("Control+z")
    expect(decided).to_contain_text("1 of")


def test_a_run_leads_to_the_version_it_used_and_that_back_onto_the_page(
    page: Page, service: Service
) -> None:
    begun = asked(service, "/sieves/2")
    made = {**begun["sieve"], "name": "Of several versions"}
    own = asked(service, "/sieves", {"sieve": made})["id"]
    run = asked(service, "/runs", {"sieve_id": own})["id"]
    changed = {"sieve": {**made, "fired_within": 7, "rank": ""}, "based_on": 1}
    asked(service, f"/sieves/{own}", changed, "PUT")
    page.goto(f"/runs/{run}")
    page.get_by_role("link", name="version 1").click()
    versions = page.get_by_role("region", name="Versions")
    expect(versions.locator("li").first).to_contain_text("on one of the newest 7 bars instead of")
    expect(versions.locator("li").last).to_contain_text(f"run {run}")
    expect(versions.locator(".marked .differences")).to_contain_text("+ long, within 7")
    within = page.get_by_role("spinbutton")
    expect(within.first).to_have_value("7")
    versions.get_by_role("button", name="Put version 1 on the page").click()
    expect(within.first).not_to_have_value("7")
    page.keyboard.press("Control+z")
    expect(within.first).to_have_value("7")
    page.keyboard.press("r")
    expect(versions).to_have_count(0)
    asked(service, f"/sieves/{own}", method="DELETE")


def test_an_undo_that_fails_stays_on_offer(page: Page, reviewed: int) -> None:
    open_review(page, reviewed)
    page.keyboard.press("t")
    expect(page.locator(".undo")).to_contain_text("taken")
    cut_off(page)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(".undo")).to_contain_text("Not undone")
    page.unroute("**/api/**")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(".rail p")).to_contain_text("0 of")


@pytest.mark.parametrize("path", ["/runs/99999", "/runs/99999/hits", "/sieves/99999"])
def test_what_does_not_exist_is_told_and_never_drawn_for_ever(page: Page, path: str) -> None:
    page.goto(path)
    expect(page.get_by_role("alert")).to_contain_text(re.compile("there is no (run|sieve) 99999"))
    page.goto("/runs/NaN")
    expect(page.get_by_text("There is no page at this address")).to_be_visible()


def test_the_table_of_hits_shows_its_last_columns_on_a_narrow_screen(
    page: Page, reviewed: int
) -> None:
    page.set_viewport_size({"width": 1024, "height": 768})
    page.goto(f"/runs/{reviewed}")
    for name in ("Age", "New or kept", "Verdict"):
        box = page.get_by_role("button", name=name, exact=True).bounding_box()
        assert box is not None
        assert box["x"] + box["width"] <= 1024


def test_actions_stand_at_the_edge_of_a_wide_page_that_gains_a_column(page: Page) -> None:
    page.set_viewport_size({"width": 1920, "height": 1080})
    page.goto("/sieves")
    button = page.get_by_role("link", name=re.compile("Compose a sieve")).bounding_box()
    assert button is not None
    assert button["x"] + button["width"] > 1880
    expect(page.get_by_role("complementary")).to_contain_text("must")


def test_take_is_near_for_the_keyboard_and_steps_are_announced(page: Page, reviewed: int) -> None:
    code = open_review(page, reviewed)
    page.evaluate("document.activeElement.blur()")
    for _ in range(16):
        page.keyboard.press("Tab")
        if "Take" in page.evaluate("document.activeElement.textContent"):
            break
    assert "Take" in page.evaluate("document.activeElement.textContent")
    page.keyboard.press("ArrowRight")
    told = page.locator(".verdict [role=status]")
    expect(told).to_have_text(re.compile(rf"Hit 2 of \d+, {code.inner_text()} .*, open"))


def test_a_run_says_what_is_undecided_and_by_what_it_ranks(
    page: Page, service: Service, reviewed: int
) -> None:
    page.goto(f"/runs/{reviewed}")
    expect(page.get_by_role("columnheader", name="adx(17).adx")).to_be_visible()
    document = asked(service, "/sieves/3")["sieve"] | {"name": "Ranked by a fact"}
    document["conditions"] = [
        {"role": "must", "formula": "close > 0"},
        {"role": "must", "formula": 'trades > 0 and fact("market_cap") > 1'},
    ]
    document["rank"] = 'fact("market_cap")'
    made = asked(service, "/sieves", {"sieve": document})["id"]
    page.goto(f"/sieves/{made}")
    expect(page.locator(".leaves .sentence")).to_contain_text("undecided: not in the data")
    page.keyboard.press("Control+Enter")
    page.get_by_role("tab", name=re.compile("Undecided")).click()
    expect(page.locator("main")).to_contain_text("not in the data: no trades")
    asked(service, f"/sieves/{made}", method="DELETE")
