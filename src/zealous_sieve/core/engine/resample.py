"""Slower bars built from faster ones, and slower values seen from faster bars.

A slow bar takes the fast bars that open within its period. Intraday periods count from the first bar of
the day, days, weeks and months from the calendar. A slow bar is closed at the end of its period, or,
where no trading takes place at weekends, at the end of its last weekday: a week closes with Friday.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.panel import Column, Panel, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY, Span, Timeframe, of_seconds

MONDAY = 4 * DAY
"""The first Monday after the epoch, in seconds."""

_JOIN = {"open": "first", "high": "max", "low": "min", "close": "last"}


def check_timeframe(panel: Panel, timeframe: Timeframe) -> None:
    """Raises DataError where bars of that length can't be built from the panel's."""
    base = of_seconds(panel.duration)
    fits = timeframe.seconds % panel.duration == 0 or not timeframe.intraday
    if timeframe.seconds < panel.duration or not fits:
        why = "finer than" if timeframe.seconds < panel.duration else "no whole number of"
        message = f"{timeframe} is {why} the bars there are, which are {base}"
        mend = f"choose a multiple of {base}"
        raise DataError(Problem(code="no_such_timeframe", message=message, mend=mend))


@lru_cache(maxsize=8)
def resample(panel: Panel, timeframe: Timeframe) -> Panel:
    """A panel of slower bars, the unfinished last one of each instrument included.

    Its ``closes`` are the moments at which its bars are closed.
    """
    check_timeframe(panel, timeframe)
    starts, ends, times, closes = [], [], [], []
    columns: dict[str, list[Column]] = {name: [] for name in panel.columns}
    count = 0
    for position in range(len(panel)):
        rows = panel.rows(position)
        own = panel.times[rows]
        edges, own_closes = _periods(own, timeframe, panel.five_day)
        for name, column in panel.columns.items():
            columns[name].append(_reduce(name, column[rows], edges))
        times.append(own[edges])
        closes.append(own_closes)
        starts.append(count)
        count += len(edges)
        ends.append(count)
    return Panel(
        codes=panel.codes,
        times=np.concatenate([np.empty(0, np.int64), *times]),
        columns={n: np.concatenate([np.empty(0), *parts]) for n, parts in columns.items()},
        starts=np.array(starts, dtype=np.int64),
        ends=np.array(ends, dtype=np.int64),
        duration=timeframe.seconds,
        five_day=panel.five_day,
        closes=np.concatenate([np.empty(0, np.int64), *closes]),
        facts=panel.facts,
        whole=None if panel.whole is None else resample(panel.whole, timeframe),
    )


def seen_at(panel: Panel, moment: int, timeframe: Timeframe) -> Panel:
    """The bars of a timeframe that had closed by a moment, built from a panel's own."""
    known = panel.as_of(moment)
    if timeframe.seconds == panel.duration:
        return known
    return closed_only(resample(known, timeframe), moment)


def closed_only(slow: Panel, moment: int) -> Panel:
    """A slow panel without the bars that had not closed at a moment."""
    assert slow.closes is not None
    ends = [
        start + int(np.searchsorted(slow.closes[start:end], moment, side="right"))
        for start, end in zip(slow.starts, slow.ends, strict=True)
    ]
    return slow.ending(np.array(ends, dtype=np.int64))


def _reduce(name: str, column: Column, edges: NDArray[np.int64]) -> Column:
    if not len(edges):
        return np.empty(0)
    match _JOIN.get(name, "sum"):
        case "first":
            return column[edges]
        case "last":
            return np.asarray(column[np.append(edges[1:], len(column)) - 1])
        case "max":
            return np.asarray(np.maximum.reduceat(column, edges))
        case "min":
            return np.asarray(np.minimum.reduceat(column, edges))
    return np.asarray(np.add.reduceat(column, edges))


def _periods(times: Times, timeframe: Timeframe, five_day: bool) -> tuple[NDArray[np.int64], Times]:
    """Where periods begin among the bars, and when each of them is closed."""
    if not len(times):
        return np.empty(0, np.int64), np.empty(0, np.int64)
    if timeframe.intraday:
        begins = _intraday(times, timeframe.seconds)
        ends = begins + timeframe.seconds
    elif timeframe.span == Span.MONTH:
        months = times.astype("datetime64[s]").astype("datetime64[M]").astype(np.int64)
        begins = months // timeframe.count * timeframe.count
        ends = _month_start(begins + timeframe.count)
    else:
        length = timeframe.seconds
        begins = (times - MONDAY) // length * length + MONDAY
        ends = begins + length
    edges = np.flatnonzero(np.diff(begins, prepend=begins[0] - 1))
    closes = ends[edges]
    if five_day and not timeframe.intraday:
        closes = _before_weekend(closes)
    return edges, closes


def _intraday(times: Times, length: int) -> Times:
    days = times // DAY
    first = np.flatnonzero(np.diff(days, prepend=days[0] - 1))
    opening = np.repeat(times[first], np.diff(np.append(first, len(times))))
    return opening + (times - opening) // length * length


def _month_start(months: Times) -> Times:
    return months.astype("datetime64[M]").astype("datetime64[s]").astype(np.int64)


def _before_weekend(moments: Times) -> Times:
    """The end of the last weekday at or before each moment (which is a midnight)."""
    weekday = (moments // DAY + 3) % 7
    return moments - np.where(weekday == 6, DAY, np.where(weekday == 0, 2 * DAY, 0))


def seen_from(fast: Panel, slow: Panel, column: Column) -> Column:
    """A slow panel's column at each bar of the fast one: that of the last bar closed by then."""
    seen = np.full(len(fast.times), np.nan)
    for position in range(len(fast)):
        rows, own = fast.rows(position), slow.rows(position)
        seen[rows] = last_known(fast.close_times(rows), slow.close_times(own), column[own])
    return seen


def last_known(moments: Times, closes: Times, column: Column) -> Column:
    """The last value of a column that was closed by each moment; NaN before the first."""
    place = np.searchsorted(closes, moments, side="right") - 1
    if not len(column):
        return np.full(len(moments), np.nan)
    return np.where(place >= 0, column[np.maximum(place, 0)], np.nan)
