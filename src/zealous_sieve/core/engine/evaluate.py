"""Plans on panels: portions of instruments, spread over threads."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import FIRST_COMPLETED, wait
from itertools import pairwise
from threading import Event

import numpy as np

from zealous_sieve.core.engine.external_inputs import with_external_inputs
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.engine.plan import Plan, plan
from zealous_sieve.core.engine.pool import THREADS, pool
from zealous_sieve.core.engine.runner import addresses, program, run
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.errors import CancelledError
from zealous_sieve.core.formula.terms import Term

PORTIONS = 6
"""Portions of work for each thread: so many that progress is seen and no thread waits long."""
PORTION_ROWS = 50_000
"""Fewer bars than that are not worth a portion of their own."""

Progress = Callable[[int, int], None]
"""Called with the instruments done and the instruments in all."""


def evaluate(
    terms: Mapping[str, Term],
    panel: Panel,
    *,
    last: int | None = None,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> dict[str, Column]:
    """Compute terms for every instrument of a panel.

    Without ``last`` each result has the shape of the panel's columns (rows outside of the
    instruments are NaN). With ``last = n`` each result is ``(instruments, n)``: the last n bars,
    the newest in the last column, NaN where there are fewer bars. Both give the same numbers.

    Raises DataError ``no_such_column`` and CancelledError.
    """
    made = plan(terms, last=last)
    panel = with_external_inputs(terms, panel, evaluate, made.reads)
    panel = with_sources(panel, made.fields)
    blank = last is None and panel.bars == len(panel.times)
    shape = (len(panel.times),) if last is None else (len(panel), last)
    results = {name: np.empty(shape) if blank else np.full(shape, np.nan) for name in terms}
    _spread(made, panel, last, results, progress, cancelled)
    return results


def _portions(panel: Panel) -> list[slice]:
    """Neighbouring instruments in portions of about as many bars, several for each thread."""
    bars = np.cumsum(panel.ends - panel.starts)
    total = int(bars[-1]) if len(bars) else 0
    wanted = max(1, min(THREADS * PORTIONS, total // PORTION_ROWS))
    bounds = np.searchsorted(bars, np.linspace(0, total, wanted + 1)[1:-1], side="right")
    edges = [0, *sorted({int(b) for b in bounds if 0 < b < len(panel)}), len(panel)]
    return [slice(first, end) for first, end in pairwise(edges) if end > first]


def _spread(
    made: Plan,
    panel: Panel,
    last: int | None,
    results: dict[str, Column],
    progress: Progress | None,
    cancelled: Event | None,
) -> None:
    numbers = program(made)
    columns = [np.ascontiguousarray(panel.columns[field]) for field in made.fields]
    fields = addresses(columns)

    def work(part: slice) -> int:
        if cancelled is None or not cancelled.is_set():
            first = 0 if last is None else part.start
            own = addresses([column[first:] for column in results.values()])
            run(numbers, panel.starts[part], panel.ends[part], fields, own, last or 0)
        return int(part.stop - part.start)

    portions = _portions(panel)
    done = 0
    waiting = {pool().submit(work, part) for part in portions} if len(portions) > 1 else set()
    if not waiting:
        done = sum(work(part) for part in portions)
        if progress:
            progress(done, len(panel))
    while waiting:
        finished, waiting = wait(waiting, return_when=FIRST_COMPLETED)
        done += sum(future.result() for future in finished)
        if progress:
            progress(done, len(panel))
    if cancelled is not None and cancelled.is_set():
        raise CancelledError
