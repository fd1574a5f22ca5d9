"""Bars within the day: paths refined so that they fit the daily bars, and today's session so far."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.demo.calendar import NOW
from zealous_sieve.core.demo.paths import STEPS, Array, to_tick
from zealous_sieve.core.engine.session import Session
from zealous_sieve.core.formula.timeframe import DAY

DayTimes = NDArray[np.int64]
DaySeries = tuple[DayTimes, dict[str, Array]]
MINUTE, FIFTEEN = 60, 900
POINTS = 3
"""Prices drawn inside each bar that is cut."""


@dataclass(frozen=True, kw_only=True)
class Extent:
    """How many sessions, today's included, are made in minutes, in quarters of an hour, as trades."""

    minutes: int = 20
    quarters: int = 250
    trades: int = 3


@dataclass(frozen=True, kw_only=True)
class Grid:
    """The bars of one session: ``opens`` are seconds after midnight by the venue's clock."""

    opens: DayTimes
    session: Session

    @classmethod
    def of(cls, session: Session, length: int) -> Grid:
        pieces = [np.arange(a * 60, b * 60, length, dtype=np.int64) for a, b in session.hours]
        return cls(opens=np.concatenate(pieces), session=session)

    def times(self, days: DayTimes) -> DayTimes:
        """Opening moments of all bars of some days, as ``(days, bars)``."""
        return self.session.clock.moments(days[:, None] + self.opens)


def refine(rng: np.random.Generator, path: Array, points: int) -> Array:
    """A path of shape (days, STEPS) at more points, which go through those there are.

    Between them it wanders as a random walk pinned at both ends.
    """
    places = np.linspace(0, points - 1, STEPS)
    at = np.arange(points)
    left = np.minimum(np.searchsorted(places, at, side="right") - 1, STEPS - 2)
    share = (at - places[left]) / (places[left + 1] - places[left])
    logs = np.log(path)
    usual = np.median(np.abs(np.diff(logs, axis=1)), axis=1, keepdims=True) * 1.3
    walk = np.cumsum(rng.standard_normal((len(path), points)), axis=1) * np.sqrt(STEPS / points)
    whole = np.floor(places).astype(np.int64)
    pinned = walk - (walk[:, whole[left]] * (1 - share) + walk[:, whole[left + 1]] * share)
    straight = logs[:, left] * (1 - share) + logs[:, left + 1] * share
    return np.asarray(np.exp(straight + usual * pinned))


def fit(path: Array, bars: Mapping[str, Array]) -> Array:
    """Bend each day of a path so that it opens, closes and turns where the daily bar says.

    Prices between keep their order: the bend rises everywhere.
    """
    columns = [path.min(axis=1), path[:, 0], path[:, -1], path.max(axis=1)]
    bottom, first, last, top = (column[:, None] for column in columns)
    opens, highs, lows, closes = (bars[n][:, None] for n in ("open", "high", "low", "close"))
    below, above = np.minimum(first, last), np.maximum(first, last)
    under, over = np.minimum(opens, closes), np.maximum(opens, closes)
    low = _between(path, bottom, below, lows, under)
    middle = _between(path, below, above, under, over)
    high = _between(path, above, top, over, highs)
    bent = np.where(path < below, low, np.where(path > above, high, middle))
    days, inside = np.arange(len(path)), path[:, 1:-1]
    bent[days, inside.argmax(axis=1) + 1] = bars["high"]
    bent[days, inside.argmin(axis=1) + 1] = bars["low"]
    bent[:, 0], bent[:, -1] = bars["open"], bars["close"]
    return np.asarray(bent)


def _between(path: Array, low: Array, high: Array, to_low: Array, to_high: Array) -> Array:
    width = high - low
    share = np.divide(path - low, width, out=np.zeros_like(path), where=width > 0)
    return np.asarray(to_low + share * (to_high - to_low))


def shape_of_day(bars: int) -> Array:
    """How busy each bar of a session is: much at both ends, little in the middle."""
    place = np.linspace(-1, 1, bars)
    return np.asarray(0.55 + 0.9 * place**2 + 0.35 * (place < -0.9))


def spread_volume(rng: np.random.Generator, volume: Array, bars: int) -> Array:
    """Daily volumes as ``(days, bars)``, whole units that add up to them."""
    weights = shape_of_day(bars) * np.exp(rng.normal(0, 0.6, (len(volume), bars)))
    shares = np.cumsum(weights, axis=1) / weights.sum(axis=1, keepdims=True)
    totals = np.round(shares * volume[:, None])
    return np.diff(totals, axis=1, prepend=0.0)


def cut_bars(path: Array, volume: Array, tick: float) -> dict[str, Array]:
    """Bars ``(days, bars)`` from a path ``(days, points)``."""
    inside = path.reshape(len(path), volume.shape[1], -1)
    bars = {
        "open": inside[:, :, 0],
        "high": inside.max(axis=2),
        "low": inside.min(axis=2),
        "close": inside[:, :, -1],
    }
    return to_tick(bars, tick) | {"volume": volume}


def joined_days(bars: Mapping[str, Array], by: int) -> dict[str, Array]:
    """Every ``by`` bars of a day as one."""
    parts = {name: v.reshape(len(v), v.shape[1] // by, by) for name, v in bars.items()}
    return {
        "open": parts["open"][:, :, 0],
        "high": parts["high"].max(axis=2),
        "low": parts["low"].min(axis=2),
        "close": parts["close"][:, :, -1],
        "volume": parts["volume"].sum(axis=2),
    }


def series_of_days(times: DayTimes, bars: Mapping[str, Array], length: int) -> DaySeries:
    """Bars of days one after another, without those that have not closed by NOW."""
    flat = times.ravel()
    done = flat + length <= NOW
    return flat[done], {name: np.ascontiguousarray(v.ravel()[done]) for name, v in bars.items()}


def today(rng: np.random.Generator, before: Array, common: Array, night: float) -> Array:
    """The path of a session that has begun after the days ``before``, of shape (1, STEPS).

    It moves with ``common`` (standard moves of all such instruments) and on its own, as much as in
    the last two months.
    """
    usual = np.std(np.diff(np.log(before[-40:]), axis=1))
    own = rng.standard_normal(STEPS) * 0.8 + common * 0.6
    own[0] *= night
    return np.asarray(before[-1, -1] * np.exp(np.cumsum(own * usual)))[None, :]


def midnight(moment: int) -> int:
    return moment // DAY * DAY
