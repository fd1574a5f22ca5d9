"""Take the pictures in docs/screenshots from a running application with the demo data.

    ./start                                   in one terminal
    .venv/bin/python scripts/screenshots.py   in another

Runs the demo's sieves once if they have not been run. Needs Chromium.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from playwright.sync_api import Page, sync_playwright

from zealous_sieve.admission import address_to_open
from zealous_sieve.client import Client
from zealous_sieve.environment import data_folder

ROOT = Path(__file__).resolve().parents[1]
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def let_in(base: str) -> str:
    """An address that lets a browser in to the desk of this folder."""
    return address_to_open(data_folder(), urlsplit(base).port or 80)


def call(client: Client, path: str, body: object = None) -> Any:
    return client.ask("GET" if body is None else "POST", path, body)


BRICKS = {
    "name": "Bricks in a row",
    "universe": "Currencies",
    "timeframes": ["brick(20, 40)"],
    "fired_within": 5,
    "conditions": [
        {"role": "must", "formula": "close > prev(close) for 4 bars"},
        {"role": "must", "formula": "close > ema(close, 20)"},
        {"role": "boost", "formula": "close > sma(close, 20) on 1d"},
    ],
    "rank": "close / ema(close, 20)",
}


def brought(base: Client) -> int:
    """A file of foreign shape that is read and waits to be taken."""
    rows = ["Harbour office, copied by hand", "Paper;Day;Clock;First;Top;Bottom;Last;Pieces"]
    for day in range(2, 28):
        for quarter in range(12):
            close = 1200 + (day * 7 + quarter * 3) % 23
            at = f"{day:02d}.03.2026;{9 + quarter // 4:02d}:{quarter % 4 * 15:02d}"
            prices = (
                f"1.{close - 1002},50;1.{close - 997},00;1.{close - 1006},25;1.{close - 1000},75"
            )
            rows.append(f"QUAYRO;{at};{prices};{100 + quarter}")
    rows.append("QUAYRO;31.02.2026;09:00;1.200;1.210;1.190;1.205;7")
    rows.append("QUAYRO;28.03.2026;09:00;1.200;1.210;1.190;smudged;7")
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "harbour office.csv"
        file.write_text("\n".join(rows), "utf-8")
        number: int = base.bring(file)["id"]
    while call(base, f"/imports/{number}")["own"]["state"] == "reading":
        time.sleep(0.1)
    return number


def compose_universe(page: Page) -> None:
    """A universe in the making: what is left of one without others, by a formula, with its floors."""
    page.get_by_role("link", name="TPSNHV").wait_for()
    page.keyboard.press("u")
    page.get_by_label("Name of the universe").fill("Rising, without kelp")
    page.get_by_label("Made of").select_option("without")
    for part in ("All shares", "Kelp"):
        page.get_by_label("Add a universe").select_option(part)
    page.get_by_label("Least turnover").fill("1m")
    page.get_by_label("Data").select_option("not doubted by the data check")
    page.get_by_role("textbox", name="Formula of the universe").click()
    page.keyboard.insert_text('close > sma(close, 80) and rank(roc(close, 60), by="sector") > 50')
    page.get_by_text("trade for less").wait_for()


def measure(page: Page) -> None:
    """Beside the index and the gauge, from a low of the chart to its newest bar."""
    page.locator(".canvas canvas").first.wait_for()
    for code in ("LANT40", "GLIMMR"):
        page.keyboard.press("c")
        page.keyboard.type(code)
        page.keyboard.press("Enter")
        page.get_by_role("button", name=f'Remove close of "{code}"').wait_for()
    for _ in range(2):
        page.keyboard.press("k")
    page.wait_for_timeout(800)
    box = page.locator(".canvas").bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + 300, box["y"] + 260)
    page.mouse.move(box["x"] + 560, box["y"] + 110)


def shape(page: Page) -> None:
    """One condition looked at closely, another as parts, and why an instrument is not there."""
    page.get_by_role("textbox", name="Condition 2").click()
    page.get_by_role("slider", name="Threshold of condition 2").wait_for()
    page.get_by_label("Code or name of an instrument").fill("TPYRNH")
    page.get_by_text("lacks 1").wait_for()


def workshop(page: Page) -> None:
    """How everything on the chart is drawn."""
    page.locator(".canvas canvas").first.wait_for()
    page.keyboard.press("d")
    page.get_by_label("How it is drawn").wait_for()
    page.wait_for_timeout(800)


DONE = {
    "universe": compose_universe,
    "compared": measure,
    "sieve": shape,
    "instrument": workshop,
}
"""What is done on a page before its picture is taken."""
TYPED = {"offers": "close above yesterday's high for 3 weeks"}
"""What is typed as the first condition before a picture is taken."""


def write_outlooks(base: Client) -> None:
    """Two outlooks, where there are none."""
    if call(base, "/outlooks")["outlooks"]:
        return
    for lean, code, note, formula, bars, horizon in (
        (
            1,
            "LANT40",
            "Breadth turned up with the ferries behind it.",
            "close > start by 0.5%",
            "15m",
            60,
        ),
        (-2, "GLIMMR", "Calm until the reports of next week.", "close < start by 4%", "1h", 30),
    ):
        reasons = [
            {"bars": "1d", "formula": "supertrend(12, 2.7).direction == 1"},
            {"bars": "1w", "formula": "close > sma(close, 45)"},
        ]
        settles = {"formula": formula, "bars": bars, "horizon": horizon, "when": "comes"}
        own = {"code": code, "lean": lean, "note": note, "reasons": reasons, "settles": settles}
        call(base, "/outlooks", own)


def finished_run(base: Client, name: str, body: dict | None = None) -> dict:
    """The newest finished run of the sieve of that name; it is made and run when there is none."""
    found = [s for s in call(base, "/sieves") if s["sieve"]["name"] == name]
    sieve = found[0] if found else call(base, "/sieves", {"sieve": body})
    done = [r for r in call(base, "/runs") if r["sieve_id"] == sieve["id"] and r["state"] == "done"]
    if done:
        return done[0]
    run = call(base, "/runs", {"sieve_id": sieve["id"]})
    while True:
        view = call(base, f"/runs/{run['id']}")
        if view["run"]["state"] == "done":
            return view["run"]
        if view["run"]["state"] not in ("queued", "running"):
            raise RuntimeError(f"the run of {name} has not ended well: {view['run']}")
        time.sleep(0.2)


def views(base: Client) -> dict[str, tuple[str, bool]]:
    """Name of each picture: its address, and whether at night."""
    finished_run(base, "Overstretched rise")
    waking = finished_run(base, "Waking range")
    agreed = finished_run(base, "Agreed uptrend")
    finished_run(base, BRICKS["name"], BRICKS)
    write_outlooks(base)
    return {
        "formulas": ("/formulas/1", False),
        "sieves": ("/sieves", False),
        "sieve": (f"/sieves/{waking['sieve_id']}", False),
        "evidence": (f"/sieves/{waking['sieve_id']}/evidence", False),
        "offers": ("/sieves/new", False),
        "functions": ("/functions", False),
        "run": (f"/runs/{agreed['id']}", False),
        "review": (f"/runs/{waking['id']}/hits", False),
        "review-night": (f"/runs/{agreed['id']}/review", True),
        "overview": ("/overview", False),
        "board": ("/board?asof=2026-06-09T14:20:00Z", False),
        "scatter": ("/scatter?as=Moved+and+busy", False),
        "strength": ("/strength?currency=KWE", True),
        "outlook": ("/outlook", False),
        "instruments": ("/instruments", False),
        "universe": ("/instruments", False),
        "import": (f"/imports/{brought(base)}", False),
        "compared": (
            "/instruments/TPSNHV?universe=All+shares",
            False,
        ),
        "instrument": (
            "/instruments/TPSNHV?universe=All+shares&as=States+that+agree",
            False,
        ),
    }


def take(page: Page, url: str, night: bool, file: Path) -> None:
    page.add_init_script(f"localStorage.setItem('night', '{'dark' if night else 'light'}')")
    page.goto(url)
    page.wait_for_load_state("networkidle")
    if file.stem in TYPED:
        page.get_by_role("textbox", name="Condition 1").fill(TYPED[file.stem])
        page.get_by_role("list", name="Did you mean").wait_for()
    if file.stem in DONE:
        DONE[file.stem](page)
    page.mouse.move(0, 0)
    file.write_bytes(settled(page))


def settled(page: Page) -> bytes:
    """The picture once nothing on it is being read, and it has stayed as it is."""
    page.wait_for_function("!/reading…|[Rr]eading the|Opening the/.test(document.body.innerText)")
    before = b""
    for _ in range(40):
        page.wait_for_timeout(700)
        now = page.screenshot()
        if now == before:
            return now
        before = now
    raise TimeoutError(f"{page.url} does not come to rest")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--base", default="http://127.0.0.1:8437")
    parser.add_argument("--out", type=Path, default=ROOT / "docs" / "screenshots")
    parser.add_argument("--only", nargs="*", help="names of single pictures")
    parser.add_argument("--size", default="1280x800")
    options = parser.parse_args()
    width, height = map(int, options.size.split("x"))
    options.out.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for name, (path, night) in views(Client(options.base)).items():
            if options.only and name not in options.only:
                continue
            page = browser.new_page(viewport={"width": width, "height": height})
            page.goto(let_in(options.base))
            page.on("console", lambda m: print(m.text) if m.type == "error" else None)
            page.on("pageerror", lambda error: print("page error:", error))
            take(page, options.base + path, night, options.out / f"{name}.png")
            page.close()
        browser.close()


if __name__ == "__main__":
    main()
