"""Random paths: regimes of drift and volatility, and bars cut from the path inside a day."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.market.instruments import Instrument

Array = NDArray[np.float64]

STEPS = 16
"""Moves inside one day."""


@dataclass(frozen=True, kw_only=True)
class Made:
    """An instrument with the path its daily bars were cut from: prices of shape (days, STEPS)."""

    instrument: Instrument
    path: Array
    bars: dict[str, Array]
    reports: tuple[int, ...] = ()
    """Midnights of the days on which the company reports, the next one included."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Regime:
    """A stretch of days with a drift and volatility, as multiples of the usual daily deviation."""

    drift: float
    volatility: float
    days: tuple[int, int]


_RANGE = Regime(drift=0.0, volatility=0.85, days=(15, 50))
RISE = Regime(drift=0.14, volatility=0.95, days=(20, 70))
FALL = Regime(drift=-0.14, volatility=1.1, days=(15, 50))
SQUEEZE = Regime(drift=0.0, volatility=0.4, days=(12, 30))
RELEASE_UP = Regime(drift=0.55, volatility=1.5, days=(5, 12))
RELEASE_DOWN = Regime(drift=-0.55, volatility=1.6, days=(5, 12))

_NEXT: dict[Regime, tuple[tuple[Regime, float], ...]] = {
    _RANGE: ((RISE, 0.32), (FALL, 0.24), (SQUEEZE, 0.44)),
    RISE: ((_RANGE, 0.55), (FALL, 0.15), (SQUEEZE, 0.3)),
    FALL: ((_RANGE, 0.6), (RISE, 0.25), (SQUEEZE, 0.15)),
    SQUEEZE: ((RELEASE_UP, 0.55), (RELEASE_DOWN, 0.45)),
    RELEASE_UP: ((RISE, 0.6), (_RANGE, 0.4)),
    RELEASE_DOWN: ((FALL, 0.55), (_RANGE, 0.45)),
}


def regimes(rng: np.random.Generator, days: int) -> tuple[Array, Array]:
    """Drift and volatility of every day, as multiples of the usual daily deviation.

    A squeeze tightens as it goes on; a release follows it.
    """
    drift, volatility = np.zeros(days), np.ones(days)
    day, regime = 0, _RANGE
    while day < days:
        length = int(rng.integers(*regime.days))
        stretch = slice(day, min(day + length, days))
        drift[stretch] = regime.drift
        volatility[stretch] = regime.volatility
        if regime is SQUEEZE:
            volatility[stretch] *= np.linspace(1.3, 0.75, length)[: stretch.stop - day]
        following = _NEXT[regime]
        chances = np.cumsum([chance for _, chance in following])
        chosen = int(np.searchsorted(chances, rng.random() * chances[-1]))
        day, regime = day + length, following[chosen][0]
    return drift, volatility


def cut(path: Array) -> dict[str, Array]:
    """Bars from prices inside each day: ``path`` has the shape (days, steps)."""
    return {
        "open": path[:, 0],
        "high": path.max(axis=1),
        "low": path.min(axis=1),
        "close": path[:, -1],
    }


def to_tick(bars: dict[str, Array], tick: float) -> dict[str, Array]:
    """Prices on the grid of the tick size; the order low ≤ open, close ≤ high is kept."""
    decimals = max(0, round(-np.log10(tick)) + 2)
    return {
        name: np.round(np.maximum(np.round(values / tick), 1.0) * tick, decimals)
        for name, values in bars.items()
    }


def noise(rng: np.random.Generator, days: int, night: float = 0.35) -> Array:
    """Standard moves of shape (days, STEPS) whose variance over a day is about 1.

    The first move of a day is the one over night; ``night`` is its share of the variance.
    """
    moves = rng.standard_normal((days, STEPS))
    moves[:, 0] *= np.sqrt(night)
    moves[:, 1:] *= np.sqrt((1.0 - night) / (STEPS - 1))
    return moves


def walk_path(start: float, moves: Array) -> Array:
    """Prices along log moves of shape (days, steps)."""
    return start * np.exp(np.cumsum(moves.ravel()).reshape(moves.shape))
