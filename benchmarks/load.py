"""The whole application with many instruments: from the request to the page, and what it holds in memory.

    .venv/bin/python benchmarks/load.py [--sizes 240x1000,5000x1000,20000x500]

Makes a database of each size, starts the processes as ./start does, and measures through the API and in a
browser, with a sieve that nearly all pass. Needs PostgreSQL and Chromium; run it by itself.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Page, sync_playwright
from scan import market

from zealous_sieve import bootstrap, environment
from zealous_sieve.admission import address_to_open
from zealous_sieve.client import Client
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind
from zealous_sieve.core.market.universes import Universe
from zealous_sieve.local.cluster import Cluster, cluster_in, free_port
from zealous_sieve.storage.revision import migrate

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync",
         "--disable-background-networking", "--disable-component-update"]  # fmt: skip
SIEVE = {
    "format": "zealous-sieve/sieve/2", "name": "Nearly all", "universe": "All", "timeframes": ["1d"],
    "conditions": [
        {"role": "must", "formula": "close > 0.7 * sma(close, 45)"},
        {"role": "must", "formula": "volume > 0"},
        {"role": "boost", "formula": "close > prev(highest(close, 20))"},
    ],
    "rank": "rel_volume(18)",
}  # fmt: skip


@dataclass
class Running:
    """The processes on one database."""

    address: str
    port: int = field(default_factory=free_port)
    folder: Path = field(default_factory=lambda: Path(tempfile.mkdtemp(prefix="load-")))
    processes: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.client = Client(f"http://127.0.0.1:{self.port}", folder=self.folder)

    def start(self) -> None:
        told = os.environ | {
            environment.ADDRESS: self.address,
            environment.COMPUTE: f"load-{self.port}",
            environment.DATA: str(self.folder),
        }
        for name, *arguments in (("compute",), ("serve", "--port", str(self.port)), ("worker",)):
            command = [sys.executable, "-m", "zealous_sieve.cli.main", name, *arguments]
            self.processes[name] = subprocess.Popen(command, env=told)

    def ask(self, method: str, path: str, body: object = None) -> Any:
        return self.client.ask(method, path, body, timeout=120)

    def memory(self, name: str) -> int:
        """Bytes that a process has, without files that it shares with others."""
        text = Path(f"/proc/{self.processes[name].pid}/smaps_rollup").read_text()
        lines = dict(line.split(":", 1) for line in text.splitlines()[1:])
        return int(lines["Anonymous"].split()[0]) * 1024

    def stop(self) -> None:
        for process in self.processes.values():
            process.terminate()
            process.wait(30)
        shutil.rmtree(self.folder, ignore_errors=True)


@contextmanager
def filled(cluster: Cluster, instruments: int, bars: int) -> Iterator[tuple[Running, Panel]]:
    """A running application on a market of that size."""
    address = cluster.make_database(f"load_{instruments}")
    migrate(address)
    panel = market(instruments, bars)
    outside = bootstrap.outside(address)
    listed = [
        Instrument(code=code, name=f"Name of {code}", kind=InstrumentKind.SHARE)
        for code in panel.codes
    ]
    outside.universes.add([Universe(name="All")])
    series = {}
    for n, code in enumerate(panel.codes):
        rows = panel.rows(n)
        columns = {name: column[rows] for name, column in panel.columns.items()}
        series[code] = (panel.times[rows], columns)
    outside.bars.write({Base.DAY: series}, listed)
    outside.market.set_setting("demo_now", str(int(panel.times[-1]) + 86_400))
    outside.bars.database.engine.dispose()  # type: ignore[attr-defined]
    running = Running(address)
    running.start()
    try:
        for _ in range(600):
            try:
                running.ask("GET", "/thread")
                break
            except OSError:
                time.sleep(0.2)
        yield running, panel
    finally:
        running.stop()


def median(work: Any, times: int) -> float:
    seconds = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - start)
    return statistics.median(seconds)


def clicked(page: Page, address: str) -> float:
    """Seconds from the press of Run on a sieve's page to the first row of hits."""
    page.goto(address)
    page.locator(".leaves .sentence b").wait_for()
    page.wait_for_timeout(500)
    page.evaluate(
        """() => {
          addEventListener('click', () => (window.pressed ??= performance.now()), true)
          const watch = new MutationObserver(() => {
            if (document.querySelector('tbody td.mono a')) window.there ??= performance.now()
          })
          watch.observe(document.body, { childList: true, subtree: true })
        }"""
    )
    page.get_by_role("button", name="Run").first.click()
    page.locator("tbody td.mono a").first.wait_for()
    return float(page.evaluate("window.there - window.pressed")) / 1000


def heap(page: Page) -> float:
    """Megabytes of the page once all hits have been in sight."""
    page.evaluate(
        """async () => {
          const box = document.querySelector('.scroll')
          for (let y = 0; y < box.scrollHeight; y += 900) {
            box.scrollTop = y
            await new Promise((done) => setTimeout(done, 15))
          }
        }"""
    )
    page.wait_for_timeout(1500)
    session = page.context.new_cdp_session(page)
    session.send("HeapProfiler.collectGarbage")
    metrics = session.send("Runtime.getHeapUsage")
    return float(metrics["usedSize"]) / 1e6


def measure(cluster: Cluster, instruments: int, bars: int) -> list[str]:
    with filled(cluster, instruments, bars) as (running, panel), sync_playwright() as playwright:
        body = {"sieve": SIEVE}
        first = running.ask("POST", "/preview", body)
        assert first["passing"] > 0.9 * instruments, first
        preview = median(lambda: running.ask("POST", "/preview", body), 7)
        stored = running.ask("POST", "/sieves", body)["id"]
        held = panel.times.nbytes + sum(column.nbytes for column in panel.columns.values())
        memory = running.memory("compute")
        empty = running.memory("serve")
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        page.goto(address_to_open(running.folder, running.port))
        address = f"http://127.0.0.1:{running.port}/sieves/{stored}"
        seconds = statistics.median(clicked(page, address) for _ in range(3))
        nodes = page.evaluate("document.querySelectorAll('*').length")
        used = heap(page)
        browser.close()
        after = running.memory("compute")
        return [
            f"{instruments:,} × {bars:,}",
            f"{preview:.2f} s",
            f"{seconds:.2f} s",
            f"{held / 1e6:.0f} MB",
            f"{memory / 1e6:.0f} → {after / 1e6:.0f} MB",
            f"{empty / 1e6:.0f} → {running.memory('serve') / 1e6:.0f} MB",
            f"{running.memory('worker') / 1e6:.0f} MB",
            f"{used:.0f} MB, {nodes} nodes",
        ]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sizes", default="240x1000,5000x1000,20000x500")
    sizes = [tuple(map(int, size.split("x"))) for size in parser.parse_args().sizes.split(",")]
    heads = ["size", "preview", "click → first hits", "bars", "computing", "web", "worker", "page"]
    print(" | ".join(heads))
    np.seterr(all="ignore")
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-load-", dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = cluster_in(Path(folder))
        cluster.start()
        try:
            for instruments, bars in sizes:
                print(" | ".join(measure(cluster, instruments, bars)), flush=True)
        finally:
            cluster.destroy()


if __name__ == "__main__":
    main()
