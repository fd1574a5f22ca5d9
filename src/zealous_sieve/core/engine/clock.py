"""Bars by the clock: where each begins among the faster ones, and when it is closed.

Intraday bars count from the opening of the session (without known hours from the first bar of the
day), days, weeks and months from the calendar. A bar is closed at the end of its period; a day is over
with its session, a week with its last weekday.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.panel import Column, Panel, Times
from zealous_sieve.core.formula.timeframe import DAY, ClockUnit, Timeframe
from zealous_sieve.core.functions.kernel import compiled

MONDAY = 4 * DAY
"""The first Monday after the epoch, in seconds."""
Positions = NDArray[np.int64]


def clock_bars(panel: Panel, timeframe: Timeframe) -> tuple[Positions, Positions, Times, Times]:
    """The rows of a panel by bars of a timeframe.

    Returns the first row of each bar, the instrument it belongs to, when it opens and when it is
    closed. Rows of one instrument that follow each other up to the next first row are one bar.
    """
    if timeframe.intraday:
        begins, ends = _intraday(panel, timeframe.seconds)
    else:
        begins, ends = _calendar(panel.times, timeframe)
    firsts, owners = _edges(begins, panel.starts, panel.ends)
    opens, closes = begins[firsts], ends[firsts]
    if not timeframe.intraday:
        closes = _over_with_the_session(panel, closes, owners)
        opens = _after_weekend(opens) if panel.five_day else opens
    return firsts, owners, opens, closes


def _intraday(panel: Panel, length: int) -> tuple[Times, Times]:
    sessions = [panel.known(position).session for position in range(len(panel))]
    opens = np.array([-1 if s is None else s.opens * 60 for s in sessions], dtype=np.int64)
    shuts = np.array([DAY if s is None else s.closes * 60 for s in sessions], dtype=np.int64)
    begins, ends = np.empty_like(panel.times), np.empty_like(panel.times)
    _place(panel.times, panel.starts, panel.ends, opens, shuts, length, begins, ends)
    return begins, ends


@compiled
def _place(times, starts, ends, opens, shuts, length, begins, closes):  # type: ignore[no-untyped-def]
    for i in range(len(starts)):
        day = opening = -1
        for row in range(starts[i], ends[i]):
            midnight = times[row] // 86_400 * 86_400
            if midnight != day:
                day = midnight
                opening = times[row] if opens[i] < 0 else midnight + opens[i]
            begin = opening + (times[row] - opening) // length * length
            begins[row] = begin
            shut = midnight + shuts[i]
            end = begin + length
            closes[row] = shut if opens[i] >= 0 and begin < shut < end else end


def _calendar(times: Times, timeframe: Timeframe) -> tuple[Times, Times]:
    if timeframe.unit == ClockUnit.MONTH:
        months = times.astype("datetime64[s]").astype("datetime64[M]").astype(np.int64)
        first = months // timeframe.count * timeframe.count
        return _month_start(first), _month_start(first + timeframe.count)
    length = timeframe.seconds
    begins = (times - MONDAY) // length * length + MONDAY
    return begins, begins + length


def _month_start(months: Times) -> Times:
    return months.astype("datetime64[M]").astype("datetime64[s]").astype(np.int64)


@compiled
def _count_and_mark(begins, starts, ends, firsts, owners):  # type: ignore[no-untyped-def]
    count = 0
    for i in range(len(starts)):
        for row in range(starts[i], ends[i]):
            if row == starts[i] or begins[row] != begins[row - 1]:
                if len(firsts):
                    firsts[count], owners[count] = row, i
                count += 1
    return count


def _edges(begins: Times, starts: Positions, ends: Positions) -> tuple[Positions, Positions]:
    none = np.empty(0, np.int64)
    count = _count_and_mark(begins, starts, ends, none, none)
    firsts, owners = np.empty(count, np.int64), np.empty(count, np.int64)
    if count:
        _count_and_mark(begins, starts, ends, firsts, owners)
    return firsts, owners


def _over_with_the_session(panel: Panel, closes: Times, owners: Positions) -> Times:
    """Period ends moved to the end of the last session before them (they are midnights)."""
    sessions = [panel.known(position).session for position in range(len(panel))]
    early = np.array([0 if s is None else DAY - s.closes * 60 for s in sessions], dtype=np.int64)
    if not len(owners):
        return closes
    return (_before_weekend(closes) if panel.five_day else closes) - early[owners]


def _before_weekend(moments: Times) -> Times:
    """The end of the last weekday at or before each moment (which is a midnight)."""
    weekday = (moments // DAY + 3) % 7
    return moments - np.where(weekday == 6, DAY, np.where(weekday == 0, 2 * DAY, 0))


def _after_weekend(moments: Times) -> Times:
    """The first weekday at or after each midnight."""
    weekday = (moments // DAY + 3) % 7
    return moments + np.where(weekday == 5, 2 * DAY, np.where(weekday == 6, DAY, 0))


@compiled
def _reduce(how, column, firsts, lasts, out):  # type: ignore[no-untyped-def]
    for bar in range(len(firsts)):
        first, last = firsts[bar], lasts[bar]
        value = column[last] if how == 1 else column[first]
        if how >= 2:
            for row in range(first + 1, last + 1):
                new = column[row]
                if how == 2:
                    value += new
                elif how == 3:
                    value = new if not new <= value else value
                else:
                    value = new if not new >= value else value
                if value != value:
                    break
        out[bar] = value


_HOW = {"open": 0, "close": 1, "high": 3, "low": 4, "feed_lag_ms": 3}
"""Which row's value a bar takes: 0 the first, 1 the last, 3 the highest, 4 the lowest; else 2, the
sum."""


def joined(name: str, column: Column, firsts: Positions, lasts: Positions) -> Column:
    """One column of bars that are made of the rows ``firsts … lasts`` of another."""
    out = np.empty(len(firsts))
    _reduce(_HOW.get(name, 2), column, firsts, lasts, out)
    return out
