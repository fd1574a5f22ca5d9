"""Instruments made of two others: a difference such as future less cash, or a ratio."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from zealous_sieve.core.engine.columns import Column, Series
from zealous_sieve.core.engine.made_of import LegRelation, MadeOf
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind, legs_of


def make_pair(
    code: str, name: str, left: Instrument, right: Instrument, relation: LegRelation
) -> Instrument:
    """The instrument ``left - right`` or ``left ÷ right``.

    It trades where and while its left leg does. Raises DataError ``bad_pair`` for legs that are the
    same or pairs themselves.
    """
    if left.code == right.code:
        message = f"a pair needs two different legs, both are {left.code}"
        raise DataError(Problem(code="bad_pair", message=message))
    for leg in (left, right):
        if leg.kind == InstrumentKind.PAIR:
            message = f"{leg.code} is a pair itself and can't be a leg"
            raise DataError(Problem(code="bad_pair", message=message, mend="take its own legs"))
    tick = min(left.tick, right.tick) if relation == LegRelation.DIFFERENCE else 0.0001
    return Instrument(
        code=code,
        name=name,
        kind=InstrumentKind.PAIR,
        venue=left.venue,
        currency=left.currency if relation == LegRelation.DIFFERENCE else "",
        tick=tick,
        facts={"left": left.code, "right": right.code, "relation": str(relation)},
    )


@dataclass(frozen=True, slots=True)
class Pair:
    """A pair by its code, and what it is computed from."""

    code: str
    legs: MadeOf


def pair_of(instrument: Instrument) -> Pair:
    """The definition that a pair keeps in its facts."""
    legs = legs_of(instrument)
    assert legs is not None
    return Pair(instrument.code, legs)


def with_pairs(panel: Panel, pairs: Sequence[Pair]) -> Panel:
    """The panel, and each of its bases, with bars of these pairs.

    They are made as :class:`~zealous_sieve.core.engine.made_of.MadeOf` says. A pair of which a leg is
    missing has no bars.
    """
    if not pairs:
        return panel
    added = [_bars(panel, pair) for pair in pairs]
    offsets = len(panel.times) + np.cumsum([0, *(len(times) for times, _ in added)])
    known = {code: n for n, code in enumerate(panel.codes)}
    starts, ends = panel.starts.copy(), panel.ends.copy()
    codes = list(panel.codes)
    for n, pair in enumerate(pairs):
        if pair.code in known:
            starts[known[pair.code]], ends[known[pair.code]] = offsets[n], offsets[n + 1]
        else:
            codes.append(pair.code)
            starts, ends = np.append(starts, offsets[n]), np.append(ends, offsets[n + 1])
    return replace(
        panel,
        codes=tuple(codes),
        times=np.concatenate([panel.times, *(times for times, _ in added)]),
        columns={
            name: np.concatenate([column, *(_or_missing(name, own) for own in added)])
            for name, column in panel.columns.items()
        },
        starts=starts,
        ends=ends,
        bases=tuple(with_pairs(base, pairs) for base in panel.bases),
    )


def _or_missing(name: str, series: Series) -> Column:
    times, columns = series
    return columns.get(name, np.full(len(times), np.nan))


def _bars(panel: Panel, pair: Pair) -> Series:
    legs = (pair.legs.left, pair.legs.right)
    if panel.duration == 0 or any(leg not in panel.places for leg in legs):
        return np.empty(0, np.int64), {}
    left, right = (panel.series(leg) for leg in legs)
    return pair.legs.bars(left, right)
