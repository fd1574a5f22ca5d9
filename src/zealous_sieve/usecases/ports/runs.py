"""Runs and their hits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Protocol

from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.usecases.records.hits import (
    DecidedSetup,
    HitCounts,
    HitsQuery,
    HitTally,
    OpenIdea,
    SeenHit,
    VerdictKind,
    WasHit,
)
from zealous_sieve.usecases.records.runs import Outcome, Run, RunMark, RunOf
from zealous_sieve.usecases.records.sieves import StoredSieve


class RunsPort(Protocol):
    def add(self, stored: StoredSieve, as_of: datetime) -> Run: ...
    def get(self, run_id: int) -> Run | None: ...
    def recent(self, limit: int, at: int = 0) -> list[Run]:
        """So many runs, the newest first, without the ``at`` newest."""
        ...

    def of_sieve(self, sieve_id: int) -> list[RunOf]:
        """The newest runs of a sieve that are done, the newest first."""
        ...

    def count(self, until: datetime | None = None) -> int:
        """How many runs there are, of those that looked from a moment up to that one."""
        ...

    def marks(self, limit: int) -> list[RunMark]:
        """So many runs, the newest first."""
        ...

    def before(self, sieve_id: int, run_id: int) -> list[RunMark]:
        """The finished runs of a sieve before one of it, the last first."""
        ...

    def finish(self, run_id: int, turn: int, hits: Sequence[Hit], outcome: Outcome) -> None:
        """Keep the hits and mark the run done, together; nothing where that turn is not wanted any more."""
        ...


class HitsPort(Protocol):
    def page(
        self, run: Run, before: int | None = None, query: HitsQuery = ...
    ) -> tuple[int, list[SeenHit]]:
        """How many hits fit a query, and those of the page asked for. News are against the run
        ``before``."""
        ...

    def run_of(self, hit_id: int) -> int | None:
        """The run in which a hit was seen."""
        ...

    def one(self, run: Run, hit_id: int, before: int | None = None) -> SeenHit | None: ...
    def first_of(self, run: Run, code: str, before: int | None = None) -> SeenHit | None:
        """The hit of an instrument, of several the first."""
        ...

    def next_open(self, run: Run, after: int) -> int | None:
        """The first hit without a verdict after a place, else the first of all."""
        ...

    def counts(self, run: Run, before: int | None) -> HitCounts: ...
    def tallies(self, compared: Mapping[int, int | None]) -> dict[int, HitTally]:
        """Of several runs, each against the one before it where there is one; by number, without those that
        have no hits."""
        ...

    def of_instrument(self, code: str, limit: int) -> list[WasHit]:
        """What an instrument was a hit of, the newest runs first."""
        ...

    def open_ideas(self) -> list[OpenIdea]:
        """The setups that are to be taken or watched, the last decided first."""
        ...

    def decided(self, as_of: datetime | None) -> list[DecidedSetup]:
        """The setups that were decided in runs that looked from no later moment, the last decided first."""
        ...

    def add_verdict(
        self, run: Run, hit: Hit, kind: VerdictKind | None, reason: str, note: str
    ) -> None: ...
