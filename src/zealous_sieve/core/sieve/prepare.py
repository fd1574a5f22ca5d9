"""A sieve that has been understood: its formulas checked, its terms ready to compute."""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import FormulaError, Problem, SieveError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check, check_condition, check_number
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.speech.figures import BY_UTC, WallClock
from zealous_sieve.core.formula.speech.mentioned import parts
from zealous_sieve.core.formula.terms import Term, apply, beside_the_bars, lacking
from zealous_sieve.core.formula.typed import Formula, Typed
from zealous_sieve.core.formula.words import RESERVED
from zealous_sieve.core.functions.catalogue import SOURCES, find
from zealous_sieve.core.sieve.definition import Role, Side, Sieve


@dataclass(frozen=True, kw_only=True)
class Prepared:
    """The formulas of a sieve, in the order of its conditions; ``rank`` where there is one. ``clock`` is
    the one by which sentences tell times."""

    sieve: Sieve
    formulas: tuple[Formula, ...]
    rank: Formula | None
    clock: WallClock = BY_UTC

    def sided(self) -> tuple[Prepared, ...]:
        """What is asked of each side."""
        return tuple(map(self.of, self.sieve.sides))

    def of(self, side: Side) -> Prepared:
        """What is asked of one side."""
        return replace(self, sieve=self.sieve.of(side))

    @property
    def side(self) -> Side:
        """Of a sieve of one side."""
        (side,) = self.sieve.sides
        return side

    @property
    def lookback(self) -> int:
        """Bars of history needed before the sieve can say yes."""
        return max(formula.lookback for formula in self.formulas)

    def ask(self, position: int) -> Term:
        """What must be yes for a condition not to stand in the way; vetoes turned round. A veto that is
        unknown because the data hold nothing of the kind does not apply."""
        truth = truth_of(self.formulas[position])
        if self.sieve.conditions[position].role != Role.VETO:
            return truth
        sources = list(beside_the_bars(truth))
        if not sources:
            return apply("negated", truth)
        unknown = apply("negated", apply("known", truth))
        return apply("either", apply("negated", truth), apply("both", unknown, lacking(sources)))

    def terms(self) -> list[Term]:
        """The terms of all conditions, and of the rank."""
        ranked = [] if self.rank is None else [self.rank]
        return [truth_of(formula) for formula in (*self.formulas, *ranked)]

    def binding(self) -> list[int]:
        """Positions of the conditions that decide: musts and vetoes that are not switched off."""
        return [n for n, c in enumerate(self.sieve.conditions) if c.decides]

    def boosts(self) -> dict[int, float]:
        """What the boosts that count add to the score where they are yes, by their positions."""
        conditions = enumerate(self.sieve.conditions)
        return {
            n: c.weight for n, c in conditions if c.role == Role.BOOST and not c.off and c.weight
        }

    def setup(self, positions: list[int] | None = None) -> Term:
        """Yes where the conditions at these positions (all that decide) leave a bar standing."""
        chosen = self.binding() if positions is None else positions
        joined = self.ask(chosen[0])
        for position in chosen[1:]:
            joined = apply("both", joined, self.ask(position))
        return joined

    def setups(self) -> dict[str, Term]:
        """The setup of each side, by its name."""
        return {side.side: side.setup() for side in self.sided()}

    @cached_property
    def _parts(self) -> tuple[dict[str, Typed], ...]:
        return tuple(parts(formula) for formula in self.formulas)

    def numbers(self) -> dict[str, Term]:
        """Every value that the conditions' sentences mention, by its text; in the order of the
        conditions."""
        return {
            f"{position}:{text}": typed.term
            for position, own in enumerate(self._parts)
            for text, typed in own.items()
        }

    def by_condition(self, values: Sequence[float]) -> tuple[dict[str, float], ...]:
        """Values of ``numbers`` in their order as those of each condition, by their text."""
        given = iter(values)
        return tuple(dict(zip(own, islice(given, len(own)), strict=True)) for own in self._parts)

    @cached_property
    def _truths(self) -> tuple[tuple[int, float | None], ...]:
        """Where among the values the truth of each condition stands, or what it always is."""
        found, first = [], 0
        for formula, own in zip(self.formulas, self._parts, strict=True):
            assert formula.expression is not None
            assert formula.value is not None
            fixed = formula.value.number
            place = (
                list(own).index(canonical.expression(formula.expression)) if fixed is None else 0
            )
            found.append((first + place, fixed))
            first += len(own)
        return tuple(found)

    def truths(self, values: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """The truth of each condition, by rows of values of ``numbers`` in their order."""
        return [
            values[:, place] if fixed is None else np.full(len(values), fixed)
            for place, fixed in self._truths
        ]


def truth_of(formula: Formula) -> Term:
    """The term of a checked condition."""
    assert formula.value is not None
    return formula.value.term


def prepare(
    sieve: Sieve,
    desk: Mapping[str, str] | None = None,
    market: Market | None = None,
    clock: WallClock = BY_UTC,
) -> Prepared:
    """Check every formula of a sieve; ``desk`` are formulas that it may call beside its own. Where a
    ``market`` is given, what the formulas name has to be there.

    Raises SieveError with all problems; each names its condition in ``subject``.
    """
    problems: list[Problem] = []
    library = {**(desk or {}), **_library(sieve, desk or {}, market, problems)}
    formulas = [
        _checked(c.formula, check_condition, library, market, f"conditions.{n}.formula", problems)
        for n, c in enumerate(sieve.conditions)
    ]
    rank = None
    if sieve.rank.strip():
        rank = _checked(sieve.rank, check_number, library, market, "rank", problems)
    problems += _side_problems(sieve)
    if problems:
        raise SieveError(*problems)
    return Prepared(sieve=sieve, formulas=tuple(f for f in formulas if f), rank=rank, clock=clock)


def _side_problems(sieve: Sieve) -> list[Problem]:
    """Conditions of a side that is not looked for, and sides on which nothing decides."""
    problems = [
        Problem(
            code="side_not_looked_for",
            message=f"{condition.side} only, and the sieve looks for {sieve.sides[0]} setups",
            mend="let the sieve look for both sides, or ask the condition of every side",
            subject=f"conditions.{n}.side",
        )
        for n, condition in enumerate(sieve.conditions)
        if not any(map(condition.is_of, sieve.sides))
    ]
    for side in sieve.sides:
        if any(condition.decides for condition in sieve.of(side).conditions):
            continue
        message = "a sieve of boosts only lets everything through"
        mend = "make at least one condition a must or a veto"
        if any(condition.off for condition in sieve.conditions):
            message = "with all musts and vetoes switched off everything passes"
            mend = "switch at least one of them on"
        if len(sieve.sides) > 1:
            message = f"nothing decides on the {side} side: {message}"
        problems.append(Problem(code="no_must", message=message, mend=mend, subject="conditions"))
    return problems


def name_problem(name: str, others: Container[str], subject: str) -> Problem | None:
    """What is wrong with the name of a formula, beside ``others`` that have one already."""
    taken = (
        name in others
        or name.casefold() in {*SOURCES, *RESERVED}
        or find(name.casefold()) is not None
    )
    if not taken:
        return None
    message = f"{name} is taken: choose another name"
    return Problem(code="name_taken", message=message, subject=subject)


def _library(
    sieve: Sieve, desk: Mapping[str, str], market: Market | None, problems: list[Problem]
) -> dict[str, str]:
    """The sieve's own formulas, each checked for itself."""
    library: dict[str, str] = {}
    for n, named in enumerate(sieve.formulas):
        problem = name_problem(named.name, library, f"formulas.{n}.name")
        problems += [problem] if problem else []
        library[named.name] = named.text
    for n, named in enumerate(sieve.formulas):
        whole = {**desk, **library}
        _checked(named.text, check, whole, market, f"formulas.{n}.text", problems)
    return library


def _checked(
    text: str,
    check: Callable[[str, None, dict[str, str], Market | None], Formula],
    library: dict[str, str],
    market: Market | None,
    subject: str,
    problems: list[Problem],
) -> Formula | None:
    try:
        return check(text, None, library, market)
    except FormulaError as error:
        problems.extend(replace(problem, subject=subject) for problem in error.problems)
        return None
