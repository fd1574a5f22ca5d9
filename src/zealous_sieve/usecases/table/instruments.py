"""What is said of instruments, for many at once; putting them away and bringing them back."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.instruments import DatedFact, Fact, Instrument, InstrumentKind
from zealous_sieve.core.market.soundness import code_fault
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import moment_of
from zealous_sieve.usecases.errors import ConflictError, NotFoundError
from zealous_sieve.usecases.table.data_check import check_data

_LONGEST = 120
"""Characters of a name or of a fact."""
AT_WORK = 20
"""Imports that may be under way are among the latest so many."""
SAID = ("name", "kind", "venue", "currency", "tick", "point_value")


@dataclass(frozen=True, kw_only=True)
class Described:
    """What is said of an instrument; ``None`` leaves it as it is. Of ``facts`` an empty one is taken
    away."""

    code: str
    name: str | None = None
    kind: InstrumentKind | None = None
    venue: str | None = None
    currency: str | None = None
    tick: float | None = None
    point_value: float | None = None
    facts: Mapping[str, Fact] = field(default_factory=dict)


def describe(outside: Outside, described: Sequence[Described]) -> list[Described]:
    """Say something of instruments, of all or, where one can't be so, of none; returns what was said of
    them before, which takes it back. A fact that is kept with its days holds so from the desk's present
    on; others hold for all days.

    Raises NotFoundError, DataError ``bad_description``.
    """
    reference, moment = outside.market.reference(), moment_of(outside.market, None)
    seen = {instrument.code: instrument for instrument in reference.seen_at(moment)}
    venues = {venue.name for venue in reference.venues}
    dated: list[DatedFact] = []
    before, after, problems = [], [], []
    for own in described:
        known = reference.by_code.get(own.code)
        if known is None:
            raise NotFoundError("instrument", own.code)
        problems += _problems(own, known, venues)
        before.append(_told(own, seen[own.code]))
        with_days = {fact.name for fact in reference.dated_of.get(own.code, ())}
        dated += (
            DatedFact(code=own.code, name=name, value=value, held=moment, known=moment)
            for name, value in own.facts.items()
            if name in with_days
        )
        plain = {name: value for name, value in own.facts.items() if name not in with_days}
        after.append(_as(replace(own, facts=plain), known))
    if problems:
        raise DataError(*problems)
    changed = [now for now in after if now != reference.by_code[now.code]]
    outside.market.add_instruments(changed)
    if dated:
        outside.market.add_facts(dated)
    if changed:
        check_data(outside)
    return before


def _as(described: Described, instrument: Instrument) -> Instrument:
    """An instrument as it is described."""
    facts = {
        name: value
        for name, value in {**instrument.facts, **described.facts}.items()
        if value != ""
    }
    given = {name: getattr(described, name) for name in SAID}
    stripped: dict[str, Any] = {
        name: value.strip() if type(value) is str else value
        for name, value in given.items()
        if value is not None
    }
    return replace(instrument, **stripped, facts=facts)


def _told(described: Described, instrument: Instrument) -> Described:
    """What was said of an instrument, of all that is said of it now."""
    given = {n: getattr(instrument, n) for n in SAID if getattr(described, n) is not None}
    return Described(
        code=described.code,
        **given,
        facts={name: instrument.facts.get(name, "") for name in described.facts},
    )


def _problems(
    described: Described, instrument: Instrument, venues: Collection[str]
) -> list[Problem]:
    """What an instrument can't be."""
    found: list[tuple[str, str, str]] = []
    if InstrumentKind.PAIR in (described.kind, instrument.kind) and described.kind not in (
        None,
        instrument.kind,
    ):
        found.append(("kind", "a pair is made of two instruments", "define it as one"))
    if described.name is not None and not 0 < len(described.name.strip()) <= _LONGEST:
        found.append(("name", f"a name has 1 to {_LONGEST} characters", ""))
    if described.venue and described.venue not in venues:
        mend = f"known are {', '.join(sorted(venues))}" if venues else "import a table of venues"
        found.append(("venue", f"there is no venue {described.venue}", mend))
    for name in ("tick", "point_value"):
        value = getattr(described, name)
        if value is not None and not (math.isfinite(value) and value > 0):
            found.append((name, f"{value:g} can't be a step: it has to be above zero", ""))
    texts = {"currency": described.currency or "", **described.facts}
    for name, text in texts.items():
        if isinstance(text, str) and (len(text) > _LONGEST or not text.isprintable()):
            found.append(
                (name, f"{name} has more than {_LONGEST} characters, or unprintable ones", "")
            )
    return [
        Problem(
            code="bad_description",
            message=f"{described.code}: {message}",
            mend=mend or None,
            subject=name,
        )
        for name, message, mend in found
    ]


def rename(outside: Outside, code: str, to: str, *, leads: bool = True) -> str:
    """Give an instrument another code, under which all stands that was kept of it; ``leads`` says whether
    the one it had still leads to it. Returns the code under which it was known.

    Raises NotFoundError, DataError ``bad_code``, ConflictError ``code_taken``, ``import_under_way``.
    """
    reference = outside.market.reference()
    own = reference.by_code.get(reference.present(code))
    if own is None:
        raise NotFoundError("instrument", code)
    to = to.strip()
    fault = code_fault(to)
    if fault:
        raise DataError(
            Problem(code="bad_code", message=f"{to[:40]!r} can't be a code: {fault}", subject="to")
        )
    if to == own.code:
        return own.code
    holder = reference.earlier.get(to, own.code)
    if holder != own.code:
        message = f"{to} is an earlier name of {holder}"
        raise ConflictError("code_taken", message, f"forget it on the page of {holder} first")
    if any(one.state.at_work for one in outside.imports.recent(AT_WORK)):
        message = "an import is under way, which may bring bars under the code"
        raise ConflictError("import_under_way", message, "rename it when that has ended")
    if not outside.market.rename(own.code, to, leads=leads):
        message = f"there is an instrument {to} already, here or archived"
        raise ConflictError("code_taken", message, "choose another code")
    return own.code


def forget_earlier(outside: Outside, code: str) -> None:
    """An earlier code leads to its instrument no longer. Raises NotFoundError."""
    if code not in outside.market.reference().earlier:
        raise NotFoundError("earlier name", code)
    outside.market.forget_earlier(code)


def put_away(outside: Outside, codes: Sequence[str]) -> None:
    """Put instruments away: they keep their bars, and belong to no universe. Raises NotFoundError; then
    none is put away."""
    known = outside.market.reference().by_code
    for code in codes:
        if code not in known:
            raise NotFoundError("instrument", code)
    outside.market.archive_instruments(codes)
    check_data(outside)


def bring_back(outside: Outside, codes: Sequence[str]) -> None:
    """Bring back instruments that were put away. Raises NotFoundError; then none is."""
    away = {instrument.code: instrument for instrument in put_away_ones(outside)}
    for code in codes:
        if code not in away:
            raise NotFoundError("archived instrument with the code", code)
    outside.market.add_instruments([away[code] for code in codes])
    check_data(outside)


def put_away_ones(outside: Outside) -> list[Instrument]:
    """Instruments that were put away with their bars, pairs among them."""
    return outside.market.archived_instruments()
