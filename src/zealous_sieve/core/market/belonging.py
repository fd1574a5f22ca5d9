"""Who belonged to a universe at each of many moments: its rule, asked of all of them at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.market.instruments import Fact, Instrument
from zealous_sieve.core.market.universes import JoinedUniverses, Rule, check_chain

TruthTable = NDArray[np.bool_]
"""A row for each moment, a column for each instrument."""


@dataclass(frozen=True, kw_only=True)
class SurroundingsThroughTime:
    """What was known at so many moments where a universe is looked at: as ``Surroundings`` says of one.

    ``holds`` says where a fact was known to have a value, ``sizes`` what it was as a number, NaN where it
    was none; ``truths`` where a condition was true of those that were chosen.
    """

    instruments: Sequence[Instrument]
    moments: int
    universes: Mapping[str, Rule]
    holds: Callable[[str, Fact], TruthTable]
    sizes: Callable[[str], NDArray[np.float64]]
    truths: Callable[[str, TruthTable], TruthTable]
    turnovers: Callable[[], NDArray[np.float64]]
    doubted: Callable[[TruthTable], TruthTable]


def belonging(
    rule: Rule, around: SurroundingsThroughTime, chain: tuple[str, ...] = ()
) -> TruthTable:
    """Who belonged to a universe when. ``chain`` are the universes that are made of it.

    Raises DataError ``unknown_universe``, ``universe_cycle``, FormulaError.
    """
    chosen = _begin(rule, around, chain)
    if rule.kind is not None:
        chosen &= np.array([i.kind == rule.kind for i in around.instruments], bool)
    for name, value in rule.where.items():
        chosen &= around.holds(name, value)
    if rule.formula.strip():
        chosen &= around.truths(rule.formula, chosen)
    if rule.least_turnover is not None:
        chosen &= around.turnovers() >= rule.least_turnover
    if rule.sound:
        chosen &= ~around.doubted(chosen)
    if rule.largest is not None:
        chosen = _largest(chosen, around.sizes(rule.by), around.instruments, rule.largest)
    return chosen


def _begin(rule: Rule, around: SurroundingsThroughTime, chain: tuple[str, ...]) -> TruthTable:
    shape = (around.moments, len(around.instruments))
    if rule.codes:
        own = np.array([i.code in rule.codes for i in around.instruments], bool)
        return np.broadcast_to(own, shape).copy()
    if not rule.parts:
        return np.ones(shape, bool)
    first, *others = (_part(name, around, chain) for name in rule.parts)
    for other in others:
        match rule.joined:
            case JoinedUniverses.UNION:
                first |= other
            case JoinedUniverses.INTERSECTION:
                first &= other
            case JoinedUniverses.WITHOUT:
                first &= ~other
    return first


def _part(name: str, around: SurroundingsThroughTime, chain: tuple[str, ...]) -> TruthTable:
    return belonging(check_chain(name, around.universes, chain), around, (*chain, name))


def _largest(
    chosen: TruthTable, sizes: NDArray[np.float64], instruments: Sequence[Instrument], count: int
) -> TruthTable:
    """At each moment so many of the largest; of two that are as large the first by its code."""
    by_code = np.argsort(np.argsort([i.code for i in instruments]))
    there = chosen & ~np.isnan(sizes)
    kept = np.zeros_like(chosen)
    for moment, own in enumerate(there):
        if moment and (own == there[moment - 1]).all() and _same(sizes, moment):
            kept[moment] = kept[moment - 1]
            continue
        places = np.flatnonzero(own)
        order = np.lexsort((by_code[places], -sizes[moment, places]))
        kept[moment, places[order[:count]]] = True
    return kept


def _same(sizes: NDArray[np.float64], moment: int) -> bool:
    return np.array_equal(sizes[moment], sizes[moment - 1], equal_nan=True)
