"""Going on from kept state: on a new bar only that bar is computed.

Of every column of a plan so many of the last bars are kept as the steps that read it look back; a step
sees them as if the whole history were there. So the result is the same to the last bit.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numba import carray
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Rows
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.plan import ALL_BARS, Plan, Step, plan
from zealous_sieve.core.engine.pool import in_portions
from zealous_sieve.core.engine.runner import NumberedPlan, addresses, program, run
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.entry import call, pointer
from zealous_sieve.core.functions.kernel import SPAN

_AT_ONCE = 200_000
"""Bars of the portions in which the state is made."""
LEAST_ROOM, MOST_ROOM = 4, 32
"""Bars of room beside what is kept: when it is used up, what is kept is moved to the beginning."""
_BLOCK = 32
"""Instruments taken together."""
MORE = 256
"""Bars of room where everything is kept."""


class IncrementalEvaluation:
    """The state of some terms over the instruments of a panel, and the way on.

    ``fields`` are the columns of which ``advance`` needs the new values: those of the bars, and those
    that come from elsewhere, which stand in a panel prepared by ``with_external_inputs``.
    """

    def __init__(self, terms: Mapping[str, Term], panel: Panel) -> None:
        self.plan = plan(terms, last=1, keep=True)
        self.program = program(self.plan)
        self.fields = self.plan.fields
        self.names = tuple(terms)
        self.counts: Rows = (panel.ends - panel.starts).astype(np.int64)
        self.kept = _kept(self.plan, self.program)
        self.whole_history = np.array([_starts_over(step) for step in self.plan.steps], dtype=bool)
        self.plain = np.array([step.kernel.elementwise for step in self.plan.steps], dtype=bool)
        self._make_room(int(self.counts.max(initial=0)))
        self._seed(panel)

    @property
    def bytes(self) -> int:
        """Memory that the state takes."""
        return self.store.nbytes + self.bases.nbytes

    def advance(
        self, bars: Mapping[str, Column], which: NDArray[np.bool_] | None = None
    ) -> dict[str, Column]:
        """Take in one new bar of every instrument, or of those in ``which``.

        ``bars`` holds for each of ``fields`` an array with an entry an instrument. Returns the terms at
        the new bars, missing for instruments without one. Raises DataError ``no_such_column``.
        """
        missing = [field for field in self.fields if field not in bars]
        if missing:
            problem = Problem(code="no_such_column", message=f"the bars hold no {missing[0]}")
            raise DataError(problem)
        self._grow()
        new = np.empty((len(self.fields), len(self.counts)))
        for n, field in enumerate(self.fields):
            new[n] = bars[field]
        chosen = np.arange(len(self.counts)) if which is None else np.flatnonzero(which)
        results = np.full((len(self.names), len(self.counts)), np.nan)
        made = self.program

        def work(part: slice) -> None:
            _advance(
                chosen[part], self.counts, new, results, self.store, self.offsets, self.sizes,
                self.kept, self.bases, made.fixed, made.entries, made.sparse, self.whole_history,
                self.plain, made.places, made.outputs, made.constants, made.roots,
            )  # fmt: skip

        in_portions(len(chosen), work)
        return dict(zip(self.names, results, strict=True))

    def develop(
        self,
        closed: Sequence[Column],
        inside: Sequence[Column],
        closed_from: Rows,
        firsts: Rows,
        ends: Rows,
        over: Rows,
        begun: NDArray[np.bool_],
        size: int,
    ) -> dict[str, Column]:
        """The terms as they stood at each row ``firsts … ends - 1`` of a faster panel of ``size`` rows.

        By then ``over`` bars of the instrument had closed; their columns are ``closed``, one for each of
        ``fields``, from the rows ``closed_from`` on. Where another had ``begun``, ``inside`` holds what
        it was made of so far. The state has to end before the last bar that had closed at first.
        """
        self._grow(int(over.max(initial=0)))
        results = np.full((len(self.names), size), np.nan)
        bars = np.stack([*closed]) if closed else np.empty((0, 0))
        unfinished = np.stack([*inside]) if inside else np.empty((0, size))
        made = self.program

        def work(part: slice) -> None:
            _develop(
                np.arange(part.start, part.stop), self.counts, bars, unfinished, closed_from, firsts,
                ends, over, begun, results, self.store, self.offsets, self.sizes, self.kept,
                self.bases, made.fixed, made.entries, made.sparse, self.whole_history, self.plain,
                made.places, made.outputs, made.constants, made.roots,
            )  # fmt: skip

        in_portions(len(firsts), work)
        return dict(zip(self.names, results, strict=True))

    def _make_room(self, longest: int) -> None:
        """One row of memory an instrument, in it a stretch for each place that is read later again."""
        everything = longest + MORE
        room = np.clip(self.kept, LEAST_ROOM, MOST_ROOM)
        sizes = np.where(self.kept >= ALL_BARS, everything, self.kept + room)
        fixed = slice(len(self.fields), len(self.fields) + len(self.program.fixed))
        sizes[(self.kept == 1)] = 0
        sizes[fixed] = np.where(self.kept[fixed] == 1, 0, sizes[fixed])
        self.sizes = sizes
        self.offsets = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
        self.store = np.full((len(self.counts), int(sizes.sum())), np.nan)
        self.bases = np.zeros((len(sizes), len(self.counts)), np.int64)
        for place, value in enumerate(self.program.fixed, start=fixed.start):
            self._stretch(place)[:] = value

    def _stretch(self, place: int) -> Column:
        """What is kept of one place, as ``(instruments, bars)``."""
        first = self.offsets[place]
        return self.store[:, first : first + self.sizes[place]]

    def _grow(self, longest: int = 0) -> None:
        """Move to more room before columns that keep everything are full."""
        endless = self.kept >= ALL_BARS
        longest = max(longest, int(self.counts.max(initial=0)))
        if not endless.any() or longest + 1 < int(self.sizes[endless][0]):
            return
        before = [self._stretch(place).copy() for place in range(len(self.sizes))]
        bases = self.bases
        self._make_room(longest)
        self.bases = bases
        for place, stretch in enumerate(before):
            self._stretch(place)[:, : stretch.shape[1]] = stretch

    def _seed(self, panel: Panel) -> None:
        first = 0
        while first < len(panel):
            end = first + 1
            while end < len(panel) and self.counts[first : end + 1].sum() <= _AT_ONCE:
                end += 1
            self._seed_part(panel, first, end)
            first = end

    def _seed_part(self, panel: Panel, first: int, end: int) -> None:
        counts = self.counts[first:end]
        ends = np.cumsum(counts)
        rows = np.concatenate([np.arange(*panel.rows(i).indices(2**62)) for i in range(first, end)])
        fields = [np.ascontiguousarray(panel.columns[field][rows]) for field in self.fields]
        results = [np.full(len(rows), np.nan) for _ in self.sizes]
        run(
            _all_places(self.program), ends - counts, ends, addresses(fields), addresses(results), 0
        )
        for place, column in enumerate(results):
            if self.sizes[place]:
                _keep_last(
                    column, ends, counts, self._stretch(place)[first:end],
                    self.bases[place, first:end], self.kept[place],
                )  # fmt: skip


def _all_places(made: NumberedPlan) -> NumberedPlan:
    """The same program for the whole history, with every place as a result."""
    needs = np.full_like(made.needs, ALL_BARS)
    return replace(made, needs=needs, roots=np.arange(made.columns, dtype=np.int64))


def _starts_over(step: Step) -> bool:
    """Whether a step has to be computed from the first bar on, as its outputs say too little."""
    return step.kernel.reach is None and step.kernel.resume is None


def _kept(made: Plan, numbers: NumberedPlan) -> Rows:
    """How many of the last bars of each place are read on a new bar, that bar included."""
    kept = np.ones(numbers.columns, np.int64)
    for step in made.steps:
        reads = step.kernel.reach or step.kernel.resume
        bars = ALL_BARS if reads is None else max(1, reads(*step.constants))
        own = ALL_BARS if reads is None else 2
        for place in step.inputs:
            kept[place] = max(kept[place], bars)
        for place in step.outputs:
            kept[place] = max(kept[place], own)
    return kept


@compiled
def _keep_last(column, ends, counts, stretch, bases, kept):  # type: ignore[no-untyped-def]
    """The last bars of every instrument's column to the beginning of its stretch."""
    for i in range(len(ends)):
        have = min(kept, counts[i])
        for n in range(have):
            stretch[i, n] = column[ends[i] - have + n]
        bases[i] = counts[i] - have


@compiled
def _advance(  # type: ignore[no-untyped-def]
    chosen, counts, new, results, store, offsets, sizes, kept, bases, fixed,
    entries, sparse, whole, plain, places, outputs, constants, roots,
):  # fmt: skip
    """Blocks of instruments, step by step. The newest value of every place stands in ``now``, those of a
    block side by side; steps that look at nothing else run over the block at once."""
    now = np.empty((len(offsets), _BLOCK))
    across = np.array([now[place].ctypes.data for place in range(len(offsets))])
    for first in range(0, len(chosen), _BLOCK):
        block = chosen[first : first + _BLOCK]
        _make_way(block, counts, store, offsets, sizes, kept, bases)
        now[0, 0] = _fetch(block, counts, store, offsets, sizes, bases)
        for k in range(len(block)):
            for n in range(len(new)):
                now[n, k] = new[n, block[k]]
        _step(
            block, now, across, len(new), counts, store, offsets, sizes, bases, fixed,
            entries, sparse, whole, plain, places, outputs, constants,
        )  # fmt: skip
        for k in range(len(block)):
            for n in range(len(roots)):
                results[n, block[k]] = now[roots[n], k]
            counts[block[k]] += 1


@compiled
def _step(  # type: ignore[no-untyped-def]
    block, now, across, given, counts, store, offsets, sizes, bases, fixed,
    entries, sparse, whole, plain, places, outputs, constants,
):  # fmt: skip
    """One bar of a block of instruments, whose first ``given`` places stand in ``now``."""
    for k in range(len(block)):
        for n in range(len(fixed)):
            now[given + n, k] = fixed[n]
    for place in range(given + len(fixed)):
        _store(place, block, counts, now, store, offsets, sizes, bases)
    for step in range(len(entries)):
        if plain[step]:
            _over_block(entries[step], len(block), across, places[step], constants[step])
            for n in range(outputs[step, 0], outputs[step, 1]):
                _store(places[step, n], block, counts, now, store, offsets, sizes, bases)
        else:
            _one_by_one(
                entries[step], sparse[step], whole[step], places[step], outputs[step],
                constants[step], block, counts, now, store, offsets, sizes, bases,
            )  # fmt: skip


@compiled
def _develop(  # type: ignore[no-untyped-def]
    chosen, counts, closed, inside, closed_from, firsts, ends, over, begun, results, store, offsets,
    sizes, kept, bases, fixed, entries, sparse, whole, plain, places, outputs, constants, roots,
):  # fmt: skip
    """One instrument after another, bar by bar: closed bars are kept, the unfinished one is computed
    behind them and then forgotten."""
    now = np.empty((len(offsets), _BLOCK))
    across = np.array([now[place].ctypes.data for place in range(len(offsets))])
    last = np.empty(len(roots))
    for i in chosen:
        block = np.array([i])
        last[:] = np.nan
        for t in range(firsts[i], ends[i]):
            while counts[i] < over[t]:
                _make_way(block, counts, store, offsets, sizes, kept, bases)
                for n in range(len(closed)):
                    now[n, 0] = closed[n, closed_from[i] + counts[i]]
                _step(
                    block, now, across, len(closed), counts, store, offsets, sizes, bases, fixed,
                    entries, sparse, whole, plain, places, outputs, constants,
                )  # fmt: skip
                counts[i] += 1
                for n in range(len(roots)):
                    last[n] = now[roots[n], 0]
            if not begun[t]:
                for n in range(len(roots)):
                    results[n, t] = last[n]
                continue
            _make_way(block, counts, store, offsets, sizes, kept, bases)
            for n in range(len(closed)):
                now[n, 0] = inside[n, t]
            _step(
                block, now, across, len(closed), counts, store, offsets, sizes, bases, fixed,
                entries, sparse, whole, plain, places, outputs, constants,
            )  # fmt: skip
            for n in range(len(roots)):
                results[n, t] = now[roots[n], 0]


@compiled
def _make_way(block, counts, store, offsets, sizes, kept, bases):  # type: ignore[no-untyped-def]
    """Where the stretch of a place is full, move what is still read to its beginning."""
    for place in range(len(offsets)):
        for i in block:
            if sizes[place] and counts[i] - bases[place, i] >= sizes[place]:
                own = store[i, offsets[place] : offsets[place] + sizes[place]]
                left = kept[place] - 1
                for n in range(left):
                    own[n] = own[sizes[place] - left + n]
                bases[place, i] = counts[i] - left


@compiled
def _fetch(block, counts, store, offsets, sizes, bases):  # type: ignore[no-untyped-def]
    """Look at the newest of all that is kept of a block, so that memory hands it over all at once and
    not value by value when it is its turn."""
    seen = 0.0
    for place in range(len(offsets)):
        for i in block:
            if sizes[place]:
                seen += store[i, offsets[place] + counts[i] - bases[place, i]]
    return seen


@compiled
def _store(place, block, counts, now, store, offsets, sizes, bases):  # type: ignore[no-untyped-def]
    """Keep the newest values of a place that is read later again."""
    if sizes[place]:
        for k in range(len(block)):
            i = block[k]
            store[i, offsets[place] + counts[i] - bases[place, i]] = now[place, k]


@compiled
def _over_block(entry, count, across, places, constants):  # type: ignore[no-untyped-def]
    spans = np.empty(1, SPAN)
    spans[0].first, spans[0].begin, spans[0].end = 0, 0, count
    call(
        entry, spans.ctypes.data, 1, across.ctypes.data, count,
        places.ctypes.data, constants.ctypes.data,
    )  # fmt: skip


@compiled
def _one_by_one(  # type: ignore[no-untyped-def]
    entry, sparse, whole, places, outputs, constants, block, counts, now, store, offsets, sizes,
    bases,
):  # fmt: skip
    """A step that looks back: each instrument's columns are laid so that its newest bar has the number
    that it has in the whole history."""
    columns = np.empty(outputs[1], np.int64)
    order = np.arange(len(places))
    spans = np.empty(1, SPAN)
    for k in range(len(block)):
        i = block[k]
        t = counts[i]
        row = store.ctypes.data + 8 * i * store.shape[1]
        for n in range(outputs[1]):
            place = places[n]
            if sizes[place]:
                columns[n] = row + 8 * (offsets[place] - bases[place, i])
            else:
                columns[n] = now[place].ctypes.data + 8 * (k - t)
        spans[0].first, spans[0].begin, spans[0].end = 0, 0 if whole else t, t + 1
        if sparse:
            for n in range(outputs[0], outputs[1]):
                fresh = carray(pointer(columns[n]), t + 1, np.float64)
                for bar in range(spans[0].begin, t + 1):
                    fresh[bar] = np.nan
        call(
            entry, spans.ctypes.data, 1, columns.ctypes.data, t + 1, order.ctypes.data,
            constants.ctypes.data,
        )  # fmt: skip
        for n in range(outputs[0], outputs[1]):
            now[places[n], k] = carray(pointer(columns[n]), t + 1, np.float64)[t]
