"""Boards of the demo market: 28 crosses by eight studies on five timeframes, and 240 shares by 40 columns.

    .venv/bin/python benchmarks/board.py

The rival computes the same columns one after another, each for itself, as a script would.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime

from zealous_sieve.core.demo.calendar import NOW
from zealous_sieve.core.demo.market import build, universes
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.pages.board import READY, BoardColumn, BoardSet
from zealous_sieve.usecases.background.boards import board_on
from zealous_sieve.usecases.desk.desk import Desk, whole_panel


def desk() -> Desk:
    """The demo's desk, without a database."""
    coast = build()
    bases = {base: Panel.of(series) for base, series in coast.bars.items()}
    daily = next(panel for base, panel in bases.items() if base.word == "1d")
    codes = tuple(i.code for i in coast.instruments)
    own = {base: replace(p.choose(codes), whole=None) for base, p in bases.items()}
    whole = replace(daily.choose(codes), whole=None, bases=tuple(own.values()))
    return Desk(
        now=datetime.fromtimestamp(NOW, UTC),
        panel=whole_panel(whole, coast.reference),
        executor=LOCAL,
        reference=coast.reference,
        universes=universes(),
        library={},
    )


def spent(desk: Desk, universe: str, columns: Sequence[BoardColumn], times: int = 5) -> float:
    """Seconds of the quickest of some times, after one that warms up."""
    asked = BoardSet(universe=universe, columns=tuple(columns))
    board_on(desk, asked)
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        board_on(desk, asked)
        found.append(time.perf_counter() - begun)
    return min(found)


def main() -> None:
    own = desk()
    crosses = READY["Crosses, eight studies on five timeframes"].columns
    forty = tuple(
        replace(column, bars=bars, formula=column.formula.replace("17", str(17 + n)))
        for n, bars in enumerate(("1d", "1d", "1d", "1d", "1w"))
        for column in crosses[::5]
    )
    for universe, columns in (("Currencies", crosses), ("All shares", forty)):
        whole = spent(own, universe, columns)
        single = sum(spent(own, universe, (column,), times=1) for column in columns)
        print(
            f"{universe}, {len(columns)} columns: {1000 * whole:.0f} ms; "
            f"column by column {single / whole:.1f} times as long"
        )


if __name__ == "__main__":
    main()
