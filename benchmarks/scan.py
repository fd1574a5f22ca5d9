"""Ten conditions over many instruments: the engine against a dataframe loop, in one run.

    .venv/bin/python benchmarks/scan.py [--instruments 5000] [--bars 1000] [--rival 200]

The rival works on the first ``--rival`` instruments only and its time is scaled up; values of both
are compared on those. Times are the best of three; quote the ratios, machines differ.
"""

from __future__ import annotations

import argparse
import resource
import time
from collections.abc import Callable

import numpy as np
import pandas as pd
from rivals import TEN, ten

from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.follow import Follower
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.warm import warm_cache
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.terms import Term

NEW_BARS = 20


def market(instruments: int, bars: int) -> Panel:
    rng = np.random.default_rng(1)
    shape = (instruments, bars)
    close = 100 * np.exp(np.cumsum(rng.normal(0, 0.012, shape), axis=1))
    opening = close * np.exp(rng.normal(0, 0.004, shape))
    columns = {
        "open": opening,
        "high": np.maximum(opening, close) * np.exp(np.abs(rng.normal(0, 0.005, shape))),
        "low": np.minimum(opening, close) * np.exp(-np.abs(rng.normal(0, 0.005, shape))),
        "close": close,
        "volume": np.exp(rng.normal(11, 0.5, shape)),
    }
    ends = np.arange(1, instruments + 1, dtype=np.int64) * bars
    return Panel(
        codes=tuple(f"I{n}" for n in range(instruments)),
        times=np.tile(np.arange(bars, dtype=np.int64) * 86_400, instruments),
        columns={name: column.ravel() for name, column in columns.items()},
        starts=ends - bars,
        ends=ends,
    )


def best(work: Callable[[], object], times: int = 3) -> float:
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def new_bar(terms: dict[str, Term], panel: Panel) -> tuple[float, int]:
    """Seconds for one new bar of every instrument, and the bytes of the state."""
    follower = Follower(terms, panel.ending(panel.ends - NEW_BARS))
    found = []
    for back in range(NEW_BARS, 0, -1):
        bars = {field: panel.columns[field][panel.ends - back] for field in follower.fields}
        start = time.perf_counter()
        told = follower.advance(bars)
        found.append(time.perf_counter() - start)
    whole = evaluate(terms, panel, last=1)
    for name, column in told.items():
        np.testing.assert_array_equal(column, whole[name][:, 0])
    return min(found), follower.bytes


def most_memory() -> int:
    """The most memory that this process has held, in bytes."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--instruments", type=int, default=5000)
    parser.add_argument("--bars", type=int, default=1000)
    parser.add_argument("--rival", type=int, default=200)
    options = parser.parse_args()
    warm_cache()
    panel = market(options.instruments, options.bars)
    terms = {name: check(text).outputs["value"].term for name, text in TEN.items()}
    full = best(lambda: evaluate(terms, panel))
    last = best(lambda: evaluate(terms, panel, last=1))

    one, state = new_bar(terms, panel)

    few = panel.choose(panel.codes[: options.rival])
    frames = [
        pd.DataFrame({name: column[few.rows(n)] for name, column in few.columns.items()})
        for n in range(len(few))
    ]
    start = time.perf_counter()
    rival = [ten(frame) for frame in frames]
    slow = (time.perf_counter() - start) * options.instruments / options.rival

    ours = evaluate(terms, few)
    for n, theirs in enumerate(rival):
        for name, column in theirs.items():
            mine = ours[name][few.rows(n)]
            known = ~np.isnan(mine)
            np.testing.assert_allclose(
                mine[known], column.to_numpy(float)[known], rtol=1e-7, atol=1e-7
            )

    print(f"{options.instruments} instruments x {options.bars} bars, 11 results")
    print(f"  full history   {full:8.3f} s")
    print(f"  last bar only  {last:8.3f} s   {full / last:6.1f} times faster than the full history")
    print(f"  one new bar    {one:8.3f} s   going on from {state / 1e6:.0f} MB of kept state")
    held = sum(column.nbytes for column in panel.columns.values())
    print(f"  memory at most {most_memory() / held:8.1f} times the bars")
    print(f"  dataframe loop {slow:8.3f} s   {slow / full:6.1f} times slower than ours")


if __name__ == "__main__":
    main()
