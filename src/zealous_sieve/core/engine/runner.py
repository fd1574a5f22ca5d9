"""Plans as arrays of numbers, run tile by tile in compiled code without the interpreter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numba import carray
from numpy.typing import NDArray

from zealous_sieve.core.engine.plan import ALL_BARS, Plan, Step
from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.entry import MOST_CONSTANTS, MOST_PLACES, call, entry_of, pointer
from zealous_sieve.core.functions.kernel import SPAN

Integers = NDArray[np.int64]
Floats = NDArray[np.float64]

TILE_ROWS = 8192
"""Rows of one tile: all columns of a plan for so many fit a core's own cache."""


@dataclass(frozen=True, kw_only=True, eq=False)
class NumberedPlan:
    """A plan in numbers, one entry a step.

    ``places`` are those of inputs, then outputs; ``outputs`` says where the outputs begin and end
    among them; ``sparse`` are steps whose outputs have to be made missing first; ``needs`` are how many
    of the last bars are wanted.
    """

    entries: Integers
    needs: Integers
    sparse: NDArray[np.bool_]
    places: Integers
    outputs: Integers
    constants: Floats
    fixed: Floats
    """The constants that stand in columns of their own."""
    fields: int
    columns: int
    """Fields, constants and scratch together."""
    roots: Integers


def program(plan: Plan) -> NumberedPlan:
    """Put a plan into numbers; compiles kernels that have not been yet."""
    count = len(plan.steps)
    places = np.zeros((count, MOST_PLACES), np.int64)
    outputs = np.zeros((count, 2), np.int64)
    constants = np.zeros((count, MOST_CONSTANTS))
    for n, step in enumerate(plan.steps):
        own = (*step.inputs, *step.outputs)
        places[n, : len(own)] = own
        outputs[n] = len(step.inputs), len(own)
        constants[n, : len(step.constants)] = step.constants
    return NumberedPlan(
        entries=np.array([entry_of(step.kernel.name) for step in plan.steps], dtype=np.int64),
        needs=np.array([step.need for step in plan.steps], dtype=np.int64),
        sparse=np.array([_is_sparse(step) for step in plan.steps], dtype=np.bool_),
        places=places,
        outputs=outputs,
        constants=constants,
        fixed=np.array(plan.constants, dtype=np.float64),
        fields=len(plan.fields),
        columns=len(plan.fields) + len(plan.constants) + plan.scratch,
        roots=np.array(list(plan.roots.values()), dtype=np.int64),
    )


def _is_sparse(step: Step) -> bool:
    """Whether something may be read of outputs that the step has not written."""
    return not step.kernel.dense or (step.kernel.settles and step.need < ALL_BARS)


def addresses(columns: Sequence[Floats]) -> Integers:
    """Where columns lie in memory; they have to outlive the use of it."""
    return np.array([column.ctypes.data for column in columns], dtype=np.int64)


def run(
    made: NumberedPlan,
    starts: Integers,
    ends: Integers,
    fields: Integers,
    results: Integers,
    last: int,
) -> None:
    """Run a program for instruments with the rows ``starts … ends - 1`` of columns at the addresses
    ``fields``.

    With ``last`` = 0 results are columns like them at the addresses ``results``, else of shape
    ``(instruments, last)``, filled with missing values.
    """
    if not len(starts) or not len(made.roots):
        return
    longest = int((ends - starts).max(initial=0))
    rows = max(TILE_ROWS, longest)
    scratch = np.empty((made.columns - made.fields, rows))
    scratch[: len(made.fixed)] = made.fixed[:, None]
    _run(
        starts, ends, fields, results, last, scratch,
        made.entries, made.needs, made.sparse, made.places, made.outputs, made.constants,
        len(made.fixed), made.roots,
    )  # fmt: skip


@compiled
def _run(  # type: ignore[no-untyped-def]
    starts, ends, fields, results, last, scratch,
    entries, needs, sparse, places, outputs, constants, fixed, roots,
):  # fmt: skip
    columns = np.empty(len(fields) + len(scratch), np.int64)
    spans = np.empty(len(starts), SPAN)
    own = len(fields) + fixed
    first = 0
    while first < len(starts):
        low, end = starts[first], first + 1
        high = ends[first]
        while end < len(starts) and high <= starts[end] and ends[end] - low <= len(scratch[0]):
            high = ends[end]
            end += 1
        for n in range(len(fields)):
            columns[n] = fields[n] + 8 * low
        for n in range(len(scratch)):
            columns[len(fields) + n] = scratch[n].ctypes.data
        for n in range(len(roots) if last == 0 else 0):
            if roots[n] >= own:
                columns[roots[n]] = results[n] + 8 * low
        for step in range(len(entries)):
            for i in range(first, end):
                span = spans[i - first]
                span.first, span.end = starts[i] - low, ends[i] - low
                span.begin = max(span.first, span.end - needs[step])
                if sparse[step]:
                    for n in range(outputs[step, 0], outputs[step, 1]):
                        made_from = max(span.first, span.begin - 1)
                        _make_missing(columns[places[step, n]], made_from, span.end)
            call(
                entries[step], spans.ctypes.data, end - first, columns.ctypes.data, high - low,
                places[step].ctypes.data, constants[step].ctypes.data,
            )  # fmt: skip
        _hand_over(starts, ends, first, end, low, last, columns, roots, results)
        first = end


@compiled
def _make_missing(address, begin, end):  # type: ignore[no-untyped-def]
    column = carray(pointer(address), end, np.float64)
    column[begin:end] = np.nan


@compiled
def _hand_over(starts, ends, first, end, low, last, columns, roots, results):  # type: ignore[no-untyped-def]
    """Copy what was not written straight to where it is wanted, or the last bars of it."""
    for n in range(len(roots)):
        if last == 0 and columns[roots[n]] == results[n] + 8 * low:
            continue
        for i in range(first, end):
            rows = ends[i] - low
            source = carray(pointer(columns[roots[n]]), rows, np.float64)
            if last == 0:
                target = carray(pointer(results[n] + 8 * low), rows, np.float64)
                for row in range(starts[i] - low, rows):
                    target[row] = source[row]
            else:
                target = carray(pointer(results[n] + 8 * last * i), last, np.float64)
                for back in range(1, min(last, ends[i] - starts[i]) + 1):
                    target[last - back] = source[rows - back]


@lru_cache(maxsize=1)
def keep_compiled() -> None:
    """Compile the runner itself."""
    none, numbers = np.empty(0, np.int64), np.empty((0, MOST_CONSTANTS))
    _run(
        none, none, none, none, 1, np.empty((1, 1)), none, none, np.empty(0, np.bool_),
        np.empty((0, MOST_PLACES), np.int64), np.empty((0, 2), np.int64), numbers, 0, none,
    )  # fmt: skip
