"""The scatter: look closer at a region, step through its points, mark some, play the session."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.hands import settled


def drag(page: Page, *corners: tuple[float, float]) -> None:
    """Over the plane, by shares of its size."""
    box = page.locator("canvas").first.bounding_box()
    assert box
    at = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in corners]
    page.mouse.move(*at[0])
    page.mouse.down()
    for x, y in at[1:]:
        page.mouse.move(x, y, steps=6)
    page.mouse.up()


def test_a_region_is_looked_at_closer_and_stepped_through(page: Page) -> None:
    page.goto("/scatter?as=Tight+and+strong")
    sight = page.get_by_role("status").filter(has_text="in sight")
    expect(sight).to_contain_text(re.compile(r"^\s*(2\d\d) of \1 in sight"))
    drag(page, (0.3, 0.3), (0.6, 0.6))
    expect(page).to_have_url(re.compile(r"in=[-\d.]+,"))
    expect(sight).not_to_contain_text(re.compile(r"(2\d\d) of \1"))
    count = int(sight.inner_text().split()[0])
    assert 3 < count < 200
    stepped: list[str] = []
    for _ in range(3):
        before = page.url
        page.keyboard.press("ArrowRight")
        page.wait_for_url(lambda url, before=before: url != before)
        stepped.append(re.search(r"code=(\w+)", page.url)[1])  # type: ignore[index]
    assert len(set(stepped)) == 3
    beside = page.get_by_label(f"Chart of {stepped[-1]}")
    expect(beside.get_by_role("heading")).to_contain_text(stepped[-1])
    told = page.get_by_role("status").filter(has_text=f"{stepped[-1]} ")
    expect(told).to_contain_text("tightness")
    page.keyboard.press(" ")
    page.keyboard.press("Escape")
    page.keyboard.down("Shift")
    drag(page, (0.3, 0.2), (0.9, 0.2), (0.9, 0.7), (0.3, 0.7), (0.3, 0.25))
    page.keyboard.up("Shift")
    expect(sight).to_contain_text(re.compile(r"[1-9]\d+ marked"))
    marked = int(re.search(r"(\d+) marked", sight.inner_text())[1])  # type: ignore[index]
    page.keyboard.press("u")
    page.get_by_label("Name of the universe").fill("Caught")
    page.keyboard.press("Enter")
    expect(page.get_by_text(f"Caught holds {marked} instruments now.")).to_be_visible()
    page.keyboard.press("b")
    expect(sight).to_contain_text(re.compile(r"^\s*(2\d\d) of \1"))
    page.get_by_label("Universe", exact=True).select_option("Caught")
    expect(sight).to_contain_text(f"of {marked} in sight")
    page.get_by_label("Scale across").select_option("rank")
    formula = page.get_by_label("Formula up")
    formula.fill("closs")
    formula.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("did you mean close")
    formula.press("Escape")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.get_by_role("button", name="as it was").click()
    expect(page.get_by_label("Scale across")).not_to_have_value("rank")


def test_the_session_is_played_and_the_desk_set_back_to_a_moment_of_it(page: Page) -> None:
    page.goto("/scatter")
    expect(
        page.get_by_text(re.compile(r"None of the 2\d\d instruments has a value of both"))
    ).to_be_visible()
    formula = page.get_by_label("Formula up")
    formula.fill("rsi(9)")
    formula.press("Enter")
    sight = page.get_by_role("status").filter(has_text="in sight")
    expect(sight).to_contain_text(re.compile(r"^\s*2\d\d of 2\d\d"))
    page.keyboard.press("p")
    slider = page.get_by_label("Moment of the session")
    expect(slider).to_have_attribute("aria-valuetext", re.compile("09:0[2-9]"))
    page.keyboard.press("p")
    slider.fill("200")
    expect(slider).to_have_attribute("aria-valuetext", re.compile("12:20|12:21"))
    at = slider.get_attribute("aria-valuetext") or ""
    page.locator(".plane").focus()
    page.keyboard.press(".")
    expect(slider).not_to_have_attribute("aria-valuetext", at)
    page.get_by_role("button", name="look from here").click()
    expect(page).to_have_url(re.compile("asof=2026-06-16T12"))
    expect(slider).to_have_count(0)


def test_points_are_coloured_by_any_number_and_a_wrong_axis_empties_no_plane(page: Page) -> None:
    page.goto("/scatter?as=Tight+and+strong")
    settled(page)
    page.get_by_label("Coloured by").select_option("measure")
    tint = page.get_by_label("Formula of the colour")
    tint.fill("rsi(9)")
    tint.press("Enter")
    colours = page.get_by_role("list", name="Colours").get_by_role("button")
    expect(colours).to_have_count(5)
    colours.last.click()
    plane = page.locator(".plane")
    plane.focus()
    page.keyboard.press("ArrowRight")
    expect(plane.get_by_role("status")).to_contain_text("over")

    def counts() -> tuple[int, int]:
        told = page.get_by_role("status").filter(has_text="in sight").inner_text().replace(",", "")
        parts = [int(n) for n in re.findall(r"(\d+) (?:of|beyond|not known|have no ratio)", told)]
        return sum(parts), int(re.findall(r"of (\d+)", told)[0])

    told, there = counts()
    assert told == there > 200
    bars = page.get_by_label("Bars up", exact=True)
    bars.fill("soon")
    bars.press("Enter")
    expect(page.get_by_role("alert").first).to_contain_text("soon")
    settled(page)
    assert counts() == (there, there)
    expect(plane).to_be_visible()
