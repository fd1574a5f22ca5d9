"""What bars from outside would change of those that are kept."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.engine.panel import BESIDE
from zealous_sieve.core.market.soundness import PRICES


@dataclass(frozen=True, kw_only=True)
class BarChange:
    """A value that would be another: ``time`` is the opening moment of its bar; nothing ``before`` where
    none was kept."""

    code: str
    time: int
    column: str
    before: float | None
    after: float


@dataclass(frozen=True, kw_only=True)
class Difference:
    """How many bars are new, the same and changed; ``series`` are those that are not the same."""

    new: int
    same: int
    changed: int
    changes: tuple[BarChange, ...]
    series: Series


@dataclass(frozen=True, kw_only=True)
class Completed:
    """Fresh bars with what is kept of them where they say nothing: ``kept`` bars took something over;
    ``outside`` are closes that lie beyond the high or low that is kept, and are not taken."""

    series: Series
    kept: int
    outside: tuple[BarChange, ...]


def completed(code: str, held: Series, fresh: Series, unsaid: Collection[str]) -> Completed:
    """Bars of a table that has no columns of the ``unsaid`` prices and volume: those of known bars stay as
    they are, and a close has to lie within the bar that it closes. A bar of one price has no others."""
    times, columns = fresh
    known, own = held
    if not unsaid or not len(known):
        return Completed(series=fresh, kept=0, outside=())
    place = np.minimum(np.searchsorted(known, times), len(known) - 1)
    there = known[place] == times
    one = np.all([own[name][place] == own["close"][place] for name in PRICES], axis=0)
    keeps = {name: there if name == "volume" else there & ~one for name in unsaid}
    whole = {
        name: np.where(keeps[name], own[name][place], column) if name in keeps else column
        for name, column in columns.items()
    }
    close = whole["close"]
    beyond = there & ((close > whole["high"]) | (close < whole["low"]))
    outside = tuple(
        BarChange(
            code=code,
            time=int(times[row]),
            column="close",
            before=float(own["close"][place[row]]),
            after=float(close[row]),
        )
        for row in np.flatnonzero(beyond)
    )
    series = (times[~beyond], {name: column[~beyond] for name, column in whole.items()})
    return Completed(
        series=series,
        kept=int((np.any(list(keeps.values()), axis=0) & ~beyond).sum()),
        outside=outside,
    )


MOST_CHANGES = 100
"""So many changes of an instrument are told one by one."""


def difference(code: str, held: Series, fresh: Series) -> Difference:
    """Compare the bars of one instrument with those that are kept; both in order of time. What is not kept
    of a column is taken; a column that the fresh ones lack, or an empty cell beside prices, says
    nothing."""
    times, columns = fresh
    known, own = held
    place = np.minimum(np.searchsorted(known, times), max(0, len(known) - 1))
    there = known[place] == times if len(known) else np.zeros(len(times), bool)
    differs = np.zeros(len(times), bool)
    changes: list[BarChange] = []
    for name, after in columns.items():
        if not there.any():
            continue
        before = own[name][place] if name in own else np.full(len(times), np.nan)
        other = there & ~((before == after) | (np.isnan(before) & np.isnan(after)))
        if name in BESIDE:
            other &= ~np.isnan(after)
        differs |= other
        changes += [
            BarChange(
                code=code,
                time=int(times[row]),
                column=name,
                before=None if np.isnan(before[row]) else float(before[row]),
                after=float(after[row]),
            )
            for row in np.flatnonzero(other)[: MOST_CHANGES - len(changes)]
        ]
    wanted = ~there | differs
    return Difference(
        new=int((~there).sum()),
        same=int((there & ~differs).sum()),
        changed=int(differs.sum()),
        changes=tuple(sorted(changes, key=lambda change: change.time)),
        series=(times[wanted], {name: column[wanted] for name, column in columns.items()}),
    )


def tape_difference(code: str, held: Series, fresh: Series) -> Difference:
    """Compare the trades of one instrument with those that are kept between the first and the last of
    them, which they replace unless they are the same."""
    times, columns = fresh
    known, own = held
    first, end = np.searchsorted(known, times[0]), np.searchsorted(known, times[-1], side="right")
    before = int(end - first)
    same = np.array_equal(known[first:end], times) and all(
        np.array_equal(own[name][first:end], columns[name], equal_nan=True)
        for name in ("close", "volume", "buy_volume")
    )
    nothing: Series = (times[:0], {name: column[:0] for name, column in columns.items()})
    changed = 0 if same else min(before, len(times))
    return Difference(
        new=0 if same else len(times) - changed,
        same=len(times) if same else 0,
        changed=changed,
        changes=(),
        series=nothing if same else fresh,
    )
