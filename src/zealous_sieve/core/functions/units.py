"""Units of measure: what a number counts, and what arithmetic does to it.

A unit is a product of powers of the base dimensions *price*, *volume*, *bars* and *seconds*.
Numbers without dimension are plain (``none``), a ``ratio`` or a ``percent``. A bare constant in a
formula is ``any``: it takes the unit of what it stands next to.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum


class Scale(StrEnum):
    """How a dimensionless number is meant."""

    ANY = "any"
    NONE = "none"
    RATIO = "ratio"
    PERCENT = "percent"


@dataclass(frozen=True, slots=True)
class Unit:
    """Powers of the base dimensions. ``scale`` says how a number without dimension is meant; one with
    dimensions is ``percent`` where it was multiplied by 100, so that its quotient is a percent."""

    price: float = 0
    volume: float = 0
    bars: float = 0
    seconds: float = 0
    scale: Scale = Scale.NONE

    @property
    def powers(self) -> tuple[float, float, float, float]:
        return (self.price, self.volume, self.bars, self.seconds)

    @property
    def dimensionless(self) -> bool:
        return not any(self.powers)

    def __str__(self) -> str:
        if self.dimensionless:
            return str(self.scale)
        if self.powers == (1, 1, 0, 0):
            return "money"
        names = zip(("price", "volume", "bars", "seconds"), self.powers, strict=True)
        return "·".join(name if p == 1 else f"{name}^{p:g}" for name, p in names if p)


ANY = Unit(scale=Scale.ANY)
NONE = Unit(scale=Scale.NONE)
RATIO = Unit(scale=Scale.RATIO)
PERCENT = Unit(scale=Scale.PERCENT)
PRICE = Unit(price=1)
VOLUME = Unit(volume=1)
BARS = Unit(bars=1)
SECONDS = Unit(seconds=1)
MONEY = Unit(price=1, volume=1)


def comparable(left: Unit, right: Unit) -> bool:
    """True when a value of one unit may be added to, or compared with, one of the other."""
    if ANY in (left, right) or left == right:
        return True
    if not (left.dimensionless and right.dimensionless):
        return left.powers == right.powers
    return Scale.NONE in (left.scale, right.scale)


def common(left: Unit, right: Unit) -> Unit:
    """The unit of a sum of two comparable units."""
    if left in (ANY, NONE):
        return right if right != ANY else left
    return left


def _unit(powers: list[float], scale: Scale = Scale.NONE) -> Unit:
    price, volume, bars, seconds = powers
    return Unit(price=price, volume=volume, bars=bars, seconds=seconds, scale=scale)


def product(left: Unit, right: Unit) -> Unit:
    """The unit of ``left × right``."""
    if left.dimensionless and right.dimensionless:
        return common(left, right)
    hundredfold = (left.scale == Scale.PERCENT) != (right.scale == Scale.PERCENT)
    powers = [a + b for a, b in zip(left.powers, right.powers, strict=True)]
    return _unit(powers, Scale.PERCENT if hundredfold else Scale.NONE)


def quotient(left: Unit, right: Unit) -> Unit:
    """The unit of ``left ÷ right``."""
    if right.dimensionless:
        return left if left != ANY or right == ANY else right
    hundredfold = left.scale == Scale.PERCENT != right.scale
    powers = [a - b for a, b in zip(left.powers, right.powers, strict=True)]
    if any(powers):
        return _unit(powers, Scale.PERCENT if hundredfold else Scale.NONE)
    return PERCENT if hundredfold else RATIO


def scaled(unit: Unit, factor: float | None) -> Unit:
    """The unit of a number that was multiplied by a constant: a hundredfold ratio is a percent, a
    hundredth of a percent a ratio again."""
    ratio, percent = (Scale.RATIO, Scale.NONE), Scale.PERCENT
    plain = Scale.RATIO if unit.dimensionless else Scale.NONE
    if factor is None or unit in (ANY, NONE):
        return unit
    if abs(factor) == 100 and unit.scale in ratio:
        return replace(unit, scale=percent)
    if math.isclose(abs(factor), 0.01) and unit.scale == percent:
        return replace(unit, scale=plain)
    return unit


def power(base: Unit, exponent: float | None) -> Unit:
    """The unit of ``base ^ exponent``; ``None`` stands for an exponent that varies by bar."""
    if base.dimensionless or exponent is None:
        return base if base.dimensionless else NONE
    return _unit([p * exponent for p in base.powers]) if exponent else RATIO


def with_article(unit: Unit) -> str:
    """``a price``, ``a percent``, ``a plain number``: for messages."""
    if unit in (NONE, ANY):
        return "a plain number"
    name = {BARS: "number of bars", SECONDS: "number of seconds", MONEY: "sum of money"}.get(unit)
    return f"a {name or unit}"
