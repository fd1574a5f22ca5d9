"""The overview of a market: statements about its index and gauge, breadth, what is tight, and how sectors
turn."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.session import Session
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.pages.currencies import StrengthSpan


@dataclass(frozen=True, kw_only=True)
class Subject:
    """An instrument that statements are made about, on bars of several kinds."""

    code: str
    bars: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class BreadthLine:
    """A number over all instruments of a universe, through time."""

    label: str
    formula: str


@dataclass(frozen=True, kw_only=True)
class Tight:
    """When an instrument is tight, and what is told of those that are.

    ``held`` is the condition, ``lasted`` for how many bars it has held, ``near`` how near to its end it is:
    the largest would release first. ``trend``, ``structure`` and ``momentum`` are above zero where they
    point up. It is looked for on ``bars`` of several kinds, the fastest first, and told where it holds on
    at least so many of them. ``released`` is above zero on the bar on which it went out of it upward, below
    zero downward; one of the last ``within`` bars is told. Empty, none is.
    """

    held: str
    lasted: str
    near: str
    trend: str
    structure: str
    momentum: str
    bars: tuple[str, ...]
    least: int = 2
    released: str = ""
    within: int = 4


@dataclass(frozen=True, kw_only=True)
class OverviewSet:
    """How the overview is arranged. ``universe`` is what breadth, tightness and rotation look at, ``by``
    the fact by which it is parted; ``history`` is how many bars breadth goes back, ``ahead`` on how many
    days events are told."""

    universe: str
    subjects: tuple[Subject, ...]
    statements: tuple[str, ...]
    breadth: tuple[BreadthLine, ...]
    tight: Tight
    spans: tuple[StrengthSpan, ...]
    by: str = "sector"
    history: int = 130
    ahead: int = 10
    forming: bool = False


def means_by_group(values: Column, groups: Sequence[str]) -> dict[str, float]:
    """The mean of what is known in each group, in the order of their names; NaN where nothing is. Those in
    no group (an empty name) count for none."""
    names = np.array(groups, dtype=object)
    found: dict[str, float] = {}
    for name in sorted({group for group in groups if group}):
        own = values[names == name]
        own = own[~np.isnan(own)]
        found[name] = float(own.mean()) if len(own) else float("nan")
    return found


def release_order(held: Sequence[Column], near: Sequence[Column], least: int) -> list[int]:
    """Who is tight on at least so many kinds of bars, in the order in which they would release: by how near
    the end is on the fastest bars on which it holds, the nearest first; what is not known comes last.

    ``held`` and ``near`` are a row a kind of bars, the fastest first, with a column an instrument.
    """
    holds = np.array([row == 1.0 for row in held]).reshape(len(held), -1)
    counted = np.flatnonzero(holds.sum(axis=0) >= max(1, least))
    fastest = holds.argmax(axis=0)

    def key(place: int) -> tuple[float, int]:
        value = near[int(fastest[place])][place]
        return (np.inf if np.isnan(value) else -float(value), place)

    return sorted(counted.tolist(), key=key)


def last_release(released: Column) -> tuple[int, int] | None:
    """How many bars ago the newest release was and its side, of the values on the last bars of one
    instrument, the newest last; nothing where there was none."""
    bars = np.flatnonzero(np.nan_to_num(released))
    if not len(bars):
        return None
    return len(released) - 1 - int(bars[-1]), int(np.sign(released[bars[-1]]))


def open_between(session: Session, first: int, last: int) -> list[tuple[int, int]]:
    """The stretches in which a venue trades within two moments, in seconds since 1970."""
    days = np.arange(*session.days(np.array([first - DAY, last + 2 * DAY])), dtype=np.int64)
    days = days[session.trades_on(days)]
    closes = session.closes(days)
    found = []
    for begin, end in session.hours:
        opens = session.clock.moments(days * DAY + begin * 60)
        shuts = np.minimum(session.clock.moments(days * DAY + end * 60), closes)
        pieces = zip(
            np.maximum(opens, first).tolist(), np.minimum(shuts, last).tolist(), strict=True
        )
        found += [(a, b) for a, b in pieces if a < b]
    return joined_stretches(sorted(found))


def joined_stretches(stretches: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Stretches in order, those that touch as one."""
    found: list[tuple[int, int]] = []
    for begin, end in stretches:
        if found and begin <= found[-1][1]:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        else:
            found.append((begin, end))
    return found


_BANDS = "bollinger(close, 19, 2.1)"
_CHANNEL = "keltner(19, 1.6)"
READY: Mapping[str, OverviewSet] = {
    "The market": OverviewSet(
        universe="All shares",
        subjects=(
            Subject(code="LANT40", bars=("1h", "1d", "1w")),
            Subject(code="GLIMMR", bars=("1d", "1w", "1mo")),
        ),
        statements=(
            "macd(close, 11, 29, 7).line > 0",
            "supertrend(12, 2.7).direction == 1",
            "swing_low(rsi(13), 3).price > swing_low(rsi(13), 3).before",
            "close > sma(close, 45) for 5 bars",
            "body_beyond(sma(close, 45)) == 1",
        ),
        breadth=(
            BreadthLine(
                label="above the mean of 45 days", formula="breadth(close > sma(close, 45))"
            ),
            BreadthLine(
                label="60-day highs less lows",
                formula="breadth(close >= highest(close, 60)) - breadth(close <= lowest(close, 60))",
            ),
            BreadthLine(
                label="turnover that rises, 6 days",
                formula="sma(100 * mean_across(if_then(close > prev(close), volume * close, 0)) "
                "/ mean_across(volume * close), 6)",
            ),
        ),
        tight=Tight(
            held="compression(19, 2.1, 1.6).on",
            lasted="compression(19, 2.1, 1.6).bars",
            near=f"100 * ({_BANDS}.upper - {_BANDS}.lower) / ({_CHANNEL}.upper - {_CHANNEL}.lower)",
            trend="supertrend(12, 2.7).direction",
            structure="swing_trend(4)",
            momentum="macd(close, 11, 29, 7).histogram",
            bars=("1h", "4h", "1d", "1w"),
            released="compression(19, 2.1, 1.6).released",
        ),
        spans=(
            StrengthSpan(bars="1d", count=65, label="65 days"),
            StrengthSpan(bars="1d", count=22, label="22 days"),
            StrengthSpan(bars="1d", count=5, label="5 days"),
            StrengthSpan(bars="1d", count=1, label="a day"),
        ),
    ),
}
"""The overviews that come with the application."""
