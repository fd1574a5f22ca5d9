"""A sieve on four timeframes built from the minutes of the demo market, against a dataframe engine.

    .venv/bin/python benchmarks/timeframes.py [--rival 20]

Cold builds the bars and scans, warm scans again as after a changed threshold. The rival resamples the
first ``--rival`` instruments with a dataframe library and its time is scaled up; its bars are compared
with ours. Quote the ratios, machines differ.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable

import numpy as np
import pandas as pd

from zealous_sieve.core.demo.market import build
from zealous_sieve.core.engine.build import bars_of, seen_at
from zealous_sieve.core.engine.local import LOCAL, evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.session import Session
from zealous_sieve.core.engine.warm import warm_cache
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan

FRAMES = ("5m", "20m", "80m", "1d")
HOW = {"open": "first", "high": "max", "low": "min", "close": "last", "volume": "sum"}


def minutes() -> Panel:
    coast = build()
    panel = Panel.of(coast.bars[Base.MINUTE])
    codes = (instrument.code for instrument in coast.instruments)
    known = dict(zip(codes, coast.reference.background, strict=True))
    return panel.with_background([known[code] for code in panel.codes])


def sieve(level: float) -> Sieve:
    conditions = [f"close > ema(close, 5) on {frame}" for frame in FRAMES]
    conditions.append(f"rsi(14) < {level} on 20m")
    return Sieve(
        name="Four",
        universe="all",
        timeframes=("1m",),
        conditions=tuple(Condition(formula=text) for text in conditions),
    )


def spent(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def timed(panel: Panel, level: float) -> tuple[float, int]:
    start = time.perf_counter()
    found = scan(prepare(sieve(level)), panel, LOCAL)
    return time.perf_counter() - start, len(found.hits)


def resampled(panel: Panel, position: int, frame: str) -> pd.DataFrame:
    rows = panel.rows(position)
    table = pd.DataFrame({n: c[rows] for n, c in panel.columns.items()})
    table.index = pd.to_datetime(panel.times[rows], unit="s")
    session = panel.known(position).session
    assert session is not None
    span = frame.replace("m", "min") if frame.endswith("m") else "1D"
    parts = [
        day.resample(span, origin=_opens(session, day.index[0])).agg(HOW)
        for _, day in table.groupby(table.index.normalize())
    ]
    return pd.concat(parts).dropna()


def _opens(session: Session, moment: pd.Timestamp) -> pd.Timestamp:
    days = session.days(np.array([int(moment.timestamp())]))
    return pd.to_datetime(int(session.opens(days)[0]), unit="s")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rival", type=int, default=20)
    options = parser.parse_args()
    warm_cache()
    panel = minutes()
    scan(prepare(sieve(70)), panel.choose(panel.codes[:2]), LOCAL)
    cold, hits = timed(panel, 70)
    warm = min(timed(panel, level)[0] for level in (69, 68, 67))

    terms = {f: check(f"(sma(close, 3) on {f})").outputs["value"].term for f in ("1d", "80m")}
    last = int(panel.times.max()) + 60
    bars = seen_at(panel, last, timeframe("15m"))
    growing = seen_at(panel, last, timeframe("15m"), forming=True)
    closed = min(spent(lambda: evaluate(terms, bars)) for _ in range(3))
    developed = min(spent(lambda: evaluate(terms, growing)) for _ in range(3))
    newest = min(spent(lambda: evaluate(terms, growing, last=1)) for _ in range(3))

    start = time.perf_counter()
    theirs = {(n, f): resampled(panel, n, f) for n in range(options.rival) for f in FRAMES}
    slow = (time.perf_counter() - start) * len(panel) / options.rival
    for (n, frame), table in theirs.items():
        ours = bars_of(panel, timeframe(frame))
        for name in HOW:
            np.testing.assert_allclose(ours.columns[name][ours.rows(n)], table[name].to_numpy())

    print(f"{len(panel)} instruments, {panel.bars} minutes, {', '.join(FRAMES)}; {hits} hits")
    print(f"  cold                {cold:8.3f} s")
    print(f"  warm                {warm:8.3f} s")
    print(f"  two slower averages at {bars.bars} bars of 15 minutes: closed {closed:.3f} s,")
    print(f"    as they had developed {developed:.3f} s, of the newest bar only {newest:.3f} s")
    print(f"  dataframe resampling alone {slow:8.3f} s   {slow / cold:6.1f} times our cold scan")


if __name__ == "__main__":
    main()
