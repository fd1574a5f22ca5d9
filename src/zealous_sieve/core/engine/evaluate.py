"""Plans on panels: portions of instruments, spread over threads."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import FIRST_COMPLETED, wait
from itertools import pairwise
from threading import Event

import numpy as np

from zealous_sieve.core.engine.external_inputs import with_external_inputs
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.engine.plan import EVERYTHING, Plan, plan
from zealous_sieve.core.engine.pool import THREADS, pool
from zealous_sieve.core.engine.runner import addresses, program, run
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.errors import CancelledError
from zealous_sieve.core.formula.terms import Term

PORTIONS = 6
"""Portions of work for each thread: so many that progress is seen and no thread waits long."""
LOOKS = (64, 256, 1024)
"""Bars that functions that settle are given at first; the whole history only where that is too few."""
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
    looks = _looks(terms, last)
    made = looks[-1]
    panel = with_external_inputs(terms, panel, evaluate, made.reads)
    panel = with_sources(panel, made.fields)
    blank = last is None and panel.bars == len(panel.times)
    shape = (len(panel.times),) if last is None else (len(panel), last)
    results = {name: np.empty(shape) if blank else np.full(shape, np.nan) for name in terms}
    columns = [np.ascontiguousarray(panel.columns[field]) for field in made.fields]
    fields = addresses(columns)
    programs = [(look, program(look)) for look in looks]

    def work(part: slice) -> int:
        if last is None:
            own = addresses(list(results.values()))
            run(programs[0][1], panel.starts[part], panel.ends[part], fields, own, 0)
            return int(part.stop - part.start)
        left = np.arange(part.start, part.stop)
        for look, numbers in programs:
            if not len(left) or (cancelled is not None and cancelled.is_set()):
                break
            starts, ends = panel.starts[left], panel.ends[left]
            found = np.full((len(terms), len(left), last), np.nan)
            run(numbers, starts, ends, fields, addresses(list(found)), last)
            for column, own_found in zip(results.values(), found, strict=True):
                column[left] = own_found
            left = left[np.isnan(found).any(axis=(0, 2)) & (ends - starts > look.sure_up_to)]
        return int(part.stop - part.start)

    _spread(work, panel, progress, cancelled)
    return results


def _looks(terms: Mapping[str, Term], last: int | None) -> list[Plan]:
    """Plans from the shortest look back to the whole history; the last one is sure."""
    if last is None:
        return [plan(terms)]
    looks = [plan(terms, last=last, within=within) for within in LOOKS]
    return [*(look for look in looks if look.sure_up_to < EVERYTHING), plan(terms, last=last)]


def _portions(panel: Panel) -> list[slice]:
    """Neighbouring instruments in portions of about as many bars, several for each thread."""
    bars = np.cumsum(panel.ends - panel.starts)
    total = int(bars[-1]) if len(bars) else 0
    wanted = max(1, min(THREADS * PORTIONS, total // PORTION_ROWS))
    bounds = np.searchsorted(bars, np.linspace(0, total, wanted + 1)[1:-1], side="right")
    edges = [0, *sorted({int(b) for b in bounds if 0 < b < len(panel)}), len(panel)]
    return [slice(first, end) for first, end in pairwise(edges) if end > first]


def _spread(
    work: Callable[[slice], int],
    panel: Panel,
    progress: Progress | None,
    cancelled: Event | None,
) -> None:
    def unless_cancelled(part: slice) -> int:
        return 0 if cancelled is not None and cancelled.is_set() else work(part)

    portions = _portions(panel)
    done = 0
    waiting = (
        {pool().submit(unless_cancelled, part) for part in portions} if len(portions) > 1 else set()
    )
    if not waiting:
        done = sum(unless_cancelled(part) for part in portions)
        if progress:
            progress(done, len(panel))
    while waiting:
        finished, waiting = wait(waiting, return_when=FIRST_COMPLETED)
        done += sum(future.result() for future in finished)
        if progress:
            progress(done, len(panel))
    if cancelled is not None and cancelled.is_set():
        raise CancelledError
