"""Results: what followed on bars, to a horizon."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.evidence.settings import Horizon
from zealous_sieve.core.evidence.signals import Places
from zealous_sieve.core.formula.timeframe import DAY

BEYOND = -1
"""The row of an end that the data do not reach."""
_AT_ONCE = 4_000_000
"""Bars after signals that are looked at together."""


@dataclass(frozen=True, kw_only=True, eq=False)
class LookingAhead:
    """The bars of a panel, looked at from each of them ahead."""

    panel: Panel
    at_close: bool = False
    """Results count from the close of a bar, not from the next open."""

    @cached_property
    def _sessions(self) -> tuple[Places, Places, Places]:
        """Of each row the number of its session, counted on over all instruments; of each session its last
        row, ``BEYOND`` where it is not over; and its instrument."""
        panel = self.panel
        numbers = np.zeros(len(panel.times), np.int64)
        lasts: list[Places] = []
        instruments: list[Places] = []
        begun = 0
        for place in range(len(panel)):
            rows = panel.rows(place)
            if rows.start == rows.stop:
                continue
            days = panel.days(place, panel.times[rows])
            turns = np.flatnonzero(np.diff(days)) + 1
            numbers[rows] = begun + np.searchsorted(turns, np.arange(len(days)), side="right")
            last = np.append(turns, len(days)) - 1 + rows.start
            if not self._is_over(place, int(days[-1]), rows):
                last[-1] = BEYOND
            lasts.append(last)
            instruments.append(np.full(len(last), place))
            begun += len(last)
        empty = np.zeros(0, np.int64)
        return numbers, np.concatenate([empty, *lasts]), np.concatenate([empty, *instruments])

    def sessions(self) -> tuple[Places, NDArray[np.bool_]]:
        """Of each row the number of its session, counted on over all instruments, and whether it is the
        last of one that is over."""
        numbers, last, _ = self._sessions
        is_last = np.zeros(len(numbers), bool)
        is_last[last[last != BEYOND]] = True
        return numbers, is_last

    def _is_over(self, place: int, day: int, rows: slice) -> bool:
        """Whether the last session of an instrument has no further bar to come."""
        if self.panel.duration >= DAY:
            return True
        closed = int(self.panel.close_times(rows)[-1])
        return closed >= int(self.panel.known(place).calendar.closes(np.array([day]))[0])

    def ends(self, instrument: Places, row: Places, horizon: Horizon) -> Places:
        """The row of the bar with which a horizon ends, ``BEYOND`` where the data do not reach it."""
        stop = self.panel.ends[instrument]
        after = row + 1
        if horizon.bars is not None:
            end = row + horizon.bars
            return np.where(end < stop, end, BEYOND)
        numbers, last, of = self._sessions
        reached = after < stop
        inside = np.where(reached, after, row)
        wanted = numbers[inside] if not horizon.sessions else numbers[row] + horizon.sessions
        known = reached & (wanted < len(last))
        wanted = np.where(known, wanted, 0)
        known &= np.append(of, -1)[wanted] == instrument
        return np.where(known, np.append(last, BEYOND)[wanted], BEYOND)

    def starts(self, instrument: Places, row: Places) -> Column:
        """The price that results count from; NaN where the data do not reach it."""
        if self.at_close:
            return self.panel.columns["close"][row]
        reached = row + 1 < self.panel.ends[instrument]
        return np.where(
            reached, self.panel.columns["open"][np.where(reached, row + 1, row)], np.nan
        )

    def percents(self, instrument: Places, row: Places, horizon: Horizon) -> Column:
        """How far the close at the end of the horizon is above the start, in percent of it; NaN where it is
        open, and where prices are missing or not above zero."""
        end = self.ends(instrument, row, horizon)
        start = self.starts(instrument, row)
        return _percent(start, self.closes(end))

    def closes(self, end: Places) -> Column:
        """The closes of some rows; NaN where that is ``BEYOND``."""
        return np.where(end == BEYOND, np.nan, self.panel.columns["close"][end])


@dataclass(frozen=True, kw_only=True, eq=False)
class Results:
    """What followed on signals to one horizon, as columns of one length. ``percent`` is signed by side, as
    ``ranges``, the same in average ranges of the signal's bar; ``far_for`` and ``far_against`` are the
    furthest that highs and lows went for and against it, in percent, after so many bars (1 is the bar after
    the signal; 0 where they never did). NaN where it is ``is_open``, and where prices say nothing."""

    horizon: Horizon
    end: Places
    percent: Column
    ranges: Column
    far_for: Column
    far_against: Column
    far_for_bars: Places
    far_against_bars: Places

    @property
    def is_open(self) -> NDArray[np.bool_]:
        return np.asarray(self.end == BEYOND)

    @property
    def is_known(self) -> NDArray[np.bool_]:
        """Where there is a result."""
        return np.isfinite(self.percent)


def results_of(
    ahead: LookingAhead,
    instrument: Places,
    row: Places,
    signs: Column,
    ranges: Column,
    horizon: Horizon,
) -> Results:
    """What followed on bars for sides (+1, −1); ``ranges`` is the average range at every row."""
    columns = ahead.panel.columns
    end = ahead.ends(instrument, row, horizon)
    start = ahead.starts(instrument, row)
    close = ahead.closes(end)
    moved = signs * (close - start)
    with np.errstate(divide="ignore", invalid="ignore"):
        in_ranges = np.where(ranges[row] > 0, moved / ranges[row], np.nan)
    high, high_bars = _furthest(columns["high"], row, end)
    low, low_bars = _furthest(-columns["low"], row, end)
    up, down = _reach(high - start, start), _reach(low + start, start)
    high_bars, low_bars = np.where(up > 0, high_bars, 0), np.where(down > 0, low_bars, 0)
    is_long = signs > 0
    return Results(
        horizon=horizon,
        end=end,
        percent=signs * _percent(start, close),
        ranges=in_ranges,
        far_for=np.where(is_long, up, down),
        far_against=np.where(is_long, down, up),
        far_for_bars=np.where(is_long, high_bars, low_bars),
        far_against_bars=np.where(is_long, low_bars, high_bars),
    )


def _percent(start: Column, close: Column) -> Column:
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(start > 0, 100.0 * (close / start - 1.0), np.nan)


def _reach(moved: Column, start: Column) -> Column:
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(start > 0, 100.0 * np.maximum(moved, 0.0) / start, np.nan)


def _furthest(column: Column, row: Places, end: Places) -> tuple[Column, Places]:
    """The largest of a column on the bars after some rows up to their ends, and on which of them it comes
    first, counted from 1; NaN and 0 where there is no end."""
    found, bars = np.full(len(row), np.nan), np.zeros(len(row), np.int64)
    done = np.flatnonzero(end > row)
    for some in _in_parts(done, end[done] - row[done]):
        lengths = end[some] - row[some]
        begins = np.cumsum(lengths) - lengths
        within = np.arange(int(lengths.sum())) - np.repeat(begins, lengths)
        values = column[np.repeat(row[some] + 1, lengths) + within]
        # A bar without a price has no say.
        values = np.where(np.isnan(values), -np.inf, values)
        best = np.maximum.reduceat(values, begins)
        is_best = values == np.repeat(best, lengths)
        first = np.minimum.reduceat(np.where(is_best, within, within.size), begins)
        known = np.isfinite(best)
        found[some] = np.where(known, best, np.nan)
        bars[some] = np.where(known, first + 1, 0)
    return found, bars


def _in_parts(places: Places, lengths: Places) -> Iterator[Places]:
    """Places in parts of about as many bars together as are looked at at once."""
    if not len(places):
        return
    cuts = np.flatnonzero(np.diff(np.cumsum(lengths) // _AT_ONCE)) + 1
    yield from np.split(places, cuts)
