"""How well a formula holds through a stretch: how often it turns against it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.functions.units import PRICE
from zealous_sieve.core.sieve.drawing import near_prices

_Column = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class Held:
    """Through a stretch: how often the formula changed its side, on how many bars it stood against the way
    the stretch went, and on how many it had a side at all."""

    reversals: int
    against: int
    bars: int


def sides(typed: Typed, values: _Column, closes: _Column) -> _Column:
    """Which side a formula takes a bar: 1 up, -1 down, 0 none or unknown.

    A line over the price takes the side on which the close is, a condition is up where it holds, what has a
    scale is judged by the middle of it, anything else by its sign.
    """
    if typed.kind == Kind.TRUTH:
        found = np.where(values == 1.0, 1.0, np.where(values == 0.0, -1.0, 0.0))
    elif typed.unit == PRICE and near_prices(values, closes):
        found = np.sign(closes - values)
    else:
        span = typed.spec.span if typed.spec else None
        found = np.sign(values - (sum(span) / 2 if span else 0.0))
    return np.nan_to_num(found)


def held_through(side: _Column, closes: _Column) -> Held:
    """How well sides hold through the closes of a stretch, first to last. A bar without a side changes
    nothing."""
    taken = side[side != 0]
    way = np.sign(closes[-1] - closes[0]) if len(closes) else 0.0
    return Held(
        reversals=int((np.diff(taken) != 0).sum()),
        against=int((taken == -way).sum()) if way else 0,
        bars=len(taken),
    )
