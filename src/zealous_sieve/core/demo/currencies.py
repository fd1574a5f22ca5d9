"""Eight currencies and their crosses, consistent with each other at every moment."""

from __future__ import annotations

from itertools import combinations

import numpy as np

from zealous_sieve.core.demo.names import CURRENCIES, CURRENCY_ROOM
from zealous_sieve.core.demo.paths import (
    STEPS,
    Array,
    Made,
    cut,
    noise,
    regimes,
    to_tick,
    walk_path,
)
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind

_START = {"LMN": 1.0, "OSK": 1.32, "VRL": 0.0091, "TDQ": 0.74, "KWE": 1.08, "BRQ": 0.62,
         "ZFN": 0.145, "HLQ": 0.88}  # fmt: skip


def make_crosses(rng: np.random.Generator, values: dict[str, Array]) -> list[Made]:
    """Every pair of currencies: base ÷ quote, cut from the currencies' own paths."""
    days = len(next(iter(values.values())))
    made = []
    for base, quote in combinations(CURRENCIES, 2):
        path = values[base] / values[quote]
        tick = 10.0 ** (np.floor(np.log10(path[-1, -1])) - 4)
        bars = to_tick(cut(path), tick)
        move = np.abs(np.log(path[:, -1] / path[:, 0]))
        bars["volume"] = np.round(np.exp(rng.normal(10.5, 0.2, days)) * (1 + 60 * move))
        instrument = Instrument(
            code=base + quote,
            name=f"{CURRENCIES[base].capitalize()} in {CURRENCIES[quote]}",
            kind=InstrumentKind.CROSS,
            venue=CURRENCY_ROOM,
            currency=quote,
            tick=float(tick),
            facts={"base": base, "quote": quote},
        )
        made.append(Made(instrument=instrument, path=path, bars=bars))
    return made


def currency_values(rng: np.random.Generator, days: int) -> dict[str, Array]:
    """What each currency is worth, as paths of shape (days, STEPS)."""
    return {code: _value(rng, start, days) for code, start in _START.items()}


def _value(rng: np.random.Generator, start: float, days: int) -> Array:
    usual = float(rng.uniform(0.0025, 0.0045))
    drift, volatility = regimes(rng, days)
    moves = noise(rng, days, night=1 / STEPS) * volatility[:, None] * usual
    moves += (drift * usual)[:, None] / STEPS
    return walk_path(start, moves - moves.mean())
