"""Asking the process that computes."""

from __future__ import annotations

import logging
import pickle
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, Concatenate

from zealous_sieve.compute.wire import (
    ComputationAsked,
    Died,
    Failed,
    Far,
    OverBudget,
    Result,
    connect,
)
from zealous_sieve.core.errors import CancelledError, Problem
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, OrderKind, Outside, P, R
from zealous_sieve.usecases.errors import DiedError, TooMuchError, computing_away

LOOK = 0.05
"""Seconds between two looks whether the answer is still wanted."""
STARTING = 20.0
"""Seconds for which one that is being started is waited for."""

_log = logging.getLogger(__name__)


class Apart:
    """Implements ComputePort by the process that listens under a name, on the desk of an owner."""

    def __init__(self, name: str, owner: str) -> None:
        self.name, self.owner = name, owner

    def do(
        self, order: Order, work: Callable[Concatenate[Desk, P], R], *args: P.args, **kw: P.kwargs
    ) -> R:
        result: R = pickle.loads(self.pickled(order, work, args, kw))
        return result

    def pickled(
        self, order: Order, work: Callable[..., Any], args: tuple[Any, ...], kw: dict[str, Any]
    ) -> bytes:
        """What ``do`` returns, as a pickle."""
        return self._ask(
            order, ComputationAsked(self.owner, order.kind, order.as_of, work, args, kw)
        )

    def do_outside(
        self,
        order: Order,
        work: Callable[Concatenate[Outside, P], R],
        *args: P.args,
        **kw: P.kwargs,
    ) -> R:
        asked = ComputationAsked(self.owner, order.kind, None, work, args, dict(kw), outside=True)
        result: R = pickle.loads(self._ask(order, asked))
        return result

    def _ask(self, order: Order, request: ComputationAsked) -> bytes:
        # Closing the connection is how a computation is given up.
        with self._connect(order) as connection:
            try:
                connection.send(request)
                return self._wait(connection, order)
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

    def _wait(self, connection: Connection, order: Order) -> bytes:
        part = 0.0
        while True:
            while not connection.poll(LOOK):
                if order.gone.is_set():
                    raise CancelledError
            match connection.recv():
                case Far(done, total):
                    part = done / total if total else 0.0
                    order.progress(done, total)
                case Result(pickled):
                    return pickled
                case Failed(error):
                    raise error
                case OverBudget() as over:
                    raise TooMuchError(_too_much(order.kind, over, part))
                case Died(how):
                    raise _died(how)
            if order.gone.is_set():
                raise CancelledError


def _too_much(kind: OrderKind, over: OverBudget, part: float) -> Problem:
    """What it would have needed, by the part of the instruments that was done."""
    mend = "narrow the universe, take longer bars, or ask for less history"
    if kind.reads_files:
        mend = "import it in parts, and without the columns that are not needed"
    seconds, memory = over.seconds / (part or 1), over.memory / 2**30 / (part or 1)
    need = f"{seconds:.0f} s and {memory:.1f} GB" if memory >= 0.05 else f"{seconds:.0f} s"
    return Problem(
        code="too_much",
        message=f"too much: {'about' if part else 'more than'} {need}",
        mend=mend,
    )


def _died(how: str) -> DiedError:
    _log.error("a computation %s", how)
    message = f"the computation {how}"
    return DiedError(Problem(code="computation_ended", message=message, mend="try it once more"))
