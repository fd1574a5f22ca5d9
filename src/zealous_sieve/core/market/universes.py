"""Universes: fixed lists, rules on facts and formulas, and what is made of others."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.instruments import Fact, Instrument, InstrumentKind

EVERYTHING = "All instruments"
"""The universe in which pages look where nothing else was chosen: it stays under its name."""
LONGEST_CHAIN = 12
"""Universes that are made of others, which are made of others, and so on."""


class JoinedUniverses(StrEnum):
    """How the parts of a universe are put together."""

    UNION = "any of"
    INTERSECTION = "all of"
    WITHOUT = "without"


@dataclass(frozen=True, kw_only=True)
class Rule:
    """Which instruments belong to a universe.

    Either a fixed list of ``codes``; or the ``parts``, names of other universes, ``joined``; or all. Of
    these those of a ``kind`` whose facts equal those in ``where`` and for which the condition ``formula``
    is true on daily bars; that trade for ``least_turnover`` a day and are not doubted by the data check
    where they have to be ``sound``; and of these the ``largest`` by the fact ``by``.
    """

    codes: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    joined: JoinedUniverses = JoinedUniverses.UNION
    kind: InstrumentKind | None = None
    where: Mapping[str, Fact] = field(default_factory=dict)
    formula: str = ""
    least_turnover: float | None = None
    sound: bool = False
    largest: int | None = None
    by: str = "market_cap"


@dataclass(frozen=True, kw_only=True)
class Universe:
    """A named group of instruments."""

    name: str
    rule: Rule = field(default_factory=Rule)


@dataclass(frozen=True, kw_only=True)
class Surroundings:
    """What is known where a universe is looked at.

    ``truths`` says for which of some instruments a condition is true, ``turnovers`` for how much each of
    them trades on a usual day in its currency, NaN where that is not known, ``doubted`` which of them the
    data check doubts.
    """

    instruments: Sequence[Instrument]
    universes: Mapping[str, Rule]
    truths: Callable[[str, Sequence[Instrument]], NDArray[np.bool_]]
    turnovers: Callable[[Sequence[Instrument]], NDArray[np.float64]]
    doubted: Callable[[Sequence[Instrument]], Container[str]]


@dataclass(frozen=True, kw_only=True)
class Membership:
    """The instruments of a universe, codes of it that are not known, how many each floor removed, and how
    many have no size that they could be chosen by; ``reason`` says why there are none."""

    instruments: tuple[Instrument, ...]
    unknown: tuple[str, ...] = ()
    too_thin: int = 0
    doubted: int = 0
    unsized: int = 0
    reason: str = ""


def membership(rule: Rule, around: Surroundings, chain: tuple[str, ...] = ()) -> Membership:
    """Who belongs to a universe. ``chain`` are the universes that are made of it.

    Raises DataError ``unknown_universe``, ``universe_cycle``, FormulaError.
    """
    chosen, unknown = _begin(rule, around, chain)
    chosen = [i for i in chosen if _fits(rule, i)]
    if rule.formula.strip():
        chosen = _where(chosen, around.truths(rule.formula, chosen))
    thin = doubted = 0
    if rule.least_turnover is not None:
        enough = around.turnovers(chosen) >= rule.least_turnover
        thin, chosen = int((~enough).sum()), _where(chosen, enough)
    if rule.sound:
        doubts = around.doubted(chosen)
        sound = np.array([i.code not in doubts for i in chosen], bool)
        doubted, chosen = int((~sound).sum()), _where(chosen, sound)
    unsized, reason = 0, ""
    if rule.largest is not None:
        sized = [i for i in chosen if _size(i, rule.by) is not None]
        unsized = len(chosen) - len(sized)
        if unsized and not sized:
            reason = f"of none of {unsized} the fact {rule.by!r} was known, by which the largest are chosen"
        chosen = sorted(sized, key=lambda i: (-(_size(i, rule.by) or 0.0), i.code))[: rule.largest]
    return Membership(
        instruments=tuple(chosen),
        unknown=unknown,
        too_thin=thin,
        doubted=doubted,
        unsized=unsized,
        reason=reason,
    )


def rests_on(rule: Rule, universes: Mapping[str, Rule]) -> tuple[frozenset[str], tuple[str, ...]]:
    """The facts by which a universe and those it is made of choose, and the formulas of all of them."""
    facts, formulas = set[str](), list[str]()
    for own in _all_of(rule, universes):
        facts |= own.where.keys() | ({own.by} if own.largest is not None else set())
        formulas += [own.formula] if own.formula.strip() else []
    return frozenset(facts), tuple(formulas)


def is_anywhere(rule: Rule, universes: Mapping[str, Rule], is_so: Callable[[Rule], bool]) -> bool:
    """Whether something holds of a rule or of one of those it is made of."""
    return any(is_so(own) for own in _all_of(rule, universes))


def _all_of(rule: Rule, universes: Mapping[str, Rule]) -> Iterator[Rule]:
    """A rule and those it is made of, each once."""
    waiting, seen = [rule], set[str]()
    while waiting:
        own = waiting.pop()
        yield own
        fresh = [name for name in own.parts if name in universes and name not in seen]
        seen.update(fresh)
        waiting += [universes[name] for name in fresh]


def parts_of(
    rule: Rule, around: Surroundings, chain: tuple[str, ...]
) -> dict[str, tuple[str, ...]]:
    """Of a universe that is any of several: the names of those that an instrument belongs to, by its code.
    Nothing of any other. Raises as ``membership``."""
    joins = not rule.codes and rule.joined == JoinedUniverses.UNION
    found: dict[str, tuple[str, ...]] = {}
    for name in dict.fromkeys(rule.parts) if joins else ():
        for code in sorted(_part(name, around, chain)):
            found[code] = (*found.get(code, ()), name)
    return found


def _begin(
    rule: Rule, around: Surroundings, chain: tuple[str, ...]
) -> tuple[list[Instrument], tuple[str, ...]]:
    """The instruments of which those are chosen that fit; codes that are not known."""
    known = {instrument.code: instrument for instrument in around.instruments}
    if rule.codes:
        wanted = dict.fromkeys(rule.codes)
        unknown = tuple(code for code in wanted if code not in known)
        return [known[code] for code in wanted if code in known], unknown
    if not rule.parts:
        return list(around.instruments), ()
    sets = [_part(name, around, chain) for name in rule.parts]
    match rule.joined:
        case JoinedUniverses.UNION:
            codes = set[str]().union(*sets)
        case JoinedUniverses.INTERSECTION:
            codes = set(sets[0]).intersection(*sets[1:])
        case JoinedUniverses.WITHOUT:
            codes = set(sets[0]).difference(*sets[1:])
    return [i for i in around.instruments if i.code in codes], ()


def _part(name: str, around: Surroundings, chain: tuple[str, ...]) -> set[str]:
    rule = check_chain(name, around.universes, chain)
    return {i.code for i in membership(rule, around, (*chain, name)).instruments}


def check_chain(name: str, universes: Mapping[str, Rule], chain: tuple[str, ...]) -> Rule:
    """The rule of a universe that those of the chain are made of. Raises DataError ``unknown_universe``,
    ``universe_cycle``."""
    rule = universes.get(name)
    if rule is None:
        message = f"there is no universe {name}"
        raise DataError(
            Problem(code="unknown_universe", message=message, mend="choose one there is")
        )
    if name in chain or len(chain) >= LONGEST_CHAIN:
        message = f"{' is made of '.join((*chain, name))}: that goes round in a circle"
        mend = "leave one of them out"
        raise DataError(Problem(code="universe_cycle", message=message, mend=mend))
    return rule


def _where(instruments: Sequence[Instrument], fits: NDArray[np.bool_]) -> list[Instrument]:
    return [i for i, fit in zip(instruments, fits, strict=True) if fit]


def _fits(rule: Rule, instrument: Instrument) -> bool:
    if rule.kind is not None and instrument.kind != rule.kind:
        return False
    return all(instrument.facts.get(name) == value for name, value in rule.where.items())


def _size(instrument: Instrument, by: str) -> float | None:
    fact = instrument.facts.get(by)
    return float(fact) if isinstance(fact, int | float) else None
