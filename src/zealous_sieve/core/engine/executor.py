"""Whatever computes: it is given to whoever wants something computed, and not looked up."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from threading import Event

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.engine.stages import Computation, split
from zealous_sieve.core.formula.terms import Term


class Executor(ABC):
    """Goes through the stages of some work, in this process or elsewhere. Work and panels can be pickled:
    kernels travel by name, and of a panel only what is looked at (see ``Panel.narrow``)."""

    @abstractmethod
    def run(
        self,
        work: Computation,
        panel: Panel,
        *,
        progress: Progress | None = None,
        cancelled: Event | None = None,
    ) -> dict[str, Column]:
        """The results by name: columns like the panel's, rows outside of the instruments missing; with
        ``last = n`` of shape ``(instruments, n)``, the newest bar in the last column, missing where there
        are fewer. Both give the same numbers. Raises DataError ``no_such_column`` and CancelledError.
        """

    def evaluate(
        self,
        terms: Mapping[str, Term],
        panel: Panel,
        *,
        last: int | None = None,
        progress: Progress | None = None,
        cancelled: Event | None = None,
    ) -> dict[str, Column]:
        """Compute terms for every instrument of a panel, on all bars or on the ``last`` few. Gives and
        raises as ``run``."""
        return self.run(split(terms, last), panel, progress=progress, cancelled=cancelled)
