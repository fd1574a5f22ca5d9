"""Computing in this process: for the command line and wherever one computation is all there is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Concatenate

from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside, P, R


class Here:
    """Implements ComputePort on the desk, and what is outside, that functions bring."""

    def __init__(self, desk: Callable[[], Desk], outside: Callable[[], Outside]) -> None:
        self._desk, self._outside = desk, outside

    def do(
        self, order: Order, work: Callable[Concatenate[Desk, P], R], *args: P.args, **kw: P.kwargs
    ) -> R:
        desk = self._desk().at(order.as_of)
        desk = replace(desk, progress=order.progress, cancelled=order.gone)
        return work(desk, *args, **kw)

    def do_outside(
        self,
        order: Order,
        work: Callable[Concatenate[Outside, P], R],
        *args: P.args,
        **kw: P.kwargs,
    ) -> R:
        return work(self._outside(), *args, **kw)
