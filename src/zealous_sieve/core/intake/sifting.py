"""Which rows of a table of bars or trades are taken, and why the others are not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.tables import by_date
from zealous_sieve.core.market.soundness import (
    NOT_ABOVE_ZERO,
    OUTSIDE,
    code_fault,
    outside_of_time,
    stamp_of,
    value_faults,
)


@dataclass(frozen=True, kw_only=True)
class ForeignRows:
    """Rows as they were read: ``owners`` are places in ``codes``; times in seconds since 1970, by UTC and
    by the clock that they were written in."""

    codes: Sequence[str]
    owners: NDArray[np.int32]
    times: Times
    local: Times
    columns: Mapping[str, Column]
    lines: NDArray[np.int64]


def renamed(rows: ForeignRows, earlier: Mapping[str, str]) -> ForeignRows:
    """Rows under the present codes of their instruments, some of which stand under ``earlier`` ones."""
    if not any(code in earlier for code in rows.codes):
        return rows
    places: dict[str, int] = {}
    own = [places.setdefault(earlier.get(code, code), len(places)) for code in rows.codes]
    return replace(rows, codes=list(places), owners=np.asarray(own, np.int32)[rows.owners])


def take_rows(
    rows: ForeignRows,
    refusals: Refusals,
    latest: int,
    *,
    trades: bool = False,
    negative: bool = False,
) -> tuple[dict[str, Series], int]:
    """Part rows by instrument and put them in order of time; also tells how many rows said again what
    another had said.

    What can't be a bar, or lies after the moment ``latest``, is refused. Of two bars of one time the
    second is refused unless both say the same; of ``trades`` many may share a time. Prices may be
    ``negative`` where that is said.
    """
    sifting = _Sifting(rows, refusals)
    sifting.check_codes()
    sifting.refuse("time", outside_of_time(rows.times), OUTSIDE)
    sifting.refuse("time", rows.times > latest, "this lies in the future")
    for name, wrong, reason in value_faults(rows.columns, negative=negative):
        sifting.refuse(name, wrong, _unless_said(reason))
    kept = np.flatnonzero(~sifting.bad)
    order = kept[np.lexsort((rows.lines[kept], rows.times[kept], rows.owners[kept]))]
    doubled = 0
    series: dict[str, Series] = {}
    bounds = np.searchsorted(rows.owners[order], np.arange(len(rows.codes) + 1))
    for n in np.unique(rows.owners[order]):
        own = order[bounds[n] : bounds[n + 1]]
        times = rows.times[own] if trades else by_date(rows.times[own], rows.local[own])
        if not trades:
            again, differing = _again(times, {c: v[own] for c, v in rows.columns.items()})
            for row in own[differing]:
                sifting.tell(int(row), "time", "this time stands before, with other values")
            doubled += int(again.sum() - differing.sum())
            times, own = times[~again], own[~again]
        series[rows.codes[n]] = (times, {name: c[own] for name, c in rows.columns.items()})
    refusals.listed.sort(key=lambda one: (one.place, one.line))
    return series, doubled


def _unless_said(reason: str) -> str:
    more = ", unless it is said that these instruments have such prices"
    return reason + more if reason == NOT_ABOVE_ZERO else reason


class _Sifting:
    """Which rows are not taken so far."""

    def __init__(self, rows: ForeignRows, refusals: Refusals) -> None:
        self.rows = rows
        self.refusals = refusals
        self.bad = np.zeros(len(rows.times), bool)

    def check_codes(self) -> None:
        for n, code in enumerate(self.rows.codes):
            reason = code_fault(code)
            if reason is not None:
                self.refuse("instrument", self.rows.owners == n, reason)

    def refuse(self, column: str, wrong: NDArray[np.bool_], reason: str) -> None:
        """Refuse rows, each for the first thing that is wrong with it."""
        for row in np.flatnonzero(wrong & ~self.bad):
            self.tell(int(row), column, reason)
        self.bad |= wrong

    def tell(self, row: int, column: str, reason: str) -> None:
        self.refusals.add(int(self.rows.lines[row]), column, self._said(row, column), reason)

    def _said(self, row: int, column: str) -> str:
        if column == "instrument":
            return str(self.rows.codes[self.rows.owners[row]])
        if column == "time":
            return stamp_of(int(self.rows.local[row]))
        return f"{float(self.rows.columns[column][row]):.12g}"


def _again(
    times: Times, columns: Mapping[str, Column]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """The rows whose time stood before, and those of them that say something else than the first."""
    again = np.zeros(len(times), bool)
    again[1:] = np.diff(times) == 0
    differing = np.zeros(len(times), bool)
    if not again.any():
        return again, differing
    first = np.maximum.accumulate(np.where(again, 0, np.arange(len(times))))
    for column in columns.values():
        same = (column == column[first]) | (np.isnan(column) & np.isnan(column[first]))
        differing |= again & ~same
    return again, differing
