"""Bars by what happens: bricks, and bars of so many trades, so much range or so much volume.

The rows they are made of are not divided: a trade (or, where there are no trades, a bar of the finest
base) belongs to one bar as a whole, and a jump makes one long bar rather than several invented ones.
Bars of trades, range and volume end with their session; bricks go on over the night.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.clock import joined_bars
from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import NEVER, Panel
from zealous_sieve.core.formula.timeframe import DAY, BarKind, Form
from zealous_sieve.core.functions.compiling import compiled

FIRST_ROW = "_first_row"
"""The column that says with which row of what it is made of a bar begins, counted from the first."""
Built = tuple[Times, Times, dict[str, Column]]
"""When bars opened, when they closed, and their columns."""


def form(panel: Panel, position: int, kind: BarKind) -> Built:
    """The bars of one instrument; the last one may be unfinished and closes ``NEVER``."""
    rows = panel.rows(position)
    columns = {name: column[rows] for name, column in panel.columns.items()}
    times, closes = panel.times[rows], panel.close_times(rows)
    if kind.form == Form.BRICK:
        return _bricks(times, closes, columns, kind, panel.known(position).tick)
    return _heaps(panel, position, columns, kind)


def _heaps(panel: Panel, position: int, columns: dict[str, Column], kind: BarKind) -> Built:
    rows, known = panel.rows(position), panel.known(position)
    times, row_closes = panel.times[rows], panel.close_times(rows)
    days = panel.local_times[rows] // DAY
    firsts, lasts, full = _piles(days, columns, kind, known.tick)
    session_ends = known.calendar.closes(days[firsts])
    until = np.where(full, row_closes[lasts], np.maximum(session_ends, row_closes[lasts]))
    until[~full & (session_ends > panel.first_awaited(position))] = NEVER
    made = {name: joined_bars(name, column, firsts, lasts) for name, column in columns.items()}
    return times[firsts], until, made | {FIRST_ROW: firsts.astype(np.float64)}


def _piles(
    days: Times, columns: dict[str, Column], kind: BarKind, tick: float
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """First and last row of every bar, and whether it is full."""
    count = len(days)
    if kind.form == Form.RANGE:
        steps = np.rint(columns["high"] / tick), np.rint(columns["low"] / tick)
        marks = _by_range(days, *steps, float(kind.size))
    else:
        amounts = columns["trades" if kind.form == Form.TICKS else "volume"]
        marks = _by_amount(days, amounts, float(kind.size))
    lasts = np.flatnonzero(marks > 0)
    firsts = np.append(0, lasts[:-1] + 1)[: len(lasts)]
    if count and (not len(lasts) or lasts[-1] < count - 1):
        firsts = np.append(firsts, lasts[-1] + 1 if len(lasts) else 0)
        lasts = np.append(lasts, count - 1)
    return firsts.astype(np.int64), lasts.astype(np.int64), marks[lasts] == 1


@compiled
def _by_amount(days, amounts, size):  # type: ignore[no-untyped-def]
    """For each row 1 when it fills its bar, 2 when only the day ends after it, else 0."""
    marks = np.zeros(len(days), np.int8)
    total = 0.0
    for row in range(len(days)):
        total += amounts[row] if amounts[row] > 0.0 else 0.0
        if total >= size:
            marks[row], total = 1, 0.0
        elif row + 1 < len(days) and days[row + 1] > days[row]:
            marks[row], total = 2, 0.0
    return marks


@compiled
def _by_range(days, high, low, size):  # type: ignore[no-untyped-def]
    marks = np.zeros(len(days), np.int8)
    top, bottom = -np.inf, np.inf
    for row in range(len(days)):
        top, bottom = max(top, high[row]), min(bottom, low[row])
        if top - bottom >= size:
            marks[row] = 1
        elif row + 1 < len(days) and days[row + 1] > days[row]:
            marks[row] = 2
        if marks[row]:
            top, bottom = -np.inf, np.inf
    return marks


def _bricks(
    times: Times, closes: Times, columns: dict[str, Column], kind: BarKind, tick: float
) -> Built:
    """Bricks from the closes of the rows; a wick shows how far price went the other way."""
    steps = np.rint(columns["close"] / tick)
    count = _lay(steps, float(kind.size), float(kind.reversal), np.empty((0, 2)))
    laid = np.empty((count, 2))
    if count:
        _lay(steps, float(kind.size), float(kind.reversal), laid)
    done = laid[:, 0].astype(np.int64)
    levels = np.round(laid[:, 1] * tick, 9)
    begun = np.append(0, done[:-1] + 1)[:count]
    empty = begun > done
    firsts = np.where(empty, done, begun)
    start = np.round(steps[0] * tick, 9) if len(steps) else 0.0
    opening = np.append(start, levels)[:count]
    made = {name: joined_bars(name, column, firsts, done) for name, column in columns.items()}
    for name in made:
        if name not in ("open", "high", "low", "close", "feed_lag_ms"):
            made[name][empty] = 0.0
    up = levels > opening
    made["high"] = np.where(
        up | empty, np.maximum(opening, levels), np.maximum(made["high"], opening)
    )
    made["low"] = np.where(
        up & ~empty, np.minimum(made["low"], opening), np.minimum(opening, levels)
    )
    made["open"], made["close"], made[FIRST_ROW] = opening, levels, firsts.astype(np.float64)
    built = times[firsts], closes[done], made
    rest = int(done[-1]) + 1 if count else 0
    if rest < len(times):
        last = levels[-1] if count else float(columns["open"][0])
        return _with_rest(built, times, columns, rest, last)
    return built


def _with_rest(
    built: Built, times: Times, columns: dict[str, Column], rest: int, opening: float
) -> Built:
    """The brick that is still being laid, from row ``rest`` on."""
    first, last = np.array([rest]), np.array([len(times) - 1])
    own = {name: joined_bars(name, column, first, last) for name, column in columns.items()}
    own["open"][0], own[FIRST_ROW] = opening, first.astype(np.float64)
    own["high"][0] = max(own["high"][0], opening)
    own["low"][0] = min(own["low"][0], opening)
    opens, closes, made = built
    columns = {name: np.append(made[name], own[name]) for name in made}
    return np.append(opens, times[rest]), np.append(closes, NEVER), columns


@compiled
def _lay(steps, size, reversal, laid):  # type: ignore[no-untyped-def]
    """Rows and levels of the bricks, in price steps; only counts them when ``laid`` is empty."""
    count = 0
    direction = 0
    level = steps[0] if len(steps) else 0.0
    for row in range(len(steps)):
        if steps[row] != steps[row]:
            continue
        if level != level:
            level = steps[row]
        while True:
            up = size if direction >= 0 else reversal
            down = size if direction <= 0 else reversal
            if steps[row] >= level + up:
                level, direction = level + up, 1
            elif steps[row] <= level - down:
                level, direction = level - down, -1
            else:
                break
            if len(laid):
                laid[count, 0], laid[count, 1] = row, level
            count += 1
    return count
