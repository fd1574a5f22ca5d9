"""Daily bars of many instruments through a running application: a file each, against the same rows in one.

    .venv/bin/python benchmarks/many_files.py http://127.0.0.1:8437

Both are brought in, read and taken, one after the other, and taken back, so that nothing is left behind;
the instruments are put away.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from zealous_sieve.client import Client

AT_WORK = ("reading", "taking", "going")


def rows(seed: int, bars: int) -> list[str]:
    """A random walk, a line a day."""
    rng = np.random.default_rng(seed)
    close = (100 * np.exp(np.cumsum(rng.normal(0, 0.01, bars)))).round(2)
    days = np.datetime64("2010-01-01") + np.arange(bars)
    return [f"{d},{c},{c + 1:.2f},{c - 1:.2f},{c},1000" for d, c in zip(days, close, strict=True)]


def timed(client: Client, bring: Callable[[], Any]) -> tuple[float, int]:
    """Seconds until it is taken, and the number of the import."""
    begun = time.perf_counter()
    own = bring()
    number = int(own["imports"][0]["id"] if "imports" in own else own["id"])
    wait(client, number)
    client.ask("POST", f"/imports/{number}/take")
    wait(client, number)
    return time.perf_counter() - begun, number


def wait(client: Client, number: int) -> None:
    while client.ask("GET", f"/imports/{number}")["own"]["state"] in AT_WORK:
        time.sleep(0.05)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("base")
    parser.add_argument("--files", type=int, default=300)
    parser.add_argument("--bars", type=int, default=1000)
    options = parser.parse_args()
    client = Client(options.base)
    head = "date,open,high,low,close,volume"
    with tempfile.TemporaryDirectory() as place:
        folder, files = Path(place), []
        one = folder / "all.csv"
        with one.open("w") as whole:
            whole.write(f"code,{head}\n")
            for n in range(options.files):
                lines = rows(n, options.bars)
                whole.writelines(f"BEONE{n:04d},{line}\n" for line in lines)
                files.append(folder / f"BEMNY{n:04d}.csv")
                files[-1].write_text("\n".join([head, *lines]) + "\n")
        alone, first = timed(client, lambda: client.bring(one))
        many, second = timed(client, lambda: client.bring_many(files))
        for number in (second, first):
            client.ask("POST", f"/imports/{number}/back")
            wait(client, number)
            client.ask("DELETE", f"/imports/{number}")
    count = options.files * options.bars
    print(f"{count:,} bars in one file {alone:.2f} s, in {options.files} files {many:.2f} s")
    print(f"ratio {many / alone:.2f}")


if __name__ == "__main__":
    main()
