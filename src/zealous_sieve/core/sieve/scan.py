"""A scan: a panel is sifted, what passes ranked and told, with what each condition cut."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from threading import Event

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.sieve.funnel import Count, Funnel, count_through
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.hits import hits_of, joined_hits
from zealous_sieve.core.sieve.prepare import Prepared
from zealous_sieve.core.sieve.ranking import ranked
from zealous_sieve.core.sieve.sifting import Sifted, sift
from zealous_sieve.core.sieve.undecided import Undecided, undecided_of


@dataclass(frozen=True, kw_only=True, slots=True)
class Scan:
    """The outcome; hits, undecided and stale ones do not overlap."""

    instruments: int
    passing: int
    """How many hits there are; ``hits`` holds the first of them where only some were wanted."""
    hits: tuple[Hit, ...]
    counts: tuple[Count, ...]
    funnels: tuple[Funnel, ...]
    """Of each side, where there are two."""
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]


def scan(
    prepared: Prepared,
    panel: Panel,
    executor: Executor,
    *,
    most: int | None = None,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Scan:
    """Sift a panel.

    With ``most`` only so many hits are returned; the counts are whole all the same. Raises CancelledError.
    """
    return found_by(sift(prepared, panel, executor, progress=progress, cancelled=cancelled), most)


def found_by(sides: Sequence[Sifted], most: int | None = None) -> Scan:
    """The outcome of a sifting: of several sides together."""
    one, *others = sides
    counts, funnels = count_through(sides)
    hits = [hits_of(side, ranked(side).first(most)) for side in sides]
    return Scan(
        instruments=len(one.panel) + len(one.stale),
        passing=int(one.settled.sum()),
        hits=joined_hits(hits, one.panel)[:most] if others else hits[0],
        counts=counts,
        funnels=funnels if others else (),
        undecided=undecided_of(sides),
        stale=one.stale,
    )
