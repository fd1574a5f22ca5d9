"""Whether all that was made can be read: what a backup brings is read as the pages will, before it is
kept."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict
from itertools import count
from math import isfinite

from pydantic import TypeAdapter

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind
from zealous_sieve.core.market.pairs import pair_of
from zealous_sieve.core.market.soundness import code_fault
from zealous_sieve.usecases.across.arrangements import PAGES
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.preferences import preferences
from zealous_sieve.usecases.errors import DiskFullError, OutageError
from zealous_sieve.usecases.records.hits import HitsQuery
from zealous_sieve.usecases.records.runs import Run
from zealous_sieve.usecases.table.sources import sources

_AT_ONCE = 500
_INSTRUMENT = TypeAdapter(Instrument)


def check_whole(outside: Outside) -> None:
    """Read everything. Raises DataError ``bad_backup`` that says what can't be read, and why."""
    parts: dict[str, Callable[[], object]] = {
        "a sieve": outside.sieves.all,
        "a formula": outside.formulas.all,
        "an archived formula": outside.formulas.archived,
        "a universe": outside.universes.all,
        "an archived universe": outside.universes.archived,
        "an outlook": outside.outlooks.all,
        "a verdict": lambda: outside.hits.decided(None),
        "an open idea": outside.hits.open_ideas,
        "a correction": outside.mendings.all,
        "an instrument": outside.market.reference,
        "an event": outside.market.events,
        "a venue": outside.market.venues,
        "an import": lambda: outside.imports.recent(_AT_ONCE),
        "the preferences": lambda: preferences(outside.market),
        "a folder": lambda: sources(outside),
        **{f"an arrangement of {page}": _arranged(outside, page) for page in PAGES},
    }
    for what, read in parts.items():
        with _told(what):
            read()
    for stored in outside.sieves.all():
        with _told(f"a version of sieve {stored.id}"):
            outside.sieves.versions(stored.id)
    for formula in (*outside.formulas.all(), *outside.formulas.archived()):
        with _told(f"a version of {formula.name}"):
            outside.formulas.versions(formula.id)
    for own in (*outside.market.instruments(), *outside.market.archived_instruments()):
        with _told(f"what is said of {own.code[:80]}"):
            if _INSTRUMENT.validate_python(asdict(own)) != own:
                raise ValueError("one of its values is of another kind")
            if fault := code_fault(own.code):
                raise ValueError(fault)
            if not (isfinite(own.tick) and own.tick > 0 and isfinite(own.point_value)):
                raise ValueError("its step is no price")
            if own.kind == InstrumentKind.PAIR:
                pair_of(own)
    with _told("what is said of instruments"):
        _ = outside.market.reference().names
    for run in _runs(outside):
        with _told(f"run {run.id}"):
            outside.runs.get(run.id)
            _read_hits(outside, run)


def _arranged(outside: Outside, page: str) -> Callable[[], object]:
    return lambda: outside.arrangements.all(page)


def _runs(outside: Outside) -> Iterator[Run]:
    for at in count(0, _AT_ONCE):
        with _told("a run"):
            some: Sequence[Run] = outside.runs.recent(_AT_ONCE, at)
        yield from some
        if len(some) < _AT_ONCE:
            return


def _read_hits(outside: Outside, run: Run) -> None:
    for first in count(0, _AT_ONCE):
        found, hits = outside.hits.page(run, None, HitsQuery(first=first, count=_AT_ONCE))
        for one in hits:
            if len(one.hit.cells) != len(run.sieve.conditions):
                message = f"its hit {one.hit.code} has {len(one.hit.cells)} answers"
                raise ValueError(f"{message} to {len(run.sieve.conditions)} conditions")
        if first + _AT_ONCE >= found:
            return


@contextmanager
def _told(what: str) -> Iterator[None]:
    """Whatever goes wrong while something is read says that it can't be."""
    try:
        yield
    except (OutageError, DiskFullError):
        raise
    except Exception as error:
        why = str(error) or type(error).__name__
        raise unreadable(f"{what} can't be read: {why}") from error


def unreadable(why: str) -> DataError:
    """That a backup is not taken, and why."""
    message = f"the backup can't be used: {' '.join(why.split())[:300]}"
    return DataError(Problem(code="bad_backup", message=message, mend="nothing was changed"))
