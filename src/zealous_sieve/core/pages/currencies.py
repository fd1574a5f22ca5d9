"""Currencies against each other over several spans: how strong each is, and by which pairs."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

import numpy as np

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.strength import move_of, pairs_of, strength


class StrengthUnit(StrEnum):
    """What moves are measured in."""

    PERCENT = "percent"
    STEPS = "steps"


@dataclass(frozen=True, kw_only=True)
class StrengthSpan:
    """So many bars back."""

    bars: str
    count: int
    label: str = ""


@dataclass(frozen=True, kw_only=True)
class StrengthSet:
    """How the strength of currencies is looked at: over which spans, in what, without which currencies, and
    how many moments the lines go back."""

    universe: str
    spans: tuple[StrengthSpan, ...]
    unit: StrengthUnit = StrengthUnit.PERCENT
    without: tuple[str, ...] = ()
    history: int = 160
    forming: bool = False


@dataclass(frozen=True, kw_only=True)
class Strengths:
    """Over one span: by currency how strong it is, NaN where nothing is known, and by pair how it moved.

    ``moment`` is that of the newest bar in seconds since 1970. ``silent`` are pairs without a bar at that
    moment, or without one so far back: they count for nobody. All strengths add up to ``sum``, which is
    zero.
    """

    moment: int
    values: Mapping[str, float]
    moves: Mapping[str, float]
    silent: tuple[str, ...]
    sum: float


def strengths(panel: Panel, span: StrengthSpan, unit: StrengthUnit) -> Strengths:
    """The strength of all currencies of a panel of pairs over a span. Raises DataError ``no_pairs``."""
    found = strength(panel, span.count, unit)
    pairs = pairs_of(panel)
    moment = int(found.moments[-1]) if len(found.moments) else 0
    moves, silent = {}, []
    for position, _, _ in pairs:
        rows = panel.rows(position)
        closes = panel.close_times(rows)
        move = move_of(panel, position, span.count, unit)
        if len(closes) and closes[-1] == moment and not np.isnan(move[-1]):
            moves[panel.codes[position]] = float(move[-1])
        else:
            silent.append(panel.codes[position])
    values = {
        code: float(column[-1]) if len(column) else math.nan
        for code, column in found.values.items()
    }
    total = math.fsum(value for value in values.values() if not math.isnan(value))
    size = math.fsum(abs(move) for move in moves.values())
    # What is left of rounding is no strength of anybody.
    rest = 0.0 if abs(total) <= 1e-9 * size else total
    return Strengths(moment=moment, values=values, moves=moves, silent=tuple(silent), sum=rest)


def without(panel: Panel, currencies: Collection[str]) -> Panel:
    """The pairs of a panel in which none of some currencies is a side."""
    kept = [
        panel.codes[position]
        for position, base, quote in pairs_of(panel)
        if base not in currencies and quote not in currencies
    ]
    return panel.choose(kept)


def absent(panel: Panel) -> list[tuple[str, str]]:
    """The currencies of a panel's pairs that no pair joins."""
    pairs = pairs_of(panel)
    names: Sequence[str] = sorted({side for _, *sides in pairs for side in sides})
    there = {frozenset(sides) for _, *sides in pairs}
    return [two for two in combinations(names, 2) if frozenset(two) not in there]


READY: Mapping[str, StrengthSet] = {
    "From a month to an hour": StrengthSet(
        universe="Currencies",
        spans=(
            StrengthSpan(bars="1d", count=22, label="22 days"),
            StrengthSpan(bars="1d", count=5, label="5 days"),
            StrengthSpan(bars="1d", count=1, label="a day"),
            StrengthSpan(bars="1h", count=6, label="6 hours"),
            StrengthSpan(bars="1h", count=1, label="an hour"),
        ),
    ),
    "Within the day": StrengthSet(
        universe="Currencies",
        spans=(
            StrengthSpan(bars="1h", count=12, label="12 hours"),
            StrengthSpan(bars="1h", count=3, label="3 hours"),
            StrengthSpan(bars="10m", count=4, label="40 minutes"),
            StrengthSpan(bars="5m", count=2, label="10 minutes"),
        ),
        forming=True,
    ),
}
"""The ways of looking at strength that come with the application."""
