"""Finding anything by a few letters of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from heapq import nsmallest

from zealous_sieve.usecases.desk.outside import Outside

_MOST = 8
"""So many of each kind are found."""
RECENT_RUNS = 100


class FoundKind(StrEnum):
    INSTRUMENT = "instrument"
    UNIVERSE = "universe"
    SIEVE = "sieve"
    FORMULA = "formula"
    RUN = "run"


@dataclass(frozen=True, kw_only=True)
class Found:
    """Something that was found: ``key`` is its code, number or name, by which it is opened."""

    kind: FoundKind
    key: str
    name: str
    note: str = ""


def find_anything(outside: Outside, words: str) -> list[Found]:
    """What fits some words, the best of each kind first: every word begins a word of its code or name, or
    stands within it."""
    wanted = words.lower().split()
    if not wanted:
        return []
    return [
        *_best(_instruments(outside), wanted),
        *_best(_universes(outside), wanted),
        *_best(_sieves(outside), wanted),
        *_best(_formulas(outside), wanted),
        *_best(_runs(outside), wanted),
    ]


def _instruments(outside: Outside) -> Iterable[Found]:
    reference = outside.market.reference()
    called: dict[str, list[str]] = {}
    for earlier, present in reference.earlier.items():
        called.setdefault(present, []).append(earlier)
    for own in reference.instruments:
        before = f", earlier {' '.join(called[own.code])}" if own.code in called else ""
        note = f"{own.name}{before}"
        yield Found(kind=FoundKind.INSTRUMENT, key=own.code, name=own.code, note=note)


def _universes(outside: Outside) -> Iterable[Found]:
    for own in outside.universes.all():
        name = own.universe.name
        yield Found(kind=FoundKind.UNIVERSE, key=name, name=name)


def _sieves(outside: Outside) -> Iterable[Found]:
    for own in outside.sieves.all():
        if own.deleted:
            continue
        yield Found(kind=FoundKind.SIEVE, key=str(own.id), name=own.sieve.name)


def _formulas(outside: Outside) -> Iterable[Found]:
    for own in outside.formulas.all():
        yield Found(kind=FoundKind.FORMULA, key=str(own.id), name=own.name, note=own.note)


def _runs(outside: Outside) -> Iterable[Found]:
    for run in outside.runs.recent(RECENT_RUNS):
        name = f"run {run.id} of {run.sieve.name}"
        yield Found(kind=FoundKind.RUN, key=str(run.id), name=name, note=f"{run.hit_count} hits")


def _best(all_of_them: Iterable[Found], wanted: Sequence[str]) -> list[Found]:
    placed = (
        (place, n, one) for n, one in enumerate(all_of_them) if (place := _place(one, wanted))
    )
    return [one for _, _, one in nsmallest(_MOST, placed, key=lambda own: own[:2])]


def _place(one: Found, wanted: Sequence[str]) -> int:
    """How well something fits, 1 the best; 0 where it does not."""
    name, whole = one.name.lower(), f"{one.name} {one.note}".lower()
    if name == " ".join(wanted):
        return 1
    if name.startswith(" ".join(wanted)):
        return 2
    beginnings = whole.split()
    if all(any(word.startswith(part) for word in beginnings) for part in wanted):
        return 3
    return 4 if all(part in whole for part in wanted) else 0
