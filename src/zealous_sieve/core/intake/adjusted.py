"""Splits and payments that adjusted closes tell, held against the closes that they are adjusted from.

Of a row the factor is its adjusted close over its close. From one row to the next it changes where
something was paid or split: what was before is to be multiplied by the factor before over the one after.
Adjusted closes are rounded, so that a factor is only known to half of their last digit; changes within that
say nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.market.mending import Mending, MendingKind

BECAUSE = "adjusted closes"
"""The reason of what is mended by them."""
_MOST_DIGITS = 8
LARGEST_TERM = 20
"""Terms of a split are whole numbers up to this."""
SPLIT_AT_LEAST = 0.04
"""A factor nearer to one is no split: 25 for 24 is the least."""
TERMS_WITHIN = 0.0003
"""How near the factor is to its terms; a payment of 6 % that the price followed is no 16 for 15."""
LEAST_PAID = 1e-7
"""Payments of a smaller share of the price are none."""
_LOOKED_AT = 15
"""Rows on either side of a change of which the factor is taken, so that rounding levels out."""


@dataclass(frozen=True, kw_only=True)
class Adjustments:
    """The mendings that adjusted closes tell, and how many changes of theirs say nothing that can be."""

    mendings: tuple[Mending, ...]
    unexplained: int


def told_by(code: str, times: Times, close: Column, adjusted: Column) -> Adjustments:
    """What the adjusted closes of an instrument's daily bars tell, in order of time."""
    known = np.isfinite(adjusted) & np.isfinite(close) & (close > 0) & (adjusted > 0)
    times, close, adjusted = times[known], close[known], adjusted[known]
    if len(times) < 2:
        return Adjustments(mendings=(), unexplained=0)
    factor = adjusted / close
    unsure = 0.5 * _last_digit(adjusted) / adjusted + LEAST_PAID
    moved = np.abs(factor[:-1] / factor[1:] - 1) > 2 * (unsure[:-1] + unsure[1:])
    found, unexplained = [], 0
    edges = [0, *(np.flatnonzero(moved) + 1), len(times)]
    for begin, at, end in zip(edges, edges[1:], edges[2:], strict=False):
        before = float(np.median(factor[max(begin, at - _LOOKED_AT) : at]))
        after = float(np.median(factor[at : min(end, at + _LOOKED_AT)]))
        jump = float(close[at] / close[at - 1])
        day, last = int(times[at]), float(close[at - 1])
        sure = 2 * float(unsure[at - 1] + unsure[at])
        mending = _split(code, day, before / after, jump, sure) or _payment(
            code, day, before / after, last
        )
        if mending is None:
            unexplained += 1
        else:
            found.append(mending)
    return Adjustments(mendings=tuple(found), unexplained=unexplained)


def _last_digit(values: NDArray[np.float64]) -> float:
    """The power of ten that all values are whole multiples of."""
    for digits in range(_MOST_DIGITS):
        scaled = values * 10.0**digits
        if np.allclose(scaled, np.rint(scaled), rtol=0, atol=1e-6):
            return float(10.0**-digits)
    return float(10.0**-_MOST_DIGITS)


def _split(code: str, day: int, factor: float, jump: float, sure: float) -> Mending | None:
    """A split, where the factor has terms of one and the price itself went that way."""
    if abs(factor - 1) < SPLIT_AT_LEAST or abs(math.log(jump / factor)) > abs(math.log(factor)) / 2:
        return None
    terms = Fraction(1 / factor).limit_denominator(LARGEST_TERM)
    if not terms or abs(factor * float(terms) - 1) > max(TERMS_WITHIN, sure):
        return None
    if max(terms.numerator, terms.denominator) > LARGEST_TERM * 5:
        return None
    return Mending(
        code=code, kind=MendingKind.SPLIT, first=day, last=day,
        new=float(terms.numerator), old=float(terms.denominator), reason=BECAUSE,
    )  # fmt: skip


def _payment(code: str, day: int, factor: float, close: float) -> Mending | None:
    """A payment, where what was before is worth less by it."""
    if factor >= 1:
        return None
    paid = float(f"{(1 - factor) * close:.4g}")
    return Mending(
        code=code, kind=MendingKind.PAYMENT, first=day, last=day,
        values={"amount": paid, "close": close}, reason=BECAUSE,
    )  # fmt: skip
