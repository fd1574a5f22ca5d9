"""Work split into stages, in the order in which an executor goes through them.

What comes from outside of an instrument's own bars is brought in first, each kind in a stage of its own;
then the instruments can be gone through one by one, in any order and anywhere.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from zealous_sieve.core.engine.plan import ALL_BARS, Plan, plan
from zealous_sieve.core.formula.terms import (
    Across,
    ExternalInput,
    OfInstrument,
    OnTimeframe,
    Term,
    in_order,
)

LOOKS = (64, 256, 1024)
"""Bars that functions that settle are given at first; the whole history only where that is too few."""


class Whence(StrEnum):
    """Where a stage's columns come from."""

    OTHER_BARS = "other bars"
    OTHER_INSTRUMENTS = "other instruments"
    ACROSS = "across instruments"
    KNOWN = "known beside the bars"


@dataclass(frozen=True, kw_only=True, slots=True)
class InputStage:
    """Columns from one place; ``needs`` tells of how many of the last bars each is read, by field."""

    whence: Whence
    terms: tuple[ExternalInput, ...]
    needs: Mapping[str, int]


@dataclass(frozen=True, kw_only=True, slots=True)
class Computation:
    """All that is to be computed of a panel.

    ``looks`` are plans for each instrument on its own, from the shortest look back to a sure one; the
    next is for those of which the one before left something missing. Results are of all bars, or with
    ``last`` of so many of the last.
    """

    names: tuple[str, ...]
    inputs: tuple[InputStage, ...]
    looks: tuple[Plan, ...]
    last: int | None


def split(terms: Mapping[str, Term], last: int | None = None) -> Computation:
    """The work of computing terms, for all bars or for the last few of every instrument."""
    sure = plan(terms, last=last)
    looks = [] if last is None else [plan(terms, last=last, within=within) for within in LOOKS]
    short = [look for look in looks if look.sure_up_to < ALL_BARS]
    return Computation(
        names=tuple(terms), inputs=inputs_of(terms, sure), looks=(*short, sure), last=last
    )


def inputs_of(terms: Mapping[str, Term], sure: Plan) -> tuple[InputStage, ...]:
    """The stages before the instruments' own bars."""
    wanted: dict[Whence, list[ExternalInput]] = {}
    for term in in_order(terms.values()):
        if isinstance(term, ExternalInput):
            wanted.setdefault(whence(term), []).append(term)
    return tuple(
        InputStage(
            whence=where,
            terms=tuple(wanted[where]),
            needs={term.field: sure.reads[term.field] for term in wanted[where]},
        )
        for where in Whence
        if where in wanted
    )


def whence(term: ExternalInput) -> Whence:
    """Where a term's column comes from."""
    match term:
        case OnTimeframe():
            return Whence.OTHER_BARS
        case OfInstrument():
            return Whence.OTHER_INSTRUMENTS
        case Across():
            return Whence.ACROSS
    return Whence.KNOWN
