"""Bars from outside: what is taken, and what is refused with its line, column, value and reason."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.speech.figures import in_full
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.market.bases import Base, base_of
from zealous_sieve.core.market.soundness import (
    OPTIONAL,
    OUTSIDE,
    code_fault,
    outside_of_time,
    stamp_of,
    value_faults,
)

REQUIRED = ("time", "open", "high", "low", "close", "volume")
MOST_PROBLEMS = 20
"""Faults that are told one by one; the others are counted."""
MOST_COUNTED = 10_000
"""Faults that are looked for of one kind."""
SHORTEST_DAY = 23 * 3600
"""From one local midnight to the next when clocks go forward."""
_FEW = 3
"""From so few bars nobody can tell how long one is."""
NEXT_DAY = 77_400
"""21:30: a midnight east of the coast is written as an evening of UTC."""


@dataclass(frozen=True, kw_only=True)
class BarTable:
    """A file's rows: ``lines`` are the numbers of its lines, for messages.

    ``codes`` holds an instrument a row, as it was read; ``times`` are seconds since 1970 UTC, ``local``
    the same by the clock that they were written in.
    """

    file: str
    codes: Sequence[object]
    times: Times
    local: Times
    columns: Mapping[str, Column]
    lines: NDArray[np.int64]


def refusal(file: str, line: int, column: str, value: object, reason: str) -> Problem:
    """A faulty value, in the form all importing uses."""
    return Problem(
        code="bad_row",
        message=f"line {line}, column {column}, value {str(value)!r:.60}: {reason}",
        subject=file,
    )


def refused(problems: Sequence[Problem]) -> DataError:
    """The first faults one by one, and how many there are besides."""
    more = len(problems) - MOST_PROBLEMS
    if more <= 0:
        return DataError(*problems)
    others = f"{'at least ' if more >= MOST_COUNTED else ''}{more:,} more"
    told = Problem(
        code="more_refused", message=f"and {others} like these", subject=problems[0].subject
    )
    return DataError(*problems[:MOST_PROBLEMS], told)


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


def take_table(table: BarTable) -> dict[str, Series]:
    """Check all rows and part them by instrument, in the order of first appearance.

    Days are kept by their own date, whatever hour they are written with. Raises DataError with up to
    twenty faulty rows; then nothing may be kept.
    """
    problems = _bad_codes(table) + _bad_values(table) + _bad_times(table)
    if not len(table.times):
        problems.append(Problem(code="no_rows", message="the file has no rows", subject=table.file))
    if problems:
        raise refused(problems)
    names = list(dict.fromkeys(map(str, table.codes)))
    numbers = {name: n for n, name in enumerate(names)}
    owners = np.fromiter((numbers[code] for code in table.codes), np.int64, len(table.codes))  # type: ignore[index]
    order = np.argsort(owners, kind="stable")
    owners = owners[order]
    problems = _bad_order(table, order, owners)
    if problems:
        raise refused(problems)
    times, local = table.times[order], table.local[order]
    columns = {name: column[order] for name, column in table.columns.items()}
    bounds = np.searchsorted(owners, np.arange(len(names) + 1))
    taken: dict[str, Series] = {}
    for n, name in enumerate(names):
        rows = slice(int(bounds[n]), int(bounds[n + 1]))
        own = {field: column[rows] for field, column in columns.items()}
        taken[name] = (by_date(times[rows], local[rows]), own)
    return taken


def by_date(times: Times, local: Times) -> Times:
    """The times of one instrument's bars, in order, as they are kept: bars a day apart get the midnight of
    their own date, others are left as they are."""
    alone = len(times) == 1 and local[0] % DAY == 0
    if not alone and (len(times) < 2 or np.diff(times).min() < SHORTEST_DAY):
        return times
    hours = np.unique(local % DAY)
    changing = len(hours) == 2 and hours[1] - hours[0] == 3600
    late = NEXT_DAY if changing and hours[0] >= NEXT_DAY - 1800 else DAY
    return np.asarray((local + DAY - late) // DAY * DAY, dtype=np.int64)


def joined_files(
    parts: Sequence[tuple[str, Mapping[str, Series]]],
) -> dict[Base, dict[str, Series]]:
    """The bars of several files by base and instrument; ``parts`` are files with what they hold.

    Bars of one instrument and base that stand in several files are put together. Raises DataError
    ``files_disagree`` where two of them say different things of one bar, ``no_such_base``.
    """
    pieces: dict[tuple[Base, str], list[tuple[str, Series]]] = {}
    for file, series in parts:
        base = _base_within_the_day(file, series)
        for code, own in series.items():
            _check_days(file, code, own[0])
            daily = len(own[0]) and not (own[0] % DAY).any()
            kept = Base.DAY if daily and _steps(own[0]) % DAY == 0 else base
            pieces.setdefault((kept, code), []).append((file, own))
    found: dict[Base, dict[str, Series]] = {}
    for (base, code), same in pieces.items():
        found.setdefault(base, {})[code] = same[0][1] if len(same) == 1 else _merged(code, same)
    return found


def _check_days(file: str, code: str, times: Times) -> None:
    """Bars of a week or more would pass for days with gaps. Raises DataError ``no_such_base``."""
    if len(times) > _FEW and np.diff(times).min() >= 7 * DAY:
        message = f"the bars of {code} are a week or more apart: no base keeps such bars"
        mend = "import daily bars: slower ones are built from them"
        raise DataError(Problem(code="no_such_base", message=message, mend=mend, subject=file))


def _steps(times: Times) -> int:
    """The longest stretch that all distances between bars are whole multiples of; 0 for a single bar."""
    return int(np.gcd.reduce(np.diff(times))) if len(times) > 1 else 0


def _base_within_the_day(file: str, series: Mapping[str, Series]) -> Base:
    """The base of those bars of a file that are no days: thin instruments skip bars, so all of them
    together tell how long one is. Raises DataError ``no_such_base``."""
    step = 0
    for times, _ in series.values():
        own = _steps(times)
        if own % DAY or (times % DAY).any():
            step = math.gcd(step, own or int(times[0] % DAY))
    try:
        return base_of(step or DAY)
    except DataError as error:
        raise DataError(replace(error.problem, subject=file)) from None


def _merged(code: str, parts: Sequence[tuple[str, Series]]) -> Series:
    """One series of several; where two hold the same bar they have to agree."""
    files = np.repeat(np.arange(len(parts)), [len(times) for _, (times, _) in parts])
    times = np.concatenate([times for _, (times, _) in parts])
    names = list(dict.fromkeys(name for _, (_, columns) in parts for name in columns))
    columns = {
        name: np.concatenate([c.get(name, np.full(len(t), np.nan)) for _, (t, c) in parts])
        for name in names
    }
    order = np.argsort(times, kind="stable")
    times, files = times[order], files[order]
    columns = {name: column[order] for name, column in columns.items()}
    double = np.flatnonzero(np.diff(times) == 0)
    for name, column in columns.items():
        before, after = column[double], column[double + 1]
        differ = ~((before == after) | np.isnan(before) | np.isnan(after))
        if differ.any():
            row = int(double[differ.argmax()])
            one, other = (str(parts[files[n]][0]) for n in (row, row + 1))
            raise DataError(
                _disagreement(code, times[row], name, column[row : row + 2], one, other)
            )
        column[double + 1] = np.where(np.isnan(after), before, after)
    kept = np.ones(len(times), bool)
    kept[double] = False
    return times[kept], {name: column[kept] for name, column in columns.items()}


def _disagreement(
    code: str, time: np.int64, name: str, values: Column, one: str, other: str
) -> Problem:
    stamp = stamp_of(int(time))
    here, there = (in_full(float(value)) for value in values[:2])
    message = f"{code} at {stamp}: {name} is {here} in {one} and {there} in {other}"
    mend = "import the right one alone"
    return Problem(code="files_disagree", message=message, mend=mend, subject=other)


def _bad_codes(table: BarTable) -> list[Problem]:
    faults: dict[object, str | None] = {}
    found = []
    for row, code in enumerate(table.codes):
        key = code if isinstance(code, str) else repr(code)
        if key not in faults:
            faults[key] = code_fault(code)
        reason = faults[key]
        if reason is not None:
            found.append(refusal(table.file, int(table.lines[row]), "instrument", code, reason))
            if len(found) == MOST_COUNTED:
                break
    return found


def _bad_times(table: BarTable) -> list[Problem]:
    return [
        refusal(table.file, int(table.lines[r]), "time", stamp_of(int(table.times[r])), OUTSIDE)
        for r in np.flatnonzero(outside_of_time(table.times))[:MOST_COUNTED]
    ]


def _bad_values(table: BarTable) -> list[Problem]:
    return [
        refusal(table.file, int(table.lines[row]), name, table.columns[name][row], reason)
        for name, wrong, reason in value_faults(table.columns)
        for row in np.flatnonzero(wrong)[:MOST_COUNTED]
    ]


def _bad_order(
    table: BarTable, order: NDArray[np.int64], owners: NDArray[np.int64]
) -> list[Problem]:
    """Times that do not rise within an instrument; rows are taken in ``order``, by ``owners``."""
    steps = np.diff(table.times[order])
    found = []
    for bar in np.flatnonzero((steps <= 0) & (np.diff(owners) == 0))[:MOST_COUNTED] + 1:
        row = int(order[bar])
        double = steps[bar - 1] == 0
        reason = "this time stands twice" if double else "times have to rise from row to row"
        stamp = stamp_of(int(table.times[row]))
        found.append(refusal(table.file, int(table.lines[row]), "time", stamp, reason))
    return found
