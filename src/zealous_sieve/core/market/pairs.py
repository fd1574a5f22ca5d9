"""Instruments made of two others: a difference such as future less cash, or a ratio."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.panel import Column, Panel, Series
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind


class Relation(StrEnum):
    """What is done with the prices of the two legs."""

    DIFFERENCE = "difference"
    RATIO = "ratio"


def make_pair(
    code: str, name: str, left: Instrument, right: Instrument, relation: Relation
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
    tick = min(left.tick, right.tick) if relation == Relation.DIFFERENCE else 0.0001
    return Instrument(
        code=code,
        name=name,
        kind=InstrumentKind.PAIR,
        venue=left.venue,
        currency=left.currency if relation == Relation.DIFFERENCE else "",
        tick=tick,
        facts={"left": left.code, "right": right.code, "relation": str(relation)},
    )


@dataclass(frozen=True, slots=True)
class Pair:
    """What a pair is computed from: the codes of its legs."""

    code: str
    left: str
    right: str
    relation: Relation


def pair_of(instrument: Instrument) -> Pair:
    """The definition that a pair keeps in its facts."""
    facts = instrument.facts
    relation = Relation(str(facts["relation"]))
    return Pair(instrument.code, str(facts["left"]), str(facts["right"]), relation)


def with_pairs(panel: Panel, pairs: Sequence[Pair]) -> Panel:
    """The panel, and each of its bases, with bars of these pairs.

    A pair has a bar wherever both legs have one. Its open and close are those of the legs; what it did
    between is not known from bars, so its high and low are the higher and lower of the two. Its volume
    is that of the less busy leg. A pair of which a leg is missing has no bars.
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


def _or_missing(name: str, own: Series) -> Column:
    times, columns = own
    return columns.get(name, np.full(len(times), np.nan))


def _bars(panel: Panel, pair: Pair) -> Series:
    legs = (pair.left, pair.right)
    if panel.duration == 0 or any(leg not in panel.codes for leg in legs):
        return np.empty(0, np.int64), {}
    left, right = (panel.rows(panel.position(leg)) for leg in legs)
    times, a, b = np.intersect1d(panel.times[left], panel.times[right], return_indices=True)
    a, b = a + left.start, b + right.start
    columns = panel.columns
    opening = _joined(pair, columns["open"][a], columns["open"][b])
    close = _joined(pair, columns["close"][a], columns["close"][b])
    return times, {
        "open": opening,
        "high": np.maximum(opening, close),
        "low": np.minimum(opening, close),
        "close": close,
        "volume": np.minimum(columns["volume"][a], columns["volume"][b]),
    }


def _joined(pair: Pair, left: Column, right: Column) -> Column:
    if pair.relation == Relation.DIFFERENCE:
        return left - right
    missing = np.full(len(left), np.nan)
    return np.asarray(np.divide(left, right, out=missing, where=right != 0))
