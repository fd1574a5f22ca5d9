"""Numbers and moments as they are shown."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

from zealous_sieve.core.functions import units

_DAY = 86_400
_SHORT = ((1e9, " bn", 1e9), (1e6, " m", 1e6), (1e5, " k", 1e3))
MOST_DIGITS = 12
HUGE = 1e15
"""From here on numbers are written by their power of ten."""


@dataclass(frozen=True, slots=True)
class WallClock:
    """By which clock times within a day are told: a zone of the IANA database, and twelve or 24 hours."""

    zone: str = "UTC"
    twelve: bool = False

    def tell(self, seconds: float) -> str:
        """A moment with its day, the offset of the zone beside it: ``9 Jun, 16:20 GMT+2``."""
        at = datetime.fromtimestamp(seconds, _zone(self.zone))
        hour = f"{at:%I:%M} {'am' if at.hour < 12 else 'pm'}" if self.twelve else f"{at:%H:%M}"
        if self.zone == "UTC":
            return f"{at.day} {at:%b}, {hour} UTC"
        away = at.utcoffset()
        minutes = round(away.total_seconds() / 60) if away else 0
        hours, rest = divmod(abs(minutes), 60)
        offset = f"{'+' if minutes > 0 else '−'}{hours}{f':{rest:02}' if rest else ''}"
        return f"{at.day} {at:%b}, {hour} GMT{offset if minutes else ''}"


@lru_cache
def _zone(name: str) -> ZoneInfo:
    return ZoneInfo(name)


BY_UTC = WallClock()


def figure(value: float, unit: units.Unit = units.NONE, tick: float = 0.01, more: int = 0) -> str:
    """A number as it is shown: prices by tick, large counts shortened, others to sense, nothing never below
    nothing; ``more`` asks for further digits."""
    text = _figure(value, unit, tick, more)
    return _signed(text) if text.strip("-0.,") else text.lstrip("-")


def in_full(value: float) -> str:
    """A number as it was written, in full."""
    return _signed(f"{value:,.10g}")


def _signed(text: str) -> str:
    return text.replace("-", "−")


def _figure(value: float, unit: units.Unit, tick: float, more: int) -> str:
    if math.isnan(value):
        return "unknown"
    if math.isinf(value):
        return "none ahead"
    if unit == units.PRICE:
        return f"{value:,.{_decimals(tick) + more}f}"
    size = abs(value)
    if size >= HUGE:
        return f"{value:.{2 + more}e}"
    for limit, suffix, divisor in _SHORT:
        if size >= limit:
            return f"{value / divisor:,.{1 + more}f}{suffix}"
    if float(value).is_integer():
        return f"{value:,.0f}"
    digits = 0 if size >= 1000 else 1 if size >= 100 else 2 if size >= 0.1 else 4
    return f"{value:,.{digits + more}f}"


def told_apart(one: float, other: float, figure_of: Callable[[float, int], str]) -> tuple[str, str]:
    """Two numbers with as many digits as it takes to see which is the larger; ``figure_of`` writes a number
    with so many further digits."""
    for more in range(MOST_DIGITS):
        texts = figure_of(one, more), figure_of(other, more)
        if math.isclose(one, other, rel_tol=2e-9) or math.isnan(one) or math.isnan(other):
            break
        seen = _read_back(texts[0]) - _read_back(texts[1])
        if seen * (one - other) > 0 or math.isnan(seen):
            break
    return texts


def _read_back(text: str) -> float:
    """The number that a figure shows."""
    for _, suffix, divisor in _SHORT:
        if text.endswith(suffix):
            return _read_back(text.removesuffix(suffix)) * divisor
    try:
        return float(text.removesuffix(" %").replace(",", "").replace("−", "-"))
    except ValueError:
        return math.nan


def _decimals(tick: float) -> int:
    if tick <= 0:
        return 2
    steps = ((digits, tick * 10**digits) for digits in range(8))
    return next((d for d, s in steps if round(s) > 0 and abs(s - round(s)) < 1e-6), 8)


def moment_said(seconds: float, clock: WallClock = BY_UTC) -> str:
    """A bar's moment: its day, and of bars shorter than a day the time too, by a clock."""
    if math.isnan(seconds):
        return "an unknown day"
    if seconds % _DAY:
        return clock.tell(seconds)
    at = datetime.fromtimestamp(seconds, UTC)
    return f"{at.day} {at:%b}"
