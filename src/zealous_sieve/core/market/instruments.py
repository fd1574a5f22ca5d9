"""Instruments, venues, events, and what the engine has to know of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.session import Session, read_session
from zealous_sieve.core.formula.names import Market, market_of

Fact = str | float | None


class InstrumentKind(StrEnum):
    """What an instrument is; a pair is computed from two others."""

    SHARE = "share"
    CROSS = "cross"
    FUTURE = "future"
    INDEX = "index"
    GAUGE = "gauge"
    PAIR = "pair"
    OTHER = "other"


@dataclass(frozen=True, kw_only=True)
class Instrument:
    """Something that has bars.

    ``tick`` is the smallest step of its price, ``point_value`` what one whole step of 1.0 in price
    is worth in ``currency`` for one unit held. ``facts`` are what else is known, such as sector.
    """

    code: str
    name: str
    kind: InstrumentKind = InstrumentKind.OTHER
    venue: str = ""
    currency: str = ""
    tick: float = 0.01
    point_value: float = 1.0
    facts: Mapping[str, Fact] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Venue:
    """Where instruments are traded, and when by its own clock; the texts are those of
    :func:`~zealous_sieve.core.engine.session.read_session`."""

    name: str
    hours: str
    zone: str = "UTC"
    half_days: str = ""
    holidays: str = ""

    def session(self) -> Session:
        """Its hours as read. Raises DataError."""
        return read_session(self.name, self.hours, self.zone, self.half_days, self.holidays)


@dataclass(frozen=True, kw_only=True)
class Event:
    """Something scheduled: ``day`` is a midnight in seconds since 1970; ``code`` is the instrument it
    concerns, ``None`` for all of them."""

    kind: str
    day: int
    title: str
    code: str | None = None


def background_of(
    instruments: Sequence[Instrument], venues: Iterable[Venue], events: Iterable[Event]
) -> tuple[Background, ...]:
    """What the engine has to know of instruments, in their order."""
    sessions = {venue.name: venue.session() for venue in venues}
    common: dict[str, list[int]] = {}
    own: dict[str, dict[str, list[int]]] = {}
    for event in events:
        kinds = common if event.code is None else own.setdefault(event.code, {})
        kinds.setdefault(event.kind, []).append(event.day)
    return tuple(
        Background(
            name=instrument.name,
            session=sessions.get(instrument.venue),
            tick=instrument.tick,
            facts=instrument.facts,
            events=_days(common, own.get(instrument.code, {})),
        )
        for instrument in instruments
    )


@dataclass(frozen=True, kw_only=True, eq=False)
class ReferenceData:
    """What is known of a market beside its bars, as it was last read; what follows from it is worked out
    once."""

    instruments: tuple[Instrument, ...] = ()
    venues: tuple[Venue, ...] = ()
    events: tuple[Event, ...] = ()

    @cached_property
    def background(self) -> tuple[Background, ...]:
        """What the engine has to know, in the order of the instruments."""
        return background_of(self.instruments, self.venues, self.events)

    @cached_property
    def names(self) -> Market | None:
        """What formulas may name: instruments, facts, kinds of events, venues, currencies."""
        return market_of(
            (instrument.code for instrument in self.instruments),
            (instrument.facts for instrument in self.instruments),
            {event.kind for event in self.events},
            (venue.name for venue in self.venues),
        )

    @cached_property
    def by_code(self) -> Mapping[str, Instrument]:
        return {instrument.code: instrument for instrument in self.instruments}


def _days(*sources: Mapping[str, list[int]]) -> dict[str, NDArray[np.int64]]:
    kinds = {kind for source in sources for kind in source}
    return {
        kind: np.array(sorted(day for s in sources for day in s.get(kind, ())), dtype=np.int64)
        for kind in kinds
    }
