"""Instruments, venues, events, and what the engine has to know of them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.background import ALWAYS, Background, Track
from zealous_sieve.core.engine.made_of import LegRelation, MadeOf
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
    concerns, ``None`` for all of them; ``announced`` the moment from which it was known, ``None`` where
    nobody says."""

    kind: str
    day: int
    title: str
    code: str | None = None
    announced: int | None = None


@dataclass(frozen=True, kw_only=True)
class DatedFact:
    """A fact of an instrument that held from one moment on and was known from another on, in seconds since
    1970; ``known`` is ``None`` where nobody says, and it is taken to have been known while it held."""

    code: str
    name: str
    value: Fact
    held: int
    known: int | None = None

    @property
    def since(self) -> int:
        """The moment from which it counts: when it held and was known."""
        return self.held if self.known is None else max(self.held, self.known)


def track_of(facts: Iterable[DatedFact]) -> Track:
    """One fact of one instrument through time.

    At a moment counts what had begun to hold the latest, of what had begun and was known by then; a value
    that was corrected counts from when the correction was known.
    """
    own = list(facts)
    moments: list[int] = []
    values: list[Fact] = []
    newest = None
    for fact in sorted(own, key=lambda f: (f.since, f.held)):
        if newest is not None and fact.held < newest:
            continue
        newest = fact.held
        if moments and moments[-1] == fact.since:
            values[-1] = fact.value
        else:
            moments.append(fact.since)
            values.append(fact.value)
    return Track(
        moments=np.array(moments, dtype=np.int64),
        values=tuple(values),
        assumed=any(fact.known is None for fact in own),
    )


def background_of(
    instruments: Sequence[Instrument],
    venues: Iterable[Venue],
    events: Iterable[Event],
    dated: Mapping[str, Sequence[DatedFact]] | None = None,
) -> tuple[Background, ...]:
    """What the engine has to know of instruments, in their order; ``dated`` are facts by instrument."""
    sessions = {venue.name: venue.session() for venue in venues}
    common: dict[str, list[Event]] = {}
    own: dict[str, dict[str, list[Event]]] = {}
    for event in events:
        kinds = common if event.code is None else own.setdefault(event.code, {})
        kinds.setdefault(event.kind, []).append(event)
    made = []
    for instrument in instruments:
        calendar = _calendar(common, own.get(instrument.code, {}))
        made.append(
            Background(
                name=instrument.name,
                session=sessions.get(instrument.venue),
                tick=instrument.tick,
                facts=instrument.facts,
                dated=_tracks((dated or {}).get(instrument.code, ())),
                events={kind: _days(due) for kind, due in calendar.items()},
                announced={kind: _announced(due) for kind, due in calendar.items() if _told(due)},
                made_of=legs_of(instrument),
            )
        )
    return tuple(made)


def legs_of(instrument: Instrument) -> MadeOf | None:
    """What a pair is made of, which it keeps in its facts; ``None`` for what is no pair."""
    facts = instrument.facts
    if instrument.kind != InstrumentKind.PAIR or "relation" not in facts:
        return None
    return MadeOf(str(facts["left"]), str(facts["right"]), LegRelation(str(facts["relation"])))


def _tracks(facts: Iterable[DatedFact]) -> dict[str, Track]:
    return {name: track_of(own) for name, own in _grouped(facts, lambda fact: fact.name).items()}


def _grouped(
    facts: Iterable[DatedFact], key: Callable[[DatedFact], str]
) -> dict[str, list[DatedFact]]:
    groups: dict[str, list[DatedFact]] = {}
    for fact in facts:
        groups.setdefault(key(fact), []).append(fact)
    return groups


@dataclass(frozen=True, kw_only=True, eq=False)
class ReferenceData:
    """What is known of a market beside its bars, as it was last read; what follows from it is worked out
    once."""

    instruments: tuple[Instrument, ...] = ()
    venues: tuple[Venue, ...] = ()
    events: tuple[Event, ...] = ()
    dated: tuple[DatedFact, ...] = ()
    earlier: Mapping[str, str] = field(default_factory=dict)
    """What instruments were called before they were renamed, with their present codes; the newest first."""

    def present(self, code: str) -> str:
        """The code under which an instrument is known now."""
        return self.earlier.get(code, code)

    @cached_property
    def background(self) -> tuple[Background, ...]:
        """What the engine has to know, in the order of the instruments."""
        return background_of(self.instruments, self.venues, self.events, self.dated_of)

    @cached_property
    def names(self) -> Market | None:
        """What formulas may name: instruments, facts, kinds of events, venues, currencies."""
        values = {(fact.name, fact.value) for fact in self.dated}
        return market_of(
            (instrument.code for instrument in self.instruments),
            (*(i.facts for i in self.instruments), *({name: value} for name, value in values)),
            {event.kind for event in self.events},
            (venue.name for venue in self.venues),
            self.earlier,
            (own.code for own in self.instruments if own.kind == InstrumentKind.INDEX),
        )

    @cached_property
    def by_code(self) -> Mapping[str, Instrument]:
        return {instrument.code: instrument for instrument in self.instruments}

    @cached_property
    def dated_of(self) -> Mapping[str, Sequence[DatedFact]]:
        """Facts through time by instrument."""
        return _grouped(self.dated, lambda fact: fact.code)

    def seen_at(self, moment: int) -> tuple[Instrument, ...]:
        """The instruments with the facts that were known of them at a moment, in seconds since 1970."""
        return _seen_at(self, moment) if self.dated else self.instruments


@lru_cache(maxsize=4)
def _seen_at(reference: ReferenceData, moment: int) -> tuple[Instrument, ...]:
    both = zip(reference.instruments, reference.background, strict=True)
    return tuple(replace(i, facts=facts_at(k, moment)) if k.dated else i for i, k in both)


def facts_at(background: Background, moment: int) -> dict[str, Fact]:
    """The facts that were known of an instrument at a moment."""
    names = dict.fromkeys((*background.facts, *background.dated))
    facts = {name: plain_fact(background.fact(name, moment)) for name in names}
    return {name: value for name, value in facts.items() if value is not None}


def plain_fact(value: object) -> Fact:
    """A value as a fact; None where it is none."""
    return value if isinstance(value, str | int | float) else None


def _calendar(*sources: Mapping[str, list[Event]]) -> dict[str, list[Event]]:
    """Events by kind, in the order of their days."""
    kinds = {kind for source in sources for kind in source}
    return {
        kind: sorted((e for s in sources for e in s.get(kind, ())), key=lambda e: e.day)
        for kind in kinds
    }


def _days(events: Sequence[Event]) -> NDArray[np.int64]:
    return np.array([event.day for event in events], dtype=np.int64)


def _told(events: Sequence[Event]) -> bool:
    return any(event.announced is not None for event in events)


def _announced(events: Sequence[Event]) -> NDArray[np.int64]:
    known = (ALWAYS if event.announced is None else event.announced for event in events)
    return np.array(list(known), dtype=np.int64)
