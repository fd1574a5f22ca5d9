"""Work that is done beside requests: what is the same for runs, imports and the demo."""

from __future__ import annotations

import time
from abc import abstractmethod
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

MOST_ATTEMPTS = 2
REPORT_EVERY = 0.2
"""Seconds between two notes of how far a piece of work is."""


class WorkState(StrEnum):
    """Where a piece of work is; each kind has states of its own."""

    @property
    @abstractmethod
    def at_work(self) -> bool:
        """Whether the worker has something to do with it, or is doing it."""

    @property
    def ended(self) -> bool:
        """Whether nothing is going to follow by itself or by its owner."""
        return not self.at_work


@dataclass(frozen=True, kw_only=True)
class Work:
    """A kind of work. Pieces of it have numbers. ``name`` is how the queue calls it, ``noun`` how people
    do; ``begun`` is the state of what is being done, ``waiting`` of what waits (again), where that is told
    apart."""

    name: str
    noun: str
    states: type[WorkState]
    waiting: WorkState | None = None
    begun: WorkState | None = None

    def key(self, number: int) -> str:
        """How a piece of it is called; also what keeps it from being done twice at once."""
        return f"{self.noun}-{number}"

    @property
    def open(self) -> tuple[WorkState, ...]:
        """The states of what is to be done, or is being done."""
        return tuple(state for state in self.states if state.at_work)


@dataclass(frozen=True, kw_only=True)
class Piece:
    """A piece of work, and how far it is. ``turn`` counts what was asked of it and each attempt at that:
    what is still written for an earlier turn changes nothing. ``attempts`` are those at what was asked
    last."""

    number: int
    state: WorkState
    turn: int
    attempts: int
    done: int
    total: int


class WorkPort(Protocol):
    """Pieces of work of all kinds, of one owner."""

    def unfinished(self, work: Work) -> list[Piece]:
        """Those that are to be done, or are being done, by number."""
        ...

    def told(self, work: Work, numbers: Iterable[int]) -> dict[int, Piece]:
        """Some, by number; those that do not exist are left out."""
        ...

    def ask(
        self, work: Work, number: int, state: WorkState, *of: WorkState, reason: str | None = None
    ) -> bool:
        """Change the state of a piece that is in one ``of`` some; what was under way with it counts no
        more. False where it is in another."""
        ...

    def begin(self, work: Work, number: int, turn: int) -> int | None:
        """Count an attempt at what a turn asked for. Returns the turn that it is itself; None where it is
        not wanted any more."""
        ...

    def wanted(self, work: Work, number: int, turn: int) -> bool:
        """Whether the work of a turn is still wanted."""
        ...

    def progress(self, work: Work, number: int, turn: int, done: int, total: int) -> bool:
        """Keep how far a turn is; False where it is not wanted any more."""
        ...

    def end(
        self, work: Work, number: int, turn: int, state: WorkState, reason: str | None = None
    ) -> bool:
        """Keep how a turn ended; False where it was not wanted any more."""
        ...

    def wait(self, work: Work, piece: Piece) -> None:
        """What was broken off waits for its next attempt."""
        ...


class Reporter:
    """Keeps how far a piece of work is, a few times a second, and learns on the way when it is not wanted
    any more: then it calls ``stop``."""

    def __init__(
        self, works: WorkPort, work: Work, number: int, turn: int, stop: Callable[[], None]
    ) -> None:
        self.works, self.work, self.number, self.turn = works, work, number, turn
        self.stop = stop
        self.last = 0.0

    def __call__(self, done: int, total: int) -> None:
        moment = time.monotonic()
        if moment - self.last < REPORT_EVERY and done < total:
            return
        self.last = moment
        if not self.works.progress(self.work, self.number, self.turn, done, total):
            self.stop()
