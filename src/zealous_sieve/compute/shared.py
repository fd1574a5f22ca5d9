"""What was just computed is not computed again, and what is under way is waited for by all who ask it."""

from __future__ import annotations

import pickle
from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Event, Lock
from typing import Concatenate

from cachetools import LRUCache

from zealous_sieve.compute.apart import LOOK, Apart
from zealous_sieve.core.errors import CancelledError
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, OrderKind, Outside, P, R

SHARED = (OrderKind.GLANCE, OrderKind.PREVIEW)
_MOST = 64 * 2**20
"""Bytes of results that are kept."""


@dataclass
class _Flight:
    """A computation under way; ``error`` is how it ended, where that was one."""

    ended: Event = field(default_factory=Event)
    error: Exception | None = None


class Shared:
    """Implements ComputePort. What is computed depends on nothing but the desk, the order's moment and the
    arguments, so that as long as the ``mark`` of the desk stays the same the result does.

    The mark is read before the computation begins: what is kept under it may be newer, never older.
    """

    def __init__(self, apart: Apart, mark: Callable[[], str]) -> None:
        self.apart, self.mark = apart, mark
        self._lock = Lock()
        self._kept: LRUCache[bytes, bytes] = LRUCache(_MOST, getsizeof=len)
        self._under_way: dict[bytes, _Flight] = {}

    def do(
        self, order: Order, work: Callable[Concatenate[Desk, P], R], *args: P.args, **kw: P.kwargs
    ) -> R:
        if order.kind not in SHARED:
            return self.apart.do(order, work, *args, **kw)
        key = pickle.dumps((self.mark(), order.as_of, work, args, kw))
        while True:
            with self._lock:
                kept = self._kept.get(key)
                flight = self._under_way.get(key)
                if kept is None and flight is None:
                    own = self._under_way[key] = _Flight()
                    break
            if kept is not None:
                there: R = pickle.loads(kept)
                return there
            assert flight is not None
            _wait(flight, order)
        try:
            pickled = self.apart.pickled(order, work, args, dict(kw))
            with self._lock:
                if len(pickled) <= _MOST // 4:
                    self._kept[key] = pickled
            made: R = pickle.loads(pickled)
        except Exception as error:
            own.error = error
            raise
        else:
            return made
        finally:
            with self._lock:
                del self._under_way[key]
            own.ended.set()

    def do_outside(
        self,
        order: Order,
        work: Callable[Concatenate[Outside, P], R],
        *args: P.args,
        **kw: P.kwargs,
    ) -> R:
        return self.apart.do_outside(order, work, *args, **kw)


def _wait(flight: _Flight, order: Order) -> None:
    """Wait for what another asked. Raises how that ended, but where only that one gave up."""
    while not flight.ended.wait(LOOK):
        if order.gone.is_set():
            raise CancelledError
    if flight.error is not None and not isinstance(flight.error, CancelledError):
        raise flight.error
