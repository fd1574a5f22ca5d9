"""Bars from outside: what is taken, and what is refused with its line, column, value and reason."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.panel import Column, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.functions.catalogue import EXTRAS

REQUIRED = ("time", "open", "high", "low", "close", "volume")
OPTIONAL = EXTRAS
PRICES = ("open", "high", "low", "close")
MOST_PROBLEMS = 20


@dataclass(frozen=True, kw_only=True)
class Table:
    """A file's rows: ``lines`` are the numbers of its lines, for messages.

    ``codes`` holds an instrument a row; ``times`` are seconds since 1970 UTC.
    """

    file: str
    codes: Sequence[str]
    times: Times
    columns: Mapping[str, Column]
    lines: NDArray[np.int64]


def refusal(file: str, line: int, column: str, value: object, reason: str) -> Problem:
    """A faulty value, in the form all importing uses."""
    return Problem(
        code="bad_row",
        message=f"line {line}, column {column}, value {str(value)!r:.60}: {reason}",
        subject=file,
    )


def check_columns(file: str, names: Sequence[str]) -> None:
    """Raises DataError ``wrong_columns`` when a required column is missing or one stands twice."""
    missing = [name for name in REQUIRED if name not in names]
    double = sorted({name for name in names if list(names).count(name) > 1})
    if missing or double:
        complaint = "lacks " + ", ".join(missing) if missing else "names twice " + ", ".join(double)
        raise DataError(
            Problem(
                code="wrong_columns",
                message=f"line 1: the header {complaint}; it reads {', '.join(names)[:120]}",
                mend="columns are instrument,time,open,high,low,close,volume "
                "(no instrument column for a single instrument), and where known "
                + ",".join(OPTIONAL),
                subject=file,
            )
        )


def take(table: Table) -> dict[str, tuple[Times, dict[str, Column]]]:
    """Check all rows and part them by instrument, in the order of first appearance.

    Raises DataError with up to twenty faulty rows; then nothing may be kept.
    """
    problems = _bad_values(table)
    codes = np.asarray(table.codes, dtype=object)
    taken: dict[str, tuple[Times, dict[str, Column]]] = {}
    for code in dict.fromkeys(table.codes):
        rows = np.flatnonzero(codes == code)
        problems += _bad_order(table, rows)
        columns = {name: np.ascontiguousarray(c[rows]) for name, c in table.columns.items()}
        taken[code] = (table.times[rows], columns)
    if not taken:
        problems.append(Problem(code="no_rows", message="the file has no rows", subject=table.file))
    if problems:
        raise DataError(*problems[:MOST_PROBLEMS])
    return taken


def _bad_values(table: Table) -> list[Problem]:
    columns = table.columns
    top = np.maximum(np.maximum(columns["open"], columns["close"]), columns["low"])
    bottom = np.minimum(columns["open"], columns["close"])
    rules = [
        (name, ~np.isfinite(columns[name]), "a finite number is needed")
        for name in (*PRICES, "volume")
    ]
    rules += [(name, columns[name] <= 0, "a price has to be above zero") for name in PRICES]
    rules.append(("volume", columns["volume"] < 0, "volume can't be negative"))
    extras = [name for name in OPTIONAL if name in columns]
    rules += [(name, columns[name] < 0, "this can't be negative") for name in extras]
    rules += [(name, np.isinf(columns[name]), "a finite number is needed") for name in extras]
    rules.append(("high", columns["high"] < top, "the high is below another price of the bar"))
    rules.append(("low", columns["low"] > bottom, "the low is above another price of the bar"))
    return [
        refusal(table.file, int(table.lines[row]), name, columns[name][row], reason)
        for name, wrong, reason in rules
        for row in np.flatnonzero(wrong)[:MOST_PROBLEMS]
    ]


def _bad_order(table: Table, rows: NDArray[np.int64]) -> list[Problem]:
    times = table.times[rows]
    found = []
    for bar in np.flatnonzero(np.diff(times) <= 0)[:MOST_PROBLEMS] + 1:
        stamp = np.datetime64(int(times[bar]), "s")
        double = times[bar] == times[bar - 1]
        reason = "this time stands twice" if double else "times have to rise from row to row"
        found.append(refusal(table.file, int(table.lines[rows[bar]]), "time", stamp, reason))
    return found
