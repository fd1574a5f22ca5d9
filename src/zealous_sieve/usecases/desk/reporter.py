"""A piece of work tells how far it is, and hears that it is not wanted any more."""

from __future__ import annotations

import time
from collections.abc import Callable

from zealous_sieve.usecases.ports.work import WorkPort
from zealous_sieve.usecases.records.work import Work

_REPORT_EVERY = 0.2
"""Seconds between two notes of how far a piece of work is."""


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
        if moment - self.last < _REPORT_EVERY and done < total:
            return
        self.last = moment
        if not self.works.progress(self.work, self.number, self.turn, done, total):
            self.stop()
