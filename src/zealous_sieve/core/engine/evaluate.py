"""Plans on panels: tiles of instruments that fit the cache, spread over threads."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, ThreadPoolExecutor, wait
from dataclasses import dataclass
from functools import cache
from threading import Event, local

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.elsewhere import with_elsewhere
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.engine.plan import Plan, plan
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.errors import CancelledError
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.functions.kernel import SPAN

TILE_ROWS = 65_536
"""Rows of one tile. Smaller tiles would fit a nearer cache, but every call of a kernel gives up the
interpreter's lock and takes it again, and two threads doing that often hinder each other more than the
cache helps: on two cores 8,192 rows were twice as slow."""

Progress = Callable[[int, int], None]
"""Called with the instruments done and the instruments in all."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Tile:
    """Instruments ``first … end - 1`` of the panel, whose rows lie in ``rows``."""

    first: int
    end: int
    rows: slice


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
    panel = with_elsewhere(terms, panel, evaluate, made.reads)
    panel = with_sources(panel, made.fields)
    shape = (len(panel.times),) if last is None else (len(panel), last)
    results = {name: np.full(shape, np.nan) for name in terms}
    _spread(made, panel, last, results, progress, cancelled)
    return results


def tiles(panel: Panel) -> Iterator[Tile]:
    """Neighbouring instruments grouped until a tile is full, in order of their rows."""
    first, low, high = 0, 0, 0
    for i in range(len(panel)):
        rows = panel.rows(i)
        joins = i > first and rows.start == high and rows.stop - low <= TILE_ROWS
        if i > first and not joins:
            yield Tile(first=first, end=i, rows=slice(low, high))
            first = i
        if i == first:
            low = rows.start
        high = rows.stop
    if len(panel):
        yield Tile(first=first, end=len(panel), rows=slice(low, high))


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=os.cpu_count() or 1, thread_name_prefix="engine")


def _spread(
    made: Plan,
    panel: Panel,
    last: int | None,
    results: dict[str, Column],
    progress: Progress | None,
    cancelled: Event | None,
) -> None:
    work = list(tiles(panel))
    desk = local()

    def run(tile: Tile) -> int:
        if not hasattr(desk, "scratch"):
            desk.scratch = {}
        if cancelled is None or not cancelled.is_set():
            _run_tile(made, panel, tile, last, results, desk.scratch)
        return tile.end - tile.first

    if len(work) == 1:
        run(work[0])
        done = len(panel)
        if progress:
            progress(done, len(panel))
    else:
        done = 0
        waiting = {_pool().submit(run, tile) for tile in work}
        while waiting:
            finished, waiting = wait(waiting, return_when=FIRST_COMPLETED)
            done += sum(future.result() for future in finished)
            if progress:
                progress(done, len(panel))
    if cancelled is not None and cancelled.is_set():
        raise CancelledError


def _run_tile(
    made: Plan,
    panel: Panel,
    tile: Tile,
    last: int | None,
    results: dict[str, Column],
    scratch: dict[str, NDArray[np.float64]],
) -> None:
    rows = tile.rows.stop - tile.rows.start
    if rows == 0:
        return
    columns = [panel.columns[field][tile.rows] for field in made.fields]
    columns += _scratch_columns(made, rows, scratch)
    if last is None:
        _write_straight(made, columns, results, tile)
    starts = panel.starts[tile.first : tile.end] - tile.rows.start
    ends = panel.ends[tile.first : tile.end] - tile.rows.start
    spans: dict[int, NDArray[np.void]] = {}
    for step in made.steps:
        if step.need not in spans:
            spans[step.need] = _spans(starts, ends, step.need)
        outputs = [columns[place] for place in step.outputs]
        if not step.kernel.dense:
            for column in outputs:
                column.fill(np.nan)
        inputs = [columns[place] for place in step.inputs]
        step.kernel.run(spans[step.need], *inputs, *step.constants, *outputs)
    if last is None:
        for name, place in made.roots.items():
            if columns[place].base is not results[name]:
                results[name][tile.rows] = columns[place]
        return
    bars = ends[:, None] + np.arange(-last, 0)
    outside = bars < starts[:, None]
    bars[outside] = 0
    for name, place in made.roots.items():
        tail = columns[place][bars]
        tail[outside] = np.nan
        results[name][tile.first : tile.end] = tail


def _write_straight(
    made: Plan, columns: list[Column], results: dict[str, Column], tile: Tile
) -> None:
    """Let the steps write wanted results where they are wanted, instead of copying them there."""
    own = len(made.fields) + len(made.constants)
    for name, place in made.roots.items():
        if place >= own:
            columns[place] = results[name][tile.rows]


def _scratch_columns(
    made: Plan, rows: int, scratch: dict[str, NDArray[np.float64]]
) -> list[NDArray[np.float64]]:
    size = len(made.constants) + made.scratch
    block = scratch.get("block")
    if block is None or block.shape[1] < rows or block.shape[0] < size:
        block = np.empty((size, max(rows, TILE_ROWS)))
        for n, value in enumerate(made.constants):
            block[n] = value
        scratch["block"] = block
    return [block[n, :rows] for n in range(size)]


def _spans(starts: NDArray[np.int64], ends: NDArray[np.int64], need: int) -> NDArray[np.void]:
    spans = np.empty(len(starts), dtype=SPAN)
    spans["first"] = starts
    spans["begin"] = np.maximum(starts, ends - need)
    spans["end"] = ends
    return spans
