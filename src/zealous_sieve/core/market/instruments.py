"""Instruments, and universes of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from zealous_sieve.core.errors import DataError, Problem

Fact = str | float | None


class InstrumentKind(StrEnum):
    SHARE = "share"
    CROSS = "cross"
    FUTURE = "future"
    INDEX = "index"
    GAUGE = "gauge"
    OTHER = "other"


@dataclass(frozen=True, kw_only=True)
class Instrument:
    """Something that has bars.

    ``tick`` is the smallest step of its price, ``point_value`` what one whole step of 1.0 in price
    is worth in ``currency`` for one unit held. ``facts`` are what else is known, such as sector.
    """

    code: str
    name: str
    kind: InstrumentKind = InstrumentKind.OTHER
    venue: str = ""
    currency: str = ""
    tick: float = 0.01
    point_value: float = 1.0
    facts: Mapping[str, Fact] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Rule:
    """Which instruments belong to a universe.

    Either a fixed list of ``codes``, or all of ``kind`` whose facts equal those in ``where``, and
    of these the ``largest`` by the fact ``by``. An empty rule takes everything.
    """

    codes: tuple[str, ...] = ()
    kind: InstrumentKind | None = None
    where: Mapping[str, Fact] = field(default_factory=dict)
    largest: int | None = None
    by: str = "market_cap"


@dataclass(frozen=True, kw_only=True)
class Universe:
    """A named group of instruments."""

    name: str
    rule: Rule = field(default_factory=Rule)


def members(rule: Rule, instruments: Sequence[Instrument]) -> list[Instrument]:
    """The instruments of a universe, in the order of the given ones.

    Raises DataError ``unknown_instrument`` when a listed code is not there.
    """
    if rule.codes:
        known = {instrument.code: instrument for instrument in instruments}
        missing = [code for code in rule.codes if code not in known]
        if missing:
            message = f"there is no instrument {missing[0]}"
            raise DataError(Problem(code="unknown_instrument", message=message))
        return [known[code] for code in rule.codes]
    chosen = [i for i in instruments if _fits(rule, i)]
    if rule.largest is None:
        return chosen
    return _largest(chosen, rule.largest, rule.by)


def _fits(rule: Rule, instrument: Instrument) -> bool:
    if rule.kind is not None and instrument.kind != rule.kind:
        return False
    return all(instrument.facts.get(name) == value for name, value in rule.where.items())


def _largest(instruments: Iterable[Instrument], count: int, by: str) -> list[Instrument]:
    def size(instrument: Instrument) -> float:
        fact = instrument.facts.get(by)
        return float(fact) if isinstance(fact, int | float) else float("-inf")

    return sorted(instruments, key=lambda i: (-size(i), i.code))[:count]
