"""How far pieces of work are, as it is kept."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from zealous_sieve.usecases.records.work import Piece, Work, WorkState


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
