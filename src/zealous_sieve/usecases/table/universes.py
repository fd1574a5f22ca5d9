"""Universes: who belongs to them, and making, changing and taking them away."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from zealous_sieve.core.errors import CoreError, DataError, Problem
from zealous_sieve.core.market.universes import EVERYTHING, Rule, Universe
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import ConflictError, NotFoundError
from zealous_sieve.usecases.records.table import StoredUniverse
from zealous_sieve.usecases.table.data_check import findings_at

TOLD = 400
"""So many codes of a universe are told while it is being written."""
_LONGEST_NAME = 120


@dataclass(frozen=True, kw_only=True)
class UniverseSummary:
    """A universe with how many belong to it, and how many of these the data check doubts; ``problem``
    says why that can't be told."""

    id: int
    name: str
    rule: Rule
    instruments: int
    flagged: int
    problem: str = ""


@dataclass(frozen=True, kw_only=True)
class UniversePreview:
    """Who would belong to a universe: how many, the first codes; codes that are not known, and how many
    each floor removed, and of how many no size is known; ``reason`` says why there are none."""

    instruments: int
    codes: tuple[str, ...]
    unknown: tuple[str, ...]
    too_thin: int
    doubted: int
    unsized: int
    reason: str


@dataclass(frozen=True, kw_only=True)
class Uses:
    """What looks in a universe: sieves and other universes, by name."""

    sieves: tuple[str, ...]
    universes: tuple[str, ...]

    @property
    def told(self) -> str:
        return ", ".join((*self.sieves, *self.universes))


def list_universes(outside: Outside, order: Order) -> list[UniverseSummary]:
    """All universes with their sizes now."""
    stored = outside.universes.all()
    doubted = frozenset(finding.code for finding in findings_at(outside, order))
    return outside.compute.do(order, universe_summaries, stored, doubted)


def universe_summaries(
    desk: Desk, stored: Sequence[StoredUniverse], doubted: frozenset[str]
) -> list[UniverseSummary]:
    """Universes with their sizes on a desk, on which some instruments are ``doubted``."""
    return [_summary(desk, own, doubted) for own in stored]


def _summary(desk: Desk, stored: StoredUniverse, doubted: frozenset[str]) -> UniverseSummary:
    name, rule = stored.universe.name, stored.universe.rule
    try:
        found = desk.membership(rule, None, (name,))
    except CoreError as error:
        told = str(error.problem)
        return UniverseSummary(
            id=stored.id, name=name, rule=rule, instruments=0, flagged=0, problem=told
        )
    codes = [instrument.code for instrument in found.instruments]
    flagged = sum(code in doubted for code in codes)
    return UniverseSummary(
        id=stored.id,
        name=name,
        rule=rule,
        instruments=len(codes),
        flagged=flagged,
        problem=found.reason,
    )


def preview_universe(
    outside: Outside, rule: Rule, name: str, as_of: datetime | None, order: Order
) -> UniversePreview:
    """Who would belong to a universe of that name. Raises DataError, FormulaError."""
    return outside.compute.do(order, previewed, rule, name, as_of)


def previewed(desk: Desk, rule: Rule, name: str, as_of: datetime | None) -> UniversePreview:
    """Who would belong to a universe on a desk."""
    if rule.largest is not None and rule.largest < 1:
        message = f"the largest {rule.largest} are none"
        raise DataError(Problem(code="bad_rule", message=message, mend="write a number above zero"))
    moment = desk.now if as_of is None else min(as_of, desk.now)
    found = desk.membership(rule, moment, (name,) if name else ())
    codes = tuple(instrument.code for instrument in found.instruments)
    return UniversePreview(
        instruments=len(codes),
        codes=codes[:TOLD],
        unknown=found.unknown,
        too_thin=found.too_thin,
        doubted=found.doubted,
        unsized=found.unsized,
        reason=found.reason,
    )


def codes_in_text(outside: Outside, text: str) -> list[str]:
    """The codes of a text that was pasted: its words, and lines that are a code as they stand; earlier
    codes as those of the present."""
    reference = outside.market.reference()
    known = {*reference.by_code, *reference.earlier}
    found: list[str] = []
    for line in (line.strip() for line in text.splitlines()):
        found += [line] if line in known else re.split(r"[\s,;]+", line)
    return [code for code in dict.fromkeys(map(reference.present, found)) if code]


def add_universe(outside: Outside, universe: Universe, order: Order) -> StoredUniverse:
    """Keep a new universe. Raises DataError, FormulaError, ConflictError ``name_taken``."""
    named = _named(universe)
    preview_universe(outside, named.rule, named.name, None, order)
    kept = outside.universes.add([named])
    if kept is None:
        raise _taken(named.name)
    return kept[0]


def change_universe(
    outside: Outside, universe_id: int, universe: Universe, order: Order
) -> StoredUniverse:
    """Keep another name or rule of a universe; what looks in it goes on to, under the new name.

    Raises NotFoundError, DataError, FormulaError, ConflictError ``name_taken``.
    """
    stored, named = _get(outside, universe_id), _named(universe)
    before = stored.universe.name
    if before == EVERYTHING:
        raise _stays()
    preview_universe(outside, named.rule, before, None, order)
    if not outside.universes.change(universe_id, named):
        raise _taken(named.name)
    if named.name != before:
        _rename(outside, before, named.name)
    return _get(outside, universe_id)


def _rename(outside: Outside, before: str, after: str) -> None:
    for stored in outside.sieves.all():
        if stored.sieve.universe == before:
            sieve = stored.sieve.model_copy(update={"universe": after})
            outside.sieves.add_version(stored.id, sieve, stored.version)
    for other in outside.universes.all():
        rule = other.universe.rule
        if before in rule.parts:
            parts = tuple(after if name == before else name for name in rule.parts)
            changed = replace(other.universe, rule=replace(rule, parts=parts))
            outside.universes.change(other.id, changed)


def uses_of(outside: Outside, universe_id: int) -> Uses:
    """What looks in a universe. Raises NotFoundError."""
    name = _get(outside, universe_id).universe.name
    return Uses(
        sieves=tuple(
            s.sieve.name for s in outside.sieves.all() if s.sieve.universe == name and not s.deleted
        ),
        universes=tuple(
            u.universe.name for u in outside.universes.all() if name in u.universe.rule.parts
        ),
    )


def delete_universe(outside: Outside, universe_id: int) -> None:
    """Archive a universe. Raises NotFoundError, ConflictError ``universe_in_use``."""
    uses, name = uses_of(outside, universe_id), _get(outside, universe_id).universe.name
    if name == EVERYTHING:
        raise _stays()
    if uses.told:
        message = f"{name} is looked in by {uses.told}"
        raise ConflictError("universe_in_use", message, "let them look elsewhere first")
    outside.universes.set_deleted(universe_id, True)


def restore_universe(outside: Outside, universe_id: int) -> StoredUniverse:
    """Bring a universe back. Raises NotFoundError, ConflictError ``name_taken``."""
    gone = {stored.id: stored for stored in outside.universes.archived()}
    if universe_id not in gone:
        return _get(outside, universe_id)
    if not outside.universes.set_deleted(universe_id, False):
        raise _taken(gone[universe_id].universe.name)
    return gone[universe_id]


def _get(outside: Outside, universe_id: int) -> StoredUniverse:
    for stored in outside.universes.all():
        if stored.id == universe_id:
            return stored
    raise NotFoundError("universe", universe_id)


def _named(universe: Universe) -> Universe:
    name = " ".join(universe.name.split())
    if not name or len(name) > _LONGEST_NAME:
        message = "a universe needs a name" if not name else f"{name[:40]}… is too long a name"
        mend = f"write one of at most {_LONGEST_NAME} characters"
        raise DataError(Problem(code="bad_name", message=message, mend=mend, subject="name"))
    return replace(universe, name=name)


def _taken(name: str) -> ConflictError:
    return ConflictError("name_taken", f"there is a universe {name} already", "choose another name")


def _stays() -> ConflictError:
    message = f"{EVERYTHING} is where pages look first: it stays as it is"
    return ConflictError("universe_in_use", message, "make another universe beside it")
