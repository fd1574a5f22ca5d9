"""What the worker does: each kind of work, and what becomes of a piece that is given up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.imports import IMPORT
from zealous_sieve.usecases.records.runs import RUN, RunState
from zealous_sieve.usecases.records.work import MOST_ATTEMPTS, Work, WorkState
from zealous_sieve.usecases.sifting.runs import execute_run
from zealous_sieve.usecases.table.demo import DEMO, move_demo, settled_demo
from zealous_sieve.usecases.table.imports import execute_import, settled_import


@dataclass(frozen=True, kw_only=True)
class Task:
    """What is done for a kind of ``work``. ``settled`` is the state of a piece whose work ended without a
    word."""

    work: Work
    execute: Callable[[Outside, int], None]
    settled: Callable[[Outside, int], WorkState]

    def give_up(self, outside: Outside, number: int, reason: str) -> None:
        """Say that a piece is not tried again."""
        state = self.settled(outside, number)
        outside.work.ask(self.work, number, state, *self.work.open, reason=reason)

    def recover(self, outside: Outside) -> list[int]:
        """After a restart: take up again what was interrupted, or give it up.

        To be called while no worker is running. Returns the pieces that were queued again.
        """
        taken_up = []
        for piece in outside.work.unfinished(self.work):
            if piece.attempts >= MOST_ATTEMPTS:
                times = f"the server stopped {piece.attempts} times meanwhile"
                self.give_up(outside, piece.number, f"{times}; it is not tried again")
            else:
                outside.work.wait(self.work, piece)
                outside.queue.submit(self.work, piece.number)
                taken_up.append(piece.number)
        return taken_up


TASKS = (
    Task(work=RUN, execute=execute_run, settled=lambda *_: RunState.FAILED),
    Task(work=IMPORT, execute=execute_import, settled=settled_import),
    Task(work=DEMO, execute=lambda outside, _: move_demo(outside), settled=settled_demo),
)
