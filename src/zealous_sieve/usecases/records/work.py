"""Work that is done beside requests: what is the same for runs, imports and the demo."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from enum import StrEnum

MOST_ATTEMPTS = 2


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
