"""Asking the process that computes."""

from __future__ import annotations

import logging
import pickle
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, Concatenate

from zealous_sieve.compute.wire import Asked, Died, Failed, Far, OverBudget, Result, connect
from zealous_sieve.core.errors import CancelledError, Problem
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import AwayError, TooMuchError, computing_away
from zealous_sieve.usecases.ports import Order, P, R

LOOK = 0.05
"""Seconds between two looks whether the answer is still wanted."""
STARTING = 20.0
"""Seconds for which one that is being started is waited for."""

log = logging.getLogger(__name__)


class Apart:
    """Implements ComputePort by the process that listens under a name, on the desk of an owner."""

    def __init__(self, name: str, owner: str) -> None:
        self.name, self.owner = name, owner

    def do(
        self, order: Order, work: Callable[Concatenate[Desk, P], R], *args: P.args, **kw: P.kwargs
    ) -> R:
        # Closing the connection is how a computation is given up.
        with self._connect(order) as connection:
            try:
                connection.send(Asked(self.owner, order.kind, order.as_of, work, args, dict(kw)))
                result: R = self._wait(connection, order)
                return result
            except (EOFError, OSError, pickle.UnpicklingError) as error:
                raise computing_away() from error

    def _connect(self, order: Order) -> Connection:
        until = time.monotonic() + STARTING
        while True:
            try:
                return connect(self.name)
            except OSError as error:
                if time.monotonic() > until:
                    raise computing_away() from error
                if order.gone.wait(LOOK):
                    raise CancelledError from None

    def _wait(self, connection: Connection, order: Order) -> Any:
        part = 0.0
        while True:
            while not connection.poll(LOOK):
                if order.gone.is_set():
                    raise CancelledError
            match connection.recv():
                case Far(done, total):
                    part = done / total if total else 0.0
                    order.progress(done, total)
                case Result(value):
                    return value
                case Failed(error):
                    raise error
                case OverBudget() as over:
                    raise TooMuchError(_too_much(over, part))
                case Died(how):
                    raise _died(how)
            if order.gone.is_set():
                raise CancelledError


def _too_much(over: OverBudget, part: float) -> Problem:
    """What it would have needed, by the part of the instruments that was done."""
    seconds, memory = over.seconds / (part or 1), over.memory / 2**30 / (part or 1)
    need = f"{seconds:.0f} s and {memory:.1f} GB" if memory >= 0.05 else f"{seconds:.0f} s"
    return Problem(
        code="too_much",
        message=f"too much: {'about' if part else 'more than'} {need}",
        mend="narrow the universe, take longer bars, or ask for less history",
    )


def _died(how: str) -> AwayError:
    log.error("a computation %s", how)
    message = f"the computation {how}"
    return AwayError(Problem(code="computation_ended", message=message, mend="try it once more"))
