"""Columns that a formula may read although the bars do not hold them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.clock import joined_bars
from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY, ClockUnit, Timeframe
from zealous_sieve.core.functions.catalogue import EXTRAS, FORM_SECONDS, TIME


def with_sources(panel: Panel, fields: Iterable[str]) -> Panel:
    """The panel with all the columns asked for. Raises DataError ``no_such_column``.

    What the data do not hold is missing on every bar, never zero.
    """
    added = {field: _column(panel, field) for field in fields if field not in panel.columns}
    return panel.with_columns(added) if added else panel


def _column(panel: Panel, field: str) -> Column:
    if field == TIME:
        return panel.times.astype(np.float64)
    if field == "_local_time":
        return panel.local_times.astype(np.float64)
    if field in EXTRAS:
        return _from_trades(panel, field)
    if field == FORM_SECONDS:
        return _by_instrument(panel, _form_seconds)
    if field == "_bar_closes":
        return _by_instrument(panel, lambda p, i: p.close_times(p.rows(i)).astype(np.float64))
    if field == "_session_opens":
        return _by_instrument(panel, lambda p, i: _session_moment(p, i, opening=True))
    if field == "_session_closes":
        return _by_instrument(panel, lambda p, i: _session_moment(p, i, opening=False))
    if field == "_bars_a_year":
        return _by_instrument(panel, lambda p, i: np.full(p.ends[i] - p.starts[i], _a_year(p, i)))
    if field == "_tick":
        return _by_instrument(panel, lambda p, i: np.full(p.ends[i] - p.starts[i], p.known(i).tick))
    message = f"the bars hold no {field}"
    raise DataError(Problem(code="no_such_column", message=message))


def _by_instrument(panel: Panel, column_of) -> Column:  # type: ignore[no-untyped-def]
    column = np.full(len(panel.times), np.nan)
    for position in range(len(panel)):
        column[panel.rows(position)] = column_of(panel, position)
    return column


def _form_seconds(panel: Panel, position: int) -> Column:
    """From opening to close; a bar of days or more has no such time of its own."""
    rows = panel.rows(position)
    if panel.duration >= DAY:
        return np.full(rows.stop - rows.start, np.nan)
    return (panel.close_times(rows) - panel.times[rows]).astype(np.float64)


def _session_moment(panel: Panel, position: int, *, opening: bool) -> Column:
    """When the session of each bar's day opens or closes.

    Without known hours a day opens with its first bar, and nobody knows when it closes. Bars of a day
    or more are in no session.
    """
    rows, session = panel.rows(position), panel.known(position).session
    times = panel.times[rows]
    if panel.duration >= DAY or (session is None and not opening):
        return np.full(len(times), np.nan)
    days = panel.days(position, times)
    if session is None:
        first = np.flatnonzero(np.diff(days, prepend=-1))
        return np.repeat(times[first], np.diff(np.append(first, len(times)))).astype(np.float64)
    moments = session.opens(days) if opening else session.closes(days)
    return moments.astype(np.float64)


def _a_year(panel: Panel, position: int) -> float:
    """Bars in a year of 252 trading days; missing for bars that do not go by the clock."""
    if panel.duration == 0:
        return np.nan
    if isinstance(panel.rule, Timeframe) and panel.rule.unit in _A_YEAR:
        return _A_YEAR[panel.rule.unit] / panel.rule.count
    if panel.duration >= DAY:
        return 252.0 * DAY / panel.duration
    return 252.0 * panel.known(position).calendar.minutes * 60 / panel.duration


_A_YEAR = {ClockUnit.DAY: 252.0, ClockUnit.WEEK: 52.0, ClockUnit.MONTH: 12.0}


def _from_trades(panel: Panel, field: str) -> Column:
    """A measure of the trades within each bar; missing where no trades are kept of its time."""
    column = np.full(len(panel.times), np.nan)
    tape = next((base for base in panel.bases if base.duration == 0), None)
    if tape is None or field not in tape.columns:
        return column
    for position, code in enumerate(panel.codes):
        if code in tape.codes:
            rows = panel.rows(position)
            own = tape.rows(tape.position(code))
            begun = _day_begins(panel, position, tape.times[own][:1])
            column[rows] = _within(panel, rows, tape, own, field, begun)
    return column


def _day_begins(panel: Panel, position: int, moments: Times) -> Times:
    """Midnight at the venue before each moment."""
    calendar = panel.known(position).calendar
    return calendar.clock.moments(calendar.days(moments) * DAY)


def _within(
    panel: Panel, rows: slice, tape: Panel, stretch: slice, field: str, begun: Times
) -> Column:
    times = tape.times[stretch]
    found = np.full(rows.stop - rows.start, np.nan)
    if not len(times):
        return found
    opens, closes = panel.openings[rows], panel.close_times(rows)
    firsts: NDArray[np.int64] = np.searchsorted(times, opens, side="left").astype(np.int64)
    ends: NDArray[np.int64] = np.searchsorted(times, closes, side="left").astype(np.int64)
    covered = (opens >= begun[0]) & (opens <= times[-1])
    some = covered & (ends > firsts)
    found[covered] = np.nan if field == "feed_lag_ms" else 0.0
    found[some] = joined_bars(field, tape.columns[field][stretch], firsts[some], ends[some] - 1)
    return found
