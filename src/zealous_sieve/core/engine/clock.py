"""Bars by the clock: where each begins among the faster ones, and when it is closed.

Intraday bars count from the opening of the session (without known hours from the first bar of the
day), days, weeks and months from the calendar. A bar is closed at the end of its period; a day is over
with its session, a week with its last weekday.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import KNOWN_FROM, NEVER, Panel
from zealous_sieve.core.engine.session import ANY_DAY, Session
from zealous_sieve.core.formula.timeframe import DAY, ClockUnit, Timeframe
from zealous_sieve.core.functions.compiling import compiled

MONDAY = 4 * DAY
"""The first Monday after the epoch, in seconds."""
Positions = NDArray[np.int64]


def clock_bars(
    panel: Panel, timeframe: Timeframe
) -> tuple[Positions, Positions, Positions, Times, Times]:
    """The rows of a panel by bars of a timeframe.

    Returns the first and the last row of each bar, the instrument it belongs to, when it opens and
    when it is closed. Bars of days and more are named by the midnight that begins them on the clock of
    their venue.
    """
    if timeframe.intraday:
        begins, ends = _intraday(panel, timeframe.seconds)
    else:
        begins, ends = _calendar(panel.local_times, timeframe)
    firsts, owners = _edges(begins, panel.starts, panel.ends)
    lasts = _lasts(firsts, owners, panel.ends)
    opens, closes = begins[firsts], ends[firsts]
    if not timeframe.intraday:
        closes = _over_with_the_session(panel, closes, owners)
        opens = _after_weekend(opens) if panel.five_day else opens
    awaited = closes > panel.first_awaited(owners)
    if not timeframe.intraday or KNOWN_FROM in panel.columns:
        moments, later = panel.moments()
        closes = np.maximum(closes, moments[lasts] + later)
    closes[awaited] = NEVER
    return firsts, lasts, owners, opens, closes


def _lasts(firsts: Positions, owners: Positions, ends: Positions) -> Positions:
    """The row before the next bar, or the instrument's last."""
    lasts = np.append(firsts[1:], 0)[: len(firsts)] - 1
    of_owner = np.append(owners[1:] != owners[:-1], True)[: len(owners)]
    return np.where(of_owner, ends[owners] - 1, lasts)


def _intraday(panel: Panel, length: int) -> tuple[Times, Times]:
    begins, ends = np.empty_like(panel.times), np.empty_like(panel.times)
    if not len(panel.times):
        return begins, ends
    calendars, own = _calendars(panel)
    known = np.array([calendar is not ANY_DAY for calendar in calendars])
    days = np.arange(panel.times.min() // DAY - 2, panel.times.max() // DAY + 3)
    midnights = np.stack([calendar.clock.moments(days * DAY) for calendar in calendars])
    opens = np.stack([calendar.opens(days) for calendar in calendars])
    shuts = np.stack([calendar.closes(days) for calendar in calendars])
    _place(
        panel.times, panel.starts, panel.ends, own, known, midnights, opens, shuts, length, begins, ends
    )  # fmt: skip
    return begins, ends


def _calendars(panel: Panel) -> tuple[list[Session], Positions]:
    """The calendars of a panel's venues, and which of them each instrument has."""
    all_of_them = [panel.known(position).calendar for position in range(len(panel))]
    places = {calendar: n for n, calendar in enumerate(dict.fromkeys(all_of_them))}
    return list(places), np.array([places[calendar] for calendar in all_of_them], np.int64)


@compiled
def _place(  # type: ignore[no-untyped-def]
    times, starts, ends, venues, hours_known, midnights, opens, shuts, length, begins, closes
):
    """Bars from the opening of each day's session, and from its close where there are rows after it:
    a bar that was over with the session is never changed by what comes later."""
    for i in range(len(starts)):
        midnight, day = midnights[venues[i]], -1
        opening = shut = 0
        for row in range(starts[i], ends[i]):
            t = times[row]
            if day < 0 or t < midnight[day] or t >= midnight[day + 1]:
                day = np.searchsorted(midnight, t, side="right") - 1
                opening = opens[venues[i], day] if hours_known[venues[i]] else t
                shut = shuts[venues[i], day]
            start = shut if t >= shut else opening
            begin = start + (t - start) // length * length
            begins[row] = begin
            end = begin + length
            closes[row] = shut if hours_known[venues[i]] and begin < shut < end else end


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
    """Ends of periods (midnights) moved to the close of the last session before them."""
    moved = np.empty_like(closes)
    calendars, own = _calendars(panel)
    for n, calendar in enumerate(calendars):
        rows = own[owners] == n
        days = closes[rows] // DAY - 1
        moved[rows] = calendar.closes(calendar.last_session(days) if panel.five_day else days)
    return moved


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


def joined_bars(name: str, column: Column, firsts: Positions, lasts: Positions) -> Column:
    """One column of bars that are made of the rows ``firsts … lasts`` of another."""
    out = np.empty(len(firsts))
    _reduce(_HOW.get(name, 2), column, firsts, lasts, out)
    return out
