"""Sieves that come from elsewhere: ready ones, and those of a colleague in a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from zealous_sieve.core.errors import Problem, SieveError
from zealous_sieve.core.evidence.ready_rules import READY_RULES, ReadyRules
from zealous_sieve.core.sieve import ready
from zealous_sieve.core.sieve.definition import Sieve, read_sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.usecases.desk.beginnings import inventory
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import known_names
from zealous_sieve.usecases.shaping.library import desk_library, with_library
from zealous_sieve.usecases.shaping.sieves import get_sieve


@dataclass(frozen=True, kw_only=True)
class OfferedSieve:
    """A sieve that can be taken; nothing of it is kept yet. ``missing`` says what it names that is not
    here; ``differing`` are its formulas that have another text here: it brings its own and changes none."""

    sieve: Sieve
    missing: tuple[Problem, ...]
    differing: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class ReadyFormula:
    """A formula that can be taken; ``here`` where the desk has one of its name."""

    name: str
    note: str
    text: str
    here: bool


@dataclass(frozen=True, kw_only=True)
class ReadyMade:
    """All that comes with the application to be taken."""

    sieves: tuple[OfferedSieve, ...]
    formulas: tuple[ReadyFormula, ...]
    rules: tuple[ReadyRules, ...]


def ready_made(outside: Outside) -> ReadyMade:
    """The ready sieves and formulas."""
    library, offer = desk_library(outside.formulas), _offers(outside)
    return ReadyMade(
        sieves=tuple(map(offer, map(inventory(outside).fitted, ready.SIEVES))),
        formulas=tuple(
            ReadyFormula(name=name, note=note, text=text, here=name in library)
            for name, (note, text) in ready.READY_FORMULAS.items()
        ),
        rules=READY_RULES,
    )


def shared(outside: Outside, sieve_id: int) -> Sieve:
    """A sieve with all that it calls, to be given away. Raises NotFoundError."""
    stored = get_sieve(outside.sieves, sieve_id)
    return with_library(stored.sieve, desk_library(outside.formulas))


def offered(outside: Outside, text: str) -> OfferedSieve:
    """A sieve from its document. Raises SieveError with a problem for each wrong field."""
    return _offers(outside)(read_sieve(text))


def _offers(outside: Outside) -> Callable[[Sieve], OfferedSieve]:
    """What there is here is asked for once, whatever is held against it."""
    library, names = desk_library(outside.formulas), known_names(outside.market)
    universes = {stored.universe.name for stored in outside.universes.all()}

    def offer(sieve: Sieve) -> OfferedSieve:
        missing: list[Problem] = []
        if sieve.universe not in universes:
            message = f"there is no universe called {sieve.universe}"
            mend = "choose another one in its sentence, or make it"
            missing.append(
                Problem(code="unknown_universe", message=message, mend=mend, subject="universe")
            )
        try:
            prepare(sieve, library, names)
        except SieveError as error:
            missing += error.problems
        return OfferedSieve(
            sieve=sieve,
            missing=tuple(missing),
            differing=tuple(
                named.name
                for named in sieve.formulas
                if library.get(named.name, named.text).strip() != named.text.strip()
            ),
        )

    return offer
