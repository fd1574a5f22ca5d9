"""From what is seen on a chart to conditions that can be trusted."""

from __future__ import annotations

import json
import re
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

from tests.browser.hands import answer_late, editor, write


def passing(page: Page) -> int:
    expect(page.locator(".leaves:not(.old) .sentence b")).to_be_visible()
    return int(page.locator(".leaves .sentence b").inner_text())


def drag(page: Page, slider: Locator, share: float) -> None:
    """Take a threshold to a place of its histogram."""
    box = slider.bounding_box()
    assert box is not None
    middle = box["y"] + box["height"] / 2
    now = slider.locator(".threshold line").get_attribute("x1")
    page.mouse.move(box["x"] + box["width"] * float(now or 0) / 300, middle)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * share, middle, steps=8)
    page.mouse.up()


def test_measured_on_a_chart_taken_into_a_sieve_loosened_by_dragging_and_saved(page: Page) -> None:
    page.goto("/instruments/LDQLGT?line=sma(close,34)&universe=All shares")
    canvas = page.locator(".canvas canvas")
    expect(canvas).to_be_visible()
    expect(page.locator(".readings").first).to_contain_text("sma(close, 34)")
    box = canvas.bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.3)
    page.mouse.click(box["x"] + box["width"] * 0.55, box["y"] + box["height"] * 0.2)
    words = page.locator(".measured")
    percent, ranges = (
        re.search(pattern, words.inner_text()) for pattern in (r"([\d.]+) %", r"([\d.]+) × ATR")
    )
    assert percent
    assert ranges
    page.get_by_role("status").get_by_role("button", name=re.compile("conditions")).click()
    asked = page.get_by_role("dialog", name="Conditions that it suggests")
    measured = asked.get_by_role(
        "button", name=re.compile(r"^(open|high|low|close|sma.*) [<>] ago\(.+, \d+\) by [\d.]+%")
    )
    expect(measured).to_contain_text(f"{percent[1]} %")
    expect(asked).to_contain_text(f"{ranges[1]} × ATR")
    text = measured.locator("code").inner_text()
    measured.click()

    expect(page).to_have_url(re.compile("/sieves/new"))
    expect(page.get_by_role("textbox", name="Condition 1")).to_have_text(text)
    expect(page.get_by_role("combobox", name="Universe")).to_have_value("All shares")
    slider = page.get_by_role("slider", name="Threshold of condition 1")
    expect(slider).to_be_visible()
    below = "<" in text
    drag(page, slider, 0.03 if below else 0.97)
    expect(page.get_by_role("textbox", name="Condition 1")).not_to_have_text(text)
    few = passing(page)
    tight = page.get_by_role("textbox", name="Condition 1").inner_text()
    drag(page, slider, 0.2 if below else 0.8)
    expect(page.get_by_role("textbox", name="Condition 1")).not_to_have_text(tight)
    expect(page.locator(".leaves .sentence b")).not_to_have_text(str(few))
    handful = passing(page)
    assert few < handful < 240
    expect(page.locator(".counts").first).to_contain_text(str(handful))

    page.get_by_role("textbox", name="Name of the sieve").fill("Seen on a chart")
    page.keyboard.press("Control+s")
    expect(page.get_by_text("version 1", exact=True)).to_be_visible()


def test_a_threshold_moves_by_key_on_the_histogram_and_in_its_pane(page: Page, waking: int) -> None:
    page.goto(f"/sieves/{waking}")
    text = page.get_by_role("textbox", name="Condition 2")
    text.click()
    slider = page.get_by_role("slider", name="Threshold of condition 2")
    slider.press("ArrowRight")
    expect(text).not_to_have_text("close > prev(highest(high, 24)) by 0.3%")
    moved = text.inner_text()
    pane = page.get_by_role("slider", name=re.compile("^Threshold of Close against"))
    expect(pane).to_be_visible()
    box = pane.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 200, box["y"] + 6)
    page.mouse.down()
    page.mouse.move(box["x"] + 200, box["y"] - 6, steps=4)
    page.mouse.up()
    expect(text).not_to_have_text(moved)
    # Two that are linked move together, each looser by as many spreads of its own.
    page.get_by_role("button", name="link", exact=True).click()
    other = page.get_by_role("textbox", name="Condition 3")
    other.click()
    page.get_by_role("button", name="link", exact=True).click()
    before = text.inner_text()
    page.get_by_role("slider", name="Threshold of condition 3").press("PageUp")
    expect(other).not_to_have_text("ema(close, 11) within 3% of ema(close, 37)")
    expect(text).not_to_have_text(before)


def test_why_not_is_told_of_any_code_before_and_after_a_run(page: Page, waking: int) -> None:
    page.goto(f"/sieves/{waking}")
    expect(page.locator(".leaves .leaf.miss").first).to_be_visible()
    miss = page.locator(".leaves .leaf.miss").first
    code, lacks = miss.locator(".code").inner_text(), miss.locator(".lacks").inner_text()
    page.keyboard.press("w")
    page.keyboard.type(code.lower())
    why = page.get_by_role("region", name="Why not")
    expect(why).to_contain_text(f"{code}")
    expect(why).to_contain_text("lacks 1")
    expect(why.locator("li.way")).to_contain_text(lacks)
    expect(page.get_by_role("region", name="Where it would have fired")).to_contain_text(code)
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    expect(page.locator("tbody tr").first).to_be_visible()
    page.keyboard.press("w")
    page.keyboard.type(code)
    expect(page.get_by_role("region", name="Why not").locator("li.way")).to_contain_text(lacks)


def test_past_signals_are_stepped_through_and_seen_on_many_at_once(page: Page, waking: int) -> None:
    page.goto(f"/sieves/{waking}")
    fired = page.get_by_role("region", name="Where it would have fired", exact=True)
    expect(fired).to_contain_text(re.compile(r"fired \d+ times in [\d,]+ bars"))
    page.keyboard.press("ArrowLeft")
    moment = fired.locator(".signal")
    expect(moment).to_have_text(re.compile(r"\d{4}"))
    last = re.search(r"\d+ \w+ \d{4}", moment.inner_text())
    assert last
    page.keyboard.press("ArrowLeft")
    expect(moment).not_to_contain_text(last[0])
    page.keyboard.press("ArrowRight")
    expect(moment).to_contain_text(last[0])
    page.keyboard.press("v")
    many = page.get_by_role("region", name="Where it would have fired on many")
    sheets = many.get_by_role("listitem")
    expect(sheets).to_have_count(12)
    most = int(sheets.first.locator("b").inner_text())
    assert most == sheets.first.locator("svg line").count() > 0
    many.get_by_role("combobox").select_option("least")
    expect(sheets.first.locator("b")).to_have_text("0")
    code = sheets.first.locator(".mono").inner_text()
    sheets.first.get_by_role("button").click()
    page.keyboard.press("v")
    expect(fired).to_contain_text(code)
    expect(fired).to_contain_text("fired 0 times")


def test_half_typed_text_blanks_nothing(page: Page, waking: int) -> None:
    page.goto(f"/sieves/{waking}")
    fired = page.get_by_role("region", name="Where it would have fired", exact=True)
    expect(fired.locator("canvas")).to_be_visible()
    write(page, "Condition 2", "close > highest(hi")
    expect(page.get_by_text("Not yet: correct what is underlined.")).to_be_visible()
    expect(fired.locator("canvas")).to_be_visible()
    expect(fired).to_contain_text(re.compile(r"fired \d+ times"))


def test_a_sieve_of_two_timeframes_is_composed_of_parts_with_keys_alone(page: Page) -> None:
    page.goto("/sieves")
    expect(page.get_by_role("table")).to_be_visible()
    page.keyboard.press("c")
    first = page.get_by_role("textbox", name="Condition 1", exact=True)
    expect(first).to_be_visible()
    expect(page.locator(".says").first).to_contain_text("above its 45-bar average")

    def tab_to(label: str) -> None:
        for _ in range(60):
            here = page.evaluate("document.activeElement.getAttribute('aria-label')")
            if here == label:
                return
            page.keyboard.press("Tab")
        raise AssertionError(f"no Tab leads to {label}")

    def written(label: str, text: str) -> None:
        tab_to(label)
        page.keyboard.press("Control+a")
        page.keyboard.type(text)
        page.keyboard.press("Escape")

    tab_to("Condition 1")
    page.keyboard.press("F2")
    expect(page.get_by_role("textbox", name="Left of condition 1", exact=True)).to_be_focused()
    written("Right of condition 1", "ema(close, 12)")
    written("Timeframe of the right of condition 1", "1w")
    written("Tolerance of condition 1", "3%")
    tab_to("Over time of condition 1")
    page.keyboard.press("i")
    written("Bars of condition 1", "4")
    said = "Close is at least 3 % above its 12-week exponential average, on one of the last 4 bars"
    expect(page.locator(".says").first).to_contain_text(said)
    page.keyboard.press("F2")
    whole = "close > (ema(close, 12) on 1w) by 3% in last 4 bars"
    expect(first).to_have_text(whole)

    # Once more, as a veto with a cool-down; moved up, switched off and on.
    page.keyboard.press("Alt+Insert")
    second = page.get_by_role("textbox", name="Condition 2", exact=True)
    expect(second).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("rsi(close, 11) > 80")
    page.keyboard.press("Escape")
    expect(page.locator(".says").nth(1)).to_contain_text("RSI is above 80")
    page.keyboard.press("Alt+ArrowUp")
    expect(first).to_have_text("rsi(close, 11) > 80")
    for _ in range(30):
        page.keyboard.press("Shift+Tab")
        if page.evaluate("document.activeElement.getAttribute('aria-label')") == (
            "Role of condition 1"
        ):
            break
    page.keyboard.press("v")
    tab_to("Cool-down of condition 1")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    expect(first).to_have_text("rsi(close, 11) > 80 in last 3 bars")
    counts = page.locator(".counts").first
    expect(counts).to_contain_text("keeps out")
    page.keyboard.press("Alt+o")
    expect(page.locator("li.row.off")).to_have_count(1)
    page.keyboard.press("Control+s")
    expect(page.get_by_text("version 1", exact=True)).to_be_visible()
    page.reload()
    expect(page.locator("li.row.off").get_by_role("textbox", name="Condition 1")).to_be_visible()
    expect(second).to_have_text(whole)


def test_conditions_are_grouped_and_what_is_missing_is_told_at_its_part(page: Page) -> None:
    page.goto("/sieves/new")
    first = page.get_by_role("textbox", name="Condition 1", exact=True)
    first.click()
    expect(page.locator(".says").first).to_contain_text("above its 45-bar average")
    page.keyboard.press("F2")
    page.get_by_role("button", name="group", exact=True).click()
    alert = page.locator("li.row").get_by_role("alert")
    expect(alert.filter(visible=True)).to_have_text("nothing stands there yet")
    expect(page.locator(".leaf").first).to_be_visible()
    write(page, "Left of condition 1.2", "volume")
    write(page, "Right of condition 1.2", "sma(volume, 22)")
    expect(page.get_by_text("or volume is above its 22-bar average")).to_be_visible()
    page.get_by_role("combobox", name="How condition 1 joins").select_option("least")
    page.get_by_role("button", name="Add to condition 1").click()
    page.get_by_role("combobox", name="Relation of condition 1.3").select_option("holds")
    write(page, "Left of condition 1.3", "up_bar")
    page.get_by_role("button", name="Opposite of condition 1.3").click()
    page.get_by_role("button", name="Condition 1.3 up").click()
    page.get_by_role("button", name="Condition 1 as text").click()
    expect(first).to_have_text(
        "at least 2 of (close > sma(close, 45) by 2%, not up_bar, volume > sma(volume, 22))"
    )
    write(page, "Condition 1", "input n = 5 between 2 and 9\nclose > sma(close, n)")
    expect(page.get_by_text("Close is above its 5-bar average")).to_be_visible()
    page.get_by_role("button", name="Condition 1 as parts").click()
    expect(page.get_by_text("This one stays text")).to_be_visible()


def test_what_is_offered_once_an_editor_was_left_covers_nothing(page: Page, waking: int) -> None:
    answer_late(page, "POST", "/api/completions", 700)
    page.goto(f"/sieves/{waking}")
    write(page, "Condition 2", "vol")
    page.get_by_label("Name of the sieve").click()
    page.wait_for_timeout(1500)
    expect(page.locator(".cm-tooltip-autocomplete")).to_have_count(0)
    editor(page, "Condition 2")
    page.keyboard.type("clo")
    expect(page.locator(".cm-tooltip-autocomplete")).to_be_visible()


def test_the_other_side_is_shown_for_approval_and_kept_as_a_sieve_of_its_own(
    page: Page, waking: int
) -> None:
    page.goto(f"/sieves/{waking}")
    page.get_by_role("button", name="Mirror").click()
    shown = page.get_by_role("dialog", name="The other side")
    expect(shown).to_contain_text("close < prev(lowest(low, 24)) by 0.3%")
    expect(shown).to_contain_text(
        "Close is at least 0.3 % below the lowest low of the 24 bars before"
    )
    page.keyboard.press("Escape")
    expect(shown).to_have_count(0)
    page.get_by_role("button", name="Mirror").click()
    shown.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("textbox", name="Name of the sieve")).to_have_value(
        "Waking range, short"
    )
    expect(page.get_by_role("combobox", name="Side")).to_have_value("short")
    expect(page.get_by_role("textbox", name="Condition 2")).to_have_text(
        "close < prev(lowest(low, 24)) by 0.3%"
    )
    page.get_by_role("button", name="Undo").click()
    expect(page).to_have_url(re.compile("/sieves$"))
    expect(page.locator("tbody tr", has_text="Waking range, short")).to_have_count(0)


def test_both_sides_stand_in_one_sieve_each_condition_with_its_own(page: Page, waking: int) -> None:
    page.goto(f"/sieves/{waking}")
    page.get_by_role("button", name="Mirror").click()
    page.get_by_role("button", name="Both sides in this sieve").click()
    side = page.get_by_role("combobox", name="Side", exact=True)
    expect(side).to_have_value("long short")
    expect(page.get_by_role("combobox", name="Side of condition 1")).to_have_value("both")
    expect(page.get_by_role("combobox", name="Side of condition 2")).to_have_value("long")
    expect(page.get_by_role("textbox", name="Condition 3", exact=True)).to_have_text(
        "close < prev(lowest(low, 24)) by 0.3%"
    )
    expect(page.get_by_role("combobox", name="Side of condition 3")).to_have_value("short")
    expect(page.locator(".leaf", has_text="▲ long").first).to_be_visible()
    expect(page.locator(".leaf", has_text="▼ short").first).to_be_visible()
    side.select_option("long")
    expect(
        page.get_by_text("short only, and the sieve looks for long setups").first
    ).to_be_visible()
    expect(page.get_by_role("combobox", name="Side of condition 2")).to_have_count(0)
    side.select_option("long short")
    page.get_by_role("combobox", name="Side of condition 2").select_option("▲ long")
    page.get_by_role("spinbutton", name="Bars", exact=True).fill("40")
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    for name in ("Funnel, long", "Funnel, short"):
        expect(page.get_by_role("list", name=name)).to_be_visible()
    page.get_by_role("textbox", name="Filter hits").fill("short")
    rows = page.locator("tbody tr[aria-rowindex]")
    expect(rows.first.get_by_label("short", exact=True)).to_be_visible()
    expect(page.locator("tbody").get_by_label("long", exact=True)).to_have_count(0)
    rows.first.dblclick()
    expect(page.get_by_text("▼ short · 1d bars")).to_be_visible()


def test_help_stands_at_the_word_and_functions_are_found_by_the_palette(
    page: Page, waking: int
) -> None:
    page.goto(f"/sieves/{waking}")
    first = page.get_by_role("textbox", name="Condition 1")
    first.click()
    page.keyboard.press("Control+Home")
    page.keyboard.press("F1")
    told = page.locator(".cm-tooltip.help")
    expect(told).to_contain_text("Where x stands among its own last n values")
    expect(told).to_contain_text("Beware:")
    expect(told.locator("svg.picture")).to_be_visible()
    page.keyboard.press("Escape")
    expect(told).to_have_count(0)
    page.get_by_role("textbox", name="Name of the sieve").press("Escape")
    page.locator(".leaves .sentence").click()
    page.keyboard.press("g")
    page.keyboard.type("supertrend")
    entry = page.get_by_role("option", name=re.compile("function supertrend"))
    expect(entry).to_be_visible()
    entry.click()
    expect(page).to_have_url(re.compile("/functions.find=supertrend"))
    expect(page.locator("article#supertrend")).to_be_visible()
    page.get_by_label("Find a function").fill("in last")
    words = page.get_by_role("article").filter(has_text="in last … bars")
    expect(words).to_contain_text("Beware:")
    page.keyboard.press("Escape")
    page.locator("h2").first.click()
    page.keyboard.press("}")
    expect(page).to_have_url(re.compile("/runs"))
    page.keyboard.press("{")
    expect(page).to_have_url(re.compile("/sieves"))


def test_a_ready_sieve_is_looked_at_kept_given_away_and_taken_in_again(
    page: Page, tmp_path: Path
) -> None:
    page.goto("/sieves")
    page.get_by_text("Ready sieves, one for each way of working").click()
    page.get_by_role("button", name=re.compile("Look at it.*Pullback within a rise")).click()
    expect(page).to_have_url(re.compile("/sieves/new"))
    name = page.get_by_role("textbox", name="Name of the sieve")
    expect(name).to_have_value("Pullback within a rise")
    expect(page.locator(".leaves .sentence b")).to_be_visible()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("version 1", exact=True)).to_be_visible()
    page.goto("/sieves")
    row = page.locator("tbody tr", has_text="Pullback within a rise")
    with page.expect_download() as given:
        row.get_by_role("button", name="File").click()
    document = json.loads(Path(given.value.path()).read_text("utf-8"))
    assert document["format"].endswith("/4")
    strange = tmp_path / "strange.json"
    strange.write_text(
        json.dumps(document | {"name": "Strange", "universe": "All the tea"}), "utf-8"
    )
    page.locator("input[type=file]").set_input_files(strange)
    offered = page.get_by_role("article").filter(has_text="Strange")
    expect(offered).to_contain_text("Not here: there is no universe called All the tea")
    offered.get_by_role("button", name="Look at it").click()
    expect(name).to_have_value("Strange")
    broken = tmp_path / "broken.json"
    broken.write_text("{", "utf-8")
    page.goto("/sieves")
    page.locator("input[type=file]").set_input_files(broken)
    expect(page.get_by_role("alert")).to_contain_text("Not read")
    row.get_by_role("button", name="Archive", exact=True).click()
    expect(row).to_have_count(0)


def test_relations_words_over_time_and_figures_have_help_where_they_stand(
    page: Page, waking: int
) -> None:
    page.goto(f"/sieves/{waking}")
    card = page.get_by_role("tooltip")
    for name, told in (
        ("alone", "on its own"),
        ("so far", "above it"),
        ("without it", "not there"),
    ):
        page.locator(f"[data-help='{name}']").first.click()
        expect(card).to_contain_text(told)
        expect(card).to_contain_text("Beware:")
    page.keyboard.press("Escape")
    expect(card).to_have_count(0)
    page.get_by_role("button", name="Condition 2 as parts").click()
    relation = page.get_by_role("combobox", name="Relation of condition 2")
    relation.focus()
    page.keyboard.press("F1")
    expect(card).to_contain_text("Read:")
    expect(card.get_by_role("img")).to_be_visible()
    relation.select_option("within")
    expect(card).to_have_count(0)
    page.keyboard.press("F1")
    expect(card).to_contain_text("within … of")
    over = page.get_by_role("combobox", name="Over time of condition 2")
    over.select_option("in last")
    over.hover()
    expect(card).to_contain_text("in last … bars")
    page.mouse.move(5, 5)
    expect(card).to_have_count(0)
