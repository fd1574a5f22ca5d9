"""Futures on goods, with seasons."""

from __future__ import annotations

import numpy as np

from zealous_sieve.core.demo.names import GOODS, GOODS_YARD, HOME
from zealous_sieve.core.demo.paths import STEPS, Made, cut, noise, regimes, to_tick, walk_path
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind


def make_goods(rng: np.random.Generator, days: int) -> list[Made]:
    """One continuous future a good."""
    made = []
    for code, name, start, tick, point in GOODS:
        usual = float(rng.uniform(0.010, 0.020))
        drift, volatility = regimes(rng, days)
        season = np.diff(0.08 * np.sin(2 * np.pi * (np.arange(days + 1) / 252 + rng.random())))
        moves = noise(rng, days, night=0.25) * volatility[:, None] * usual
        moves += (drift * usual + season)[:, None] / STEPS
        path = walk_path(start, moves - moves.mean())
        bars = to_tick(cut(path), tick)
        size = np.abs(moves.sum(axis=1)) / usual
        bars["volume"] = np.round(np.exp(rng.normal(9, 0.3, days)) * (0.6 + 0.4 * size))
        instrument = Instrument(
            code=code, name=name, kind=InstrumentKind.FUTURE, venue=GOODS_YARD, currency=HOME,
            tick=tick, point_value=float(point), facts={"group": "goods"},
        )  # fmt: skip
        made.append(Made(instrument=instrument, path=path, bars=bars))
    return made
