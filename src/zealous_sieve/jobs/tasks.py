"""What the worker does: each kind of work, how it is found again and how it is given up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from zealous_sieve.usecases.demo import STATE, DemoState, demo_state, move_demo
from zealous_sieve.usecases.import_ports import ImportState
from zealous_sieve.usecases.imports import execute_import, recover_imports
from zealous_sieve.usecases.ports import Outside, RunState
from zealous_sieve.usecases.runs import execute_run, recover_runs


@dataclass(frozen=True, kw_only=True)
class Task:
    """A kind of work. Pieces of it have numbers; ``name`` is how the queue calls it, ``noun`` how people
    do."""

    name: str
    noun: str
    execute: Callable[[Outside, int], None]
    unfinished: Callable[[Outside], list[int]]
    recover: Callable[[Outside], list[int]]
    submit: Callable[[Outside, int], None]
    give_up: Callable[[Outside, int, str], None]

    def lock(self, number: int) -> str:
        """What keeps a piece of work from being done twice at once."""
        return f"{self.noun}-{number}"


def _give_up_run(outside: Outside, number: int, reason: str) -> None:
    outside.runs.end(number, RunState.FAILED, reason)


def _give_up_import(outside: Outside, number: int, reason: str) -> None:
    own = outside.imports.get(number)
    if own is not None:
        outside.imports.end(number, own.turn, ImportState.FAILED, reason=reason)


RUN = Task(
    name="run_sieve",
    noun="run",
    execute=execute_run,
    unfinished=lambda outside: [run.id for run in outside.runs.unfinished()],
    recover=recover_runs,
    submit=lambda outside, number: outside.queue.submit_run(number),
    give_up=_give_up_run,
)
IMPORT = Task(
    name="take_import",
    noun="import",
    execute=execute_import,
    unfinished=lambda outside: [own.id for own in outside.imports.unfinished()],
    recover=recover_imports,
    submit=lambda outside, number: outside.queue.submit_import(number),
    give_up=_give_up_import,
)


def _demo_on_its_way(outside: Outside) -> list[int]:
    return [0] if demo_state(outside) in (DemoState.COMING, DemoState.GOING) else []


def _take_up_demo(outside: Outside) -> list[int]:
    found = _demo_on_its_way(outside)
    for _ in found:
        outside.queue.submit_demo()
    return found


DEMO = Task(
    name="move_demo",
    noun="demo",
    execute=lambda outside, _: move_demo(outside),
    unfinished=_demo_on_its_way,
    recover=_take_up_demo,
    submit=lambda outside, _: outside.queue.submit_demo(),
    give_up=lambda outside, _, __: outside.market.set_setting(STATE, None),
)
TASKS = (RUN, IMPORT, DEMO)
