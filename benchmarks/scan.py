"""Ten conditions over many instruments: the engine against a dataframe loop, in one run.

    .venv/bin/python benchmarks/scan.py [--instruments 5000] [--bars 1000] [--rival 200]

The rival works on the first ``--rival`` instruments only and its time is scaled up; values of both
are compared on those. Times are the best of three; quote the ratios, machines differ.
"""

from __future__ import annotations

import argparse
import time
import tracemalloc
from collections.abc import Callable

import numpy as np
import pandas as pd
from rivals import TEN, ten

from zealous_sieve.core.engine.incremental import IncrementalEvaluation
from zealous_sieve.core.engine.local import evaluate
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
    going_on = IncrementalEvaluation(terms, panel.ending(panel.ends - NEW_BARS))
    found = []
    for back in range(NEW_BARS, 0, -1):
        bars = {field: panel.columns[field][panel.ends - back] for field in going_on.fields}
        start = time.perf_counter()
        told = going_on.advance(bars)
        found.append(time.perf_counter() - start)
    whole = evaluate(terms, panel, last=1)
    for name, column in told.items():
        np.testing.assert_array_equal(column, whole[name][:, 0])
    return min(found), going_on.bytes


def engine_seconds(panel: Panel, terms: dict[str, Term]) -> float | None:
    """Seconds of a dataframe engine for the same; ``None`` where there is none. Compares the last bars."""
    try:
        import engine_rival
    except ImportError:
        return None
    table = engine_rival.frame(panel)
    seconds = best(lambda: engine_rival.nine(table))
    theirs = engine_rival.nine(table)
    ours = evaluate(terms, panel, last=1)
    for name in theirs.columns[1:]:
        mine = ours[name][:, 0]
        np.testing.assert_allclose(
            mine, theirs[name].cast(float).to_numpy()[panel.ends - 1], rtol=1e-6, atol=1e-9
        )
    return seconds


def most_memory(work: Callable[[], object]) -> int:
    """The most memory that some work took beside what was there, in bytes."""
    tracemalloc.start()
    work()
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return peak


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

    engine = engine_seconds(panel, terms)

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
    once = best(lambda: [column.sum() for column in panel.columns.values()])
    print(f"  reading the bars once {once:.3f} s: full history {full / once:.0f}, "
          f"last bar {last / once:.0f} times that")  # fmt: skip
    print(f"  full history   {full:8.3f} s")
    print(f"  last bar only  {last:8.3f} s   {full / last:6.1f} times faster than the full history")
    print(f"  one new bar    {one:8.3f} s   going on from {state / 1e6:.0f} MB of kept state")
    held = sum(column.nbytes for column in panel.columns.values())
    print(f"  memory: bars and results {1 + most_memory(lambda: evaluate(terms, panel)) / held:.2f}, "
          f"last bar only {1 + most_memory(lambda: evaluate(terms, panel, last=1)) / held:.2f} "
          "times the bars")  # fmt: skip
    if engine is None:
        print("  dataframe engine: pip install -r benchmarks/requirements.txt to compare with one")
    else:
        times = f"{engine / full:6.1f} times slower, though without the trend line"
        print(f"  dataframe engine {engine:6.3f} s   {times}")
    print(f"  dataframe loop {slow:8.3f} s   {slow / full:6.1f} times slower than ours")


if __name__ == "__main__":
    main()
