"""Four desks at work at once on a running application: 40 requests a second, as its own pages ask them.

    .venv/bin/python benchmarks/desks.py http://127.0.0.1:8437 [--rate 40] [--seconds 30] [--pause 2.5]

A browser visits the pages once and what they ask is written down; then four desks ask the same, each its
pages in an order of its own, on a clock that does not wait for replies. Every chart is of another
instrument, and every other sieve, formula and line has a number that nobody asked before, as where somebody
looks through hits and types. Told are the seconds until a reply is whole, by what it is for. Run it on the
demo, by itself.
"""

from __future__ import annotations

import argparse
import json
import random
import re
import statistics
import time
import urllib.error
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlsplit

from in_browser import opened
from playwright.sync_api import Page

from zealous_sieve.client import Client

DESKS = 4
SLOWEST = 0.95


@dataclass(frozen=True)
class Asked:
    """What a page asked: ``kind`` is what it is for."""

    kind: str
    method: str
    path: str
    body: Any = None


def kind_of(path: str) -> str:
    for part, kind in (
        ("/arrangements", "lists"), ("/chart", "chart"), ("/hits", "hits"), ("/preview", "preview"),
        ("/suggestions", "preview"), ("/formula", "typing"), ("/completions", "typing"), ("/rows",
        "typing"), ("/board", "board"), ("/overview", "overview"), ("/scatter", "scatter"), ("/strength",
        "strength"), ("/outlook", "outlooks"), ("/speeds", "chart"), ("/why", "preview"),
    ):  # fmt: skip
        if part in path:
            return kind
    return "lists"


def visits(codes: Sequence[str], run: int, sieve: int) -> dict[str, tuple[int, Sequence[str]]]:
    """Addresses by what one does there, with how often it is done."""
    return {
        "charts": (8, [f"/instruments/{code}" for code in codes]),
        "hits": (8, [f"/runs/{run}", *(f"/runs/{run}/{code}" for code in codes)]),
        "sieve": (4, [f"/sieves/{sieve}"]),
        "board": (2, ["/board"]),
        "overview": (2, ["/overview"]),
        "lists": (3, ["/instruments", "/runs", "/sieves", "/formulas"]),
        "scatter": (1, ["/scatter"]),
        "strength": (1, ["/strength"]),
    }


HEARD = """
  window.heard = []
  const plain = window.fetch
  window.fetch = async (...given) => {
    const request = new Request(...given)
    const body = request.method === 'GET' ? '' : await request.clone().text()
    window.heard.push([request.method, request.url, body])
    return plain(request)
  }
"""
GO = "path => document.querySelector('#app').__vue_app__.config.globalProperties.$router.push(path)"


def recorded(page: Page, paths: Sequence[str], pause: float) -> list[list[Asked]]:
    """What each of some pages asks when one goes there within the application."""
    pages = []
    for path in paths:
        page.evaluate("window.heard.length = 0")
        page.evaluate(GO, path)
        page.wait_for_timeout(1000 * pause)
        found = []
        for method, url, text in page.evaluate("window.heard"):
            parts = urlsplit(url)
            own = parts.path.removeprefix("/api") + (f"?{parts.query}" if parts.query else "")
            if parts.path.startswith("/api/") and not parts.path.endswith("/session"):
                found.append(Asked(kind_of(own), method, own, json.loads(text) if text else None))
        pages.append(found)
    return pages


def varied(one: Asked, codes: Sequence[str], rng: random.Random) -> Asked:
    """The same of another instrument, or with another number."""
    path = re.sub(r"^/instruments/[^/?]+", f"/instruments/{rng.choice(codes)}", one.path)
    if one.kind not in ("preview", "typing") or rng.random() < 0.5:
        return replace(one, path=path)
    text = re.sub(r"(?<=, )[1-9]\d(?=\))", lambda _: str(rng.randint(10, 99)), json.dumps(one.body))
    return replace(one, path=path, body=json.loads(text))


Visited = Sequence[tuple[int, list[list[Asked]]]]


def schedule(pages: Visited, codes: Sequence[str], seed: int) -> Iterator[Asked]:
    """What one desk asks, without end."""
    rng = random.Random(seed)
    weights = [weight for weight, _ in pages]
    while True:
        ((_, own),) = rng.choices(pages, weights)
        for one in rng.choice(own):
            yield varied(one, codes, rng)


def drive(
    ask: Callable[[Asked], float], work: Sequence[Iterator[Asked]], rate: float, seconds: float
) -> tuple[dict[str, list[float]], int]:
    """Ask at a rate, whatever is still under way; seconds by kind, and how many failed."""
    took: dict[str, list[float]] = defaultdict(list)
    failed = 0
    with ThreadPoolExecutor(200) as pool:
        start, waiting = time.perf_counter(), []
        for n in range(int(rate * seconds)):
            time.sleep(max(0.0, start + n / rate - time.perf_counter()))
            one = next(work[n % len(work)])
            waiting.append((one.kind, pool.submit(ask, one)))
        for kind, future in waiting:
            try:
                took[kind].append(future.result())
            except (OSError, urllib.error.HTTPError) as error:
                failed += 1
                print(kind, error, error.read()[:300] if hasattr(error, "read") else "")
    return took, failed


def run_with_hits(client: Client) -> Any:
    """A run that found something; sieves are run where there is none."""
    for stored in (None, *client.ask("GET", "/sieves")):
        if stored:
            number = client.ask("POST", "/runs", {"sieve_id": stored["id"]})["id"]
            while not client.ask("GET", f"/runs/{number}")["run"]["finished_at"]:
                time.sleep(0.2)
        for run in client.ask("GET", "/runs"):
            if run["state"] == "done" and run["hit_count"]:
                return run
    raise SystemExit("no sieve has a hit")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("address")
    parser.add_argument("--rate", type=float, default=40)
    parser.add_argument("--seconds", type=float, default=30)
    parser.add_argument("--pause", type=float, default=2.5, help="seconds that a page is looked at")
    own = parser.parse_args()
    client = Client(own.address)
    run = run_with_hits(client)
    hits = client.ask("GET", f"/runs/{run['id']}/hits?count=10")["hits"]
    codes = [hit["code"] for hit in hits]
    with opened(own.address) as page:
        page.add_init_script(HEARD)
        page.reload()
        page.wait_for_timeout(2500)
        there = visits(codes, run["id"], run["sieve_id"]).values()
        pages = [(weight, recorded(page, paths, own.pause)) for weight, paths in there]
    everything = [one for _, some in pages for each in some for one in each]
    print(len(everything), "requests of pages:", dict(Counter(one.kind for one in everything)))

    def ask(one: Asked) -> float:
        begun = time.perf_counter()
        client.ask(one.method, one.path, one.body, timeout=120)
        return time.perf_counter() - begun

    alone: dict[str, list[float]] = defaultdict(list)
    for one in everything:
        alone[one.kind].append(ask(one))
    listed = next(one.path for one in everything if one.path.startswith("/instruments?"))
    every = [own["code"] for own in client.ask("GET", listed)]
    work = [schedule(pages, every, seed) for seed in range(DESKS)]
    took, failed = drive(ask, work, own.rate, own.seconds)
    print(f"{own.rate:.0f} a second for {own.seconds:.0f} s: {failed} failed")
    print("what            requests   alone   median   slowest twentieth")
    for kind in sorted(took, key=lambda kind: -len(took[kind])):
        seconds = sorted(took[kind])
        slow = seconds[int(SLOWEST * (len(seconds) - 1))]
        told = statistics.median(alone[kind]), statistics.median(seconds), slow
        print(f"{kind:15} {len(seconds):8} {told[0]:7.3f} {told[1]:8.3f} {told[2]:8.3f}")


if __name__ == "__main__":
    main()
