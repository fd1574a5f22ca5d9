"""The executor of this process: portions of instruments, spread over threads."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, wait
from itertools import pairwise
from threading import Event

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.external_inputs import with_inputs
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.pool import THREADS, pool
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.engine.runner import addresses, program, run
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.engine.stages import Computation
from zealous_sieve.core.errors import CancelledError

PORTIONS = 6
"""Portions of work for each thread: so many that progress is seen and no thread waits long."""
PORTION_ROWS = 50_000
"""Fewer bars than that are not worth a portion of their own."""


class LocalExecutor(Executor):
    """Goes through the stages in this process, instruments on as many threads as there are processors."""

    def run(
        self,
        work: Computation,
        panel: Panel,
        *,
        progress: Progress | None = None,
        cancelled: Event | None = None,
    ) -> dict[str, Column]:
        """As the protocol says."""
        panel = with_sources(with_inputs(work.inputs, panel, self.evaluate), work.looks[-1].fields)
        columns = [np.ascontiguousarray(panel.columns[f]) for f in work.looks[-1].fields]
        programs = [(look.sure_up_to, program(look)) for look in work.looks]
        last = work.last or 0
        shape = (len(panel), last) if last else (len(panel.times),)
        blank = not last and panel.bars == len(panel.times)
        results = {n: np.empty(shape) if blank else np.full(shape, np.nan) for n in work.names}
        fields = addresses(columns)

        def all_bars(part: slice) -> None:
            own = addresses(list(results.values()))
            run(programs[0][1], panel.starts[part], panel.ends[part], fields, own, 0)

        def last_bars(part: slice) -> None:
            left = np.arange(part.start, part.stop)
            for sure_up_to, numbers in programs:
                if not len(left) or _is_set(cancelled):
                    return
                starts, ends = panel.starts[left], panel.ends[left]
                found = np.full((len(results), len(left), last), np.nan)
                run(numbers, starts, ends, fields, addresses(list(found)), last)
                for column, own in zip(results.values(), found, strict=True):
                    column[left] = own
                left = left[np.isnan(found).any(axis=(0, 2)) & (ends - starts > sure_up_to)]

        _spread(last_bars if last else all_bars, panel, progress, cancelled)
        return results


LOCAL = LocalExecutor()
evaluate = LOCAL.evaluate
"""For whoever means to compute here, and nowhere else: commands on files, and what is only tried."""


def _is_set(event: Event | None) -> bool:
    return event is not None and event.is_set()


def _portions(panel: Panel) -> list[slice]:
    """Neighbouring instruments in portions of about as many bars, several for each thread."""
    bars = np.cumsum(panel.ends - panel.starts)
    total = int(bars[-1]) if len(bars) else 0
    wanted = max(1, min(THREADS * PORTIONS, total // PORTION_ROWS))
    bounds = np.searchsorted(bars, np.linspace(0, total, wanted + 1)[1:-1], side="right")
    edges = [0, *sorted({int(b) for b in bounds if 0 < b < len(panel)}), len(panel)]
    return [slice(first, end) for first, end in pairwise(edges) if end > first]


def _spread(
    work: Callable[[slice], None],
    panel: Panel,
    progress: Progress | None,
    cancelled: Event | None,
) -> None:
    def portion(part: slice) -> int:
        if not _is_set(cancelled):
            work(part)
        return int(part.stop - part.start)

    portions = _portions(panel)
    done = 0
    waiting = {pool().submit(portion, part) for part in portions} if len(portions) > 1 else set()
    if not waiting:
        done = sum(portion(part) for part in portions)
        if progress:
            progress(done, len(panel))
    while waiting:
        finished, waiting = wait(waiting, return_when=FIRST_COMPLETED)
        done += sum(future.result() for future in finished)
        if progress:
            progress(done, len(panel))
    if _is_set(cancelled):
        raise CancelledError
