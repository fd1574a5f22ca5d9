"""Data of one's own: from a file of foreign shape to a chart, mended, sifted."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.hands import write

DAYS = [f"{day:02d}.{month:02d}.2026" for month in (3, 4, 5) for day in range(2, 28)]


def foreign(folder: Path, code: str) -> Path:
    """Semicolons, decimal commas, local times, and two rows that can't be taken."""
    path = folder / f"{code.lower()}.csv"
    rows = ["Aus dem Kontor", "Papier;Tag;Zeit;Anfang;Hoch;Tief;Ende;Menge"]
    for n, day in enumerate(DAYS):
        close = 1200 + n % 7
        for clock in ("09:00", "09:15", "09:30"):
            prices = f"1.{close - 1000},50;1.{close - 997};1.{close - 1004};1.{close - 1000},75"
            rows.append(f"{code};{day};{clock};{prices};{n + 10}")
    rows += [
        f"{code};31.02.2026;09:00;1;1;1;1;1",
        f"{code};28.05.2026;09:00;1.200;1.210;1.190;kaputt;1",
    ]
    path.write_text("\n".join(rows), "cp1252")
    return path


def bring(page: Page, path: Path) -> None:
    page.goto("/imports")
    page.get_by_label("Files to import").set_input_files(path)
    expect(page).to_have_url(re.compile(r"/imports/\d+$"))


def test_a_file_of_foreign_shape_is_read_corrected_and_taken(page: Page, tmp_path: Path) -> None:
    bring(page, foreign(tmp_path, "OSTKON"))
    account = page.locator(".account")
    expect(account).to_contain_text("236 rows of 1 instrument")
    expect(account).to_contain_text("234 new, 0 changed, 0 the same, 2 refused")
    expect(page.get_by_label("Separator")).to_have_value(";")
    expect(page.get_by_label("Decimal sign")).to_have_value(",")
    expect(page.get_by_label("Dates")).to_have_value("day month year")
    expect(page.get_by_label("What Hoch is")).to_have_value("high")
    expect(account).to_contain_text("31.02.2026")
    expect(account).to_contain_text("this is not a number")
    expect(account.get_by_role("link", name="save all of them")).to_be_visible()

    page.get_by_label("Time zone").fill("Atlantic/Madera")
    page.get_by_label("Time zone").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Atlantic/Madeira")
    page.get_by_label("Time zone").fill("Asia/Kolkata")
    page.get_by_label("Time zone").press("Enter")
    expect(account).to_contain_text("03:30 UTC")
    page.get_by_label("What Menge is").select_option("")
    expect(account).to_contain_text("234 new")
    page.get_by_label("What Tief is").select_option("volume")
    expect(page.get_by_role("alert")).to_contain_text("of open, high and low only open and high")
    page.get_by_label("What Tief is").select_option("low")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.get_by_label("What Menge is").select_option("volume")
    page.get_by_role("button", name="Import 234 bars of 15m").click()
    expect(account).to_contain_text("The data check")
    page.get_by_role("link", name="See OSTKON on its chart").click()
    expect(page.get_by_role("img", name=re.compile("^OSTKON, 234 bars of 15m"))).to_be_visible()
    bring(page, foreign(tmp_path, "OSTKON"))
    expect(page.locator(".doubts")).to_contain_text("read as ostkon.csv was")
    expect(page.locator(".account")).to_contain_text("0 new, 0 changed, 234 the same")
    expect(page.get_by_role("button", name="Import 0 bars")).to_be_disabled()


def test_from_a_file_over_a_mended_bar_to_a_sifted_universe_of_a_rule(
    page: Page, tmp_path: Path
) -> None:
    path = foreign(tmp_path, "SUDKON")
    path.write_text(
        path.read_text("cp1252").replace("1.206;1.199;1.203,75", "1.906;1.199;1.203,75", 1),
        "cp1252",
    )
    bring(page, path)
    page.get_by_role("button", name="Import 234 bars of 15m").click()
    page.get_by_role("link", name="See SUDKON on its chart").click()
    known = page.get_by_label("What is known")
    expect(known).to_contain_text("bad print the bar reaches from 1,199.00 to 1,906.00")
    known.get_by_role("button", name="correct", exact=True).click()
    known.get_by_label("high").fill("1.20")
    known.get_by_role("button", name="Correct", exact=True).click()
    expect(known.get_by_role("alert")).to_contain_text("the high can't be 1.2")
    known.get_by_label("high").fill("1206")
    known.get_by_label("Reason").fill("a slip of the pen")
    known.get_by_role("button", name="Correct", exact=True).click()
    expect(known).to_contain_text("corrected to high 1,206 (a slip of the pen)")
    expect(known).to_contain_text("sound")
    known.get_by_role("button", name=re.compile("^Take back: SUDKON")).click()
    expect(known).to_contain_text("bad print")
    page.get_by_role("button", name="Undo").click()
    expect(known).to_contain_text("sound")

    page.goto("/instruments")
    expect(page.get_by_role("link", name="SUDKON")).to_be_visible()
    page.keyboard.press("u")
    page.get_by_label("Name of the universe").fill("Kontore")
    page.get_by_label("Made of").select_option("these codes")
    page.get_by_label("Codes", exact=True).fill("SUDKON, NOBODY\nTPSNHV")
    write(page, "Formula of the universe", "close > 1000")
    form = page.get_by_role("form", name="Universe")
    expect(form).to_contain_text("1 instrument")
    expect(form).to_contain_text("1 code not known, kept until they are: NOBODY")
    form.get_by_role("button", name="Keep the universe").click()
    expect(page.locator("main .sentence").first).to_contain_text("1 instruments in Kontore")

    page.goto("/sieves/new")
    page.get_by_role("textbox", name="Name of the sieve").fill("Kontor rises")
    write(page, "Condition 1", "close > lowest(low, 20)")
    page.get_by_role("combobox", name="Universe").select_option("Kontore")
    page.get_by_role("combobox", name="Timeframe").fill("15m")
    expect(page.locator(".leaves .sentence")).to_contain_text("of 1 pass now")
    page.keyboard.press("Control+Enter")
    expect(page).to_have_url(re.compile(r"/runs/\d+$"))
    expect(page.locator("main .sentence").first).to_contain_text("of 1 in Kontore")
    page.get_by_text("1 correction of bars in force").click()
    expect(page.locator("main .sentence").first).to_contain_text("corrected to high 1,206")


def test_of_thousands_of_columns_some_are_shown_and_any_can_be_found(
    page: Page, tmp_path: Path
) -> None:
    names = [f"beside{n}" for n in range(9_000)]
    names[8_500] = "unheard"
    rows = [",".join(["WIDEROW", f"2026-01-{day:02d}", *(["7"] * 9_000)]) for day in range(5, 15)]
    path = tmp_path / "wide.csv"
    path.write_text("\n".join([",".join(["code", "date", *names]), *rows]))
    bring(page, path)
    expect(page.get_by_text("40 of 9,002 columns are shown")).to_be_visible()
    expect(page.locator(".rows th")).to_have_count(40)
    page.get_by_label("Columns whose name holds").fill("unheard")
    page.get_by_label("What unheard is").select_option("close")
    expect(page.locator(".account")).to_contain_text("10 new")
    page.get_by_label("Columns whose name holds").fill("beside77")
    expect(page.get_by_label("What unheard is")).to_have_value("close")


def test_what_is_no_table_is_told_where_it_was_dropped(page: Page, tmp_path: Path) -> None:
    picture = tmp_path / "picture.csv"
    picture.write_bytes(b"\x89PNG\0\0\0" * 30)
    page.goto("/imports")
    page.get_by_label("Files to import").set_input_files(picture)
    told = page.get_by_role("alert")
    expect(told).to_contain_text("picture.csv is not imported: the file is no table of text")
    told.get_by_role("button", name="dismiss").click()
    expect(told).to_have_count(0)


def test_settings_are_kept_and_a_backup_leaves_and_comes_back(page: Page, tmp_path: Path) -> None:
    page.goto("/settings")
    zone = page.get_by_label("Time zone")
    zone.fill("Asia/Kolkatta")
    zone.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Did you mean Asia/Kolkata")
    zone.fill("Asia/Kolkata")
    zone.press("Enter")
    expect(page.locator(".sentence").first).to_contain_text("19:50 GMT+5:30")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.reload()
    expect(zone).to_have_value("Asia/Kolkata")
    expect(page.locator(".moment .told")).to_contain_text("19:50 GMT+5:30")
    with page.expect_download() as coming:
        page.get_by_role("link", name="Keep a backup").click()
    file = tmp_path / "backup.zip"
    coming.value.save_as(file)
    zone.fill("UTC")
    zone.press("Enter")
    expect(page.locator(".sentence").first).to_contain_text("14:20 UTC")
    page.get_by_label("Backup to restore").set_input_files(file)
    page.get_by_role("alertdialog").get_by_role("button", name="Replace it").click()
    expect(zone).to_have_value("Asia/Kolkata")
    page.get_by_label("Backup to restore").set_input_files(foreign(tmp_path, "NOZIP"))
    page.get_by_role("alertdialog").get_by_role("button", name="Replace it").click()
    expect(page.get_by_role("alert")).to_contain_text("no file of backup")
    page.get_by_role("alertdialog").get_by_role("button", name="Cancel").click()
    zone.fill("UTC")
    zone.press("Enter")
    expect(page.locator(".sentence").first).to_contain_text("14:20 UTC")


def test_a_list_leaves_as_it_is_seen(page: Page, tmp_path: Path) -> None:
    page.goto("/instruments?universe=Kelp")
    page.get_by_label("Find", exact=True).fill("quay")
    rows = page.locator("tbody tr")
    expect(rows.first).to_be_visible()
    expect(page.locator("tbody tr", has_text="KP").first).to_contain_text("quay")
    shown = [row.split("\t")[1] for row in rows.all_inner_texts()]
    with page.expect_download() as coming:
        page.get_by_role("button", name="CSV of Kelp").click()
    file = tmp_path / "kelp.csv"
    coming.value.save_as(file)
    assert [line.split(",")[0] for line in file.read_text().splitlines()[1:]] == shown
