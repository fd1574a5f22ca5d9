"""Runs as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.funnel import Count, Funnel
from zealous_sieve.core.sieve.undecided import Undecided
from zealous_sieve.usecases.records.work import Work, WorkState


class RunState(WorkState):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"

    @property
    def at_work(self) -> bool:
        return self in (RunState.QUEUED, RunState.RUNNING)


RUN = Work(
    name="run_sieve",
    noun="run",
    states=RunState,
    waiting=RunState.QUEUED,
    begun=RunState.RUNNING,
)


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """What a run found beside its hits, in numbers."""

    instruments: int
    counts: tuple[Count, ...]
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]
    funnels: tuple[Funnel, ...] = ()
    """Of each side, where the sieve looks for both."""
    mended: tuple[str, ...] = ()
    """The mendings of its instruments that were in force, each as a sentence."""
    hindsight: tuple[str, ...] = ()
    """What a run of the past had to take from now, each as a sentence."""
    parts: tuple[str, ...] = ()
    """The universes that the sieve's was any of."""


@dataclass(frozen=True, kw_only=True)
class Run:
    """A sifting and how far it is. ``done`` and ``total`` count instruments."""

    id: int
    sieve_id: int
    version: int
    sieve: Sieve
    as_of: datetime
    state: RunState
    reason: str | None
    turn: int
    attempts: int
    done: int
    total: int
    hit_count: int
    outcome: Outcome | None
    """What came out; not told in lists of runs."""
    created_at: datetime
    started_at: datetime | None
    finished_at: datetime | None

    @property
    def parts(self) -> tuple[str, ...]:
        """The universes that the sieve's was any of, as far as it has ended."""
        return self.outcome.parts if self.outcome else ()


@dataclass(frozen=True, kw_only=True)
class RunMark:
    """What tells whether runs are to be compared: those of one ``looked_for`` looked for the same."""

    id: int
    sieve_id: int
    as_of: datetime
    state: RunState
    looked_for: str


@dataclass(frozen=True, kw_only=True)
class RunOf:
    """A run that is done, and which version of its sieve it used."""

    id: int
    version: int
    as_of: datetime
    hits: int
