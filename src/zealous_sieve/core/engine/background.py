"""What is known of an instrument beside its bars: its session, price step, facts, events."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.made_of import MadeOf
from zealous_sieve.core.engine.session import ANY_DAY, Session

Instants = NDArray[np.int64]
ALWAYS = -(1 << 62)
"""The moment from which something was known of which nobody says since when."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Track:
    """A fact through time: from each of the ``moments`` on, in seconds since 1970 and in order, it was
    known to be the value at that place; before the first it was not known. ``assumed`` where of some
    value nobody says when it became known, so that it is taken to have been when it began to hold."""

    moments: Instants
    values: tuple[object, ...]
    assumed: bool = False

    def at(self, moment: int | None) -> object:
        """The value that was known at a moment; without one, the last."""
        place = (
            len(self.values) if moment is None else np.searchsorted(self.moments, moment, "right")
        )
        return self.values[int(place) - 1] if place else None

    def stretches(self, seen: Instants) -> Iterator[tuple[slice, object]]:
        """Which of some moments in order saw which value."""
        cuts = [0, *np.searchsorted(seen, self.moments).tolist(), len(seen)]
        for value, (first, end) in zip((None, *self.values), pairwise(cuts), strict=True):
            yield slice(first, end), value


@dataclass(frozen=True, kw_only=True)
class Background:
    """What is known of one instrument.

    ``name`` is what it is called, ``tick`` its price step. ``facts`` are those of which nobody says since
    when they are known, so that they hold at every bar; those through time are in ``dated``, which goes
    before. ``events`` holds the days of scheduled events by kind, as midnights in seconds since 1970, in
    order, and ``announced`` from which moment on each of them was known; a kind that is not in it was
    known always.
    """

    name: str = ""
    session: Session | None = None
    tick: float = 0.01
    facts: Mapping[str, object] = field(default_factory=dict)
    dated: Mapping[str, Track] = field(default_factory=dict)
    events: Mapping[str, Instants] = field(default_factory=dict)
    announced: Mapping[str, Instants] = field(default_factory=dict)
    made_of: MadeOf | None = None

    @property
    def calendar(self) -> Session:
        """Its session; days of UTC from midnight to midnight where nobody knows it."""
        return self.session or ANY_DAY

    def values_of(self, name: str) -> tuple[object, ...]:
        """All that a fact ever was, as far as anything is known of it."""
        track = self.dated.get(name)
        if track is not None:
            return track.values
        return (self.facts[name],) if name in self.facts else ()

    def fact(self, name: str, moment: int | None = None) -> object:
        """A fact as it was known at a moment; without one, as it is known now. ``None`` where it is not."""
        track = self.dated.get(name)
        return self.facts.get(name) if track is None else track.at(moment)
