"""Hits and what was decided about them, as they are kept and asked for."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.hit import Hit


class VerdictKind(StrEnum):
    TAKE = "take"
    WATCH = "watch"
    DROP = "drop"


@dataclass(frozen=True, kw_only=True)
class Verdict:
    """What was decided about a hit, and why."""

    verdict: VerdictKind | None
    reason: str
    note: str
    created_at: datetime
    run_id: int
    """The run in which it was seen."""


@dataclass(frozen=True, kw_only=True)
class HitsQuery:
    """Which hits of a run: those with all the ``words`` in their code, name, parts, news or verdict, by a
    column, ``count`` of them from number ``first`` on."""

    sort: str = "place"
    down: bool = False
    words: str = ""
    first: int = 0
    count: int = 1_000_000


@dataclass(frozen=True, kw_only=True)
class SeenHit:
    """A hit of a run, where it stands, and how it stands to what was seen before.

    ``id`` is its number; ``told`` are its sentences where it was kept by an earlier version, empty where
    they are made from the values. ``news`` is new or kept against the run before.
    """

    id: int
    hit: Hit
    place: int
    told: tuple[str, ...]
    news: str
    verdict: Verdict | None


@dataclass(frozen=True, kw_only=True)
class HitTally:
    """How many hits of a run wait for a verdict, and are new against the run before."""

    waiting: int
    new: int


@dataclass(frozen=True, kw_only=True)
class HitCounts:
    """Hits of a run: those that wait for a verdict, and against the run before new and gone ones."""

    waiting: int
    new: int
    gone: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class OpenIdea:
    """A setup that is to be taken or watched, by the last verdict on it, and the run it was seen in, which
    looked from ``as_of``; ``id`` is the number of the hit."""

    id: int
    code: str
    side: str
    sieve: str
    run_id: int
    as_of: datetime
    verdict: VerdictKind


@dataclass(frozen=True, kw_only=True)
class WasHit:
    """A hit that an instrument was, by its number, and the run it was seen in."""

    id: int
    run_id: int
    sieve: str
    as_of: datetime
    place: int


@dataclass(frozen=True, kw_only=True)
class DecidedSetup:
    """A setup by the last verdict on it, as it was seen in a run: the number of the hit, the bar that was
    judged, and its close then."""

    id: int
    code: str
    name: str
    side: Side
    timeframe: str
    sieve_id: int
    sieve: str
    run_id: int
    as_of: datetime
    fired_at: int
    bar_at: int
    close: float
    tick: float
    verdict: VerdictKind
    reason: str
    note: str
    decided_at: datetime


@dataclass(frozen=True, kw_only=True)
class DecidedQuery:
    """Which decided setups: of one verdict or of all, with all the ``words``, by a column, so many from a
    place on."""

    verdict: VerdictKind | None = None
    words: str = ""
    sort: str = "decided_at"
    down: bool = True
    at: int = 0
    size: int = 100
