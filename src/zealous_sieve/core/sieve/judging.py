"""How the conditions of a sieve stand at a bar: the mesh, and each in words with its values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import UNFINISHED
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.speech.sentence import read, say
from zealous_sieve.core.formula.terms import OnTimeframe, in_order
from zealous_sieve.core.sieve.definition import Role
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.prepare import Prepared, truth_of
from zealous_sieve.core.sieve.unknown import Cause, why_unknown


@dataclass(frozen=True, kw_only=True, slots=True)
class Reason:
    """One condition at a bar, in words with the values."""

    cell: Cell
    sentence: str


def judge(
    prepared: Prepared, values: NDArray[np.float64], panel: Panel, rows: NDArray[np.int64]
) -> tuple[list[tuple[Cell, ...]], dict[int, dict[int, str]]]:
    """The mesh of each instrument of a panel at a row of its bars, and why what is unknown there is.

    ``values`` are those of ``Prepared.numbers``, ``(instruments, numbers)``.
    """
    known = prepared.truths(values)
    unknown: dict[int, dict[int, str]] = {}
    for n, (condition, truths) in enumerate(zip(prepared.sieve.conditions, known, strict=True)):
        for i in np.flatnonzero(np.isnan(truths)).tolist():
            why = why_unknown(prepared.formulas[n], panel, i, int(rows[i]))
            unjudged = condition.role == Role.VETO and why.cause == Cause.DATA
            told = f"{'Not applied' if unjudged else 'Unknown'}: {why.words}."
            unknown.setdefault(i, {})[n] = told
    return meshes(prepared, known), unknown


def meshes(prepared: Prepared, truths: Sequence[NDArray[np.float64]]) -> list[tuple[Cell, ...]]:
    """The mesh at each of some bars: ``truths`` are those of each condition there, NaN where unknown."""
    columns: list[list[Cell]] = []
    for condition, own in zip(prepared.sieve.conditions, truths, strict=True):
        yes = Cell.VETO if condition.role == Role.VETO else Cell.PASS
        no = Cell.PASS if condition.role == Role.VETO else Cell.MISS
        unasked = None
        if not any(map(condition.is_of, prepared.sieve.sides)):
            unasked = Cell.OTHER
        elif condition.off:
            unasked = Cell.OFF
        columns.append(
            [unasked] * len(own)
            if unasked
            else [yes if t == 1.0 else no if t == t else Cell.UNKNOWN for t in own.tolist()]
        )
    return list(zip(*columns, strict=True))


def sentences(
    prepared: Prepared, values: Sequence[float], unknown: Mapping[int, str], tick: float
) -> tuple[str, ...]:
    """How each condition stands where its numbers have these values, in words; what it asks where they are
    those of an earlier version, which mentioned others."""
    if len(values) != len(prepared.numbers()):
        told = map(read, prepared.formulas)
        return tuple(f"{unknown[n]} {w}" if n in unknown else w for n, w in enumerate(told))
    return tuple(
        f"{unknown[n]} {read(formula)}" if n in unknown else say(formula, own, tick, prepared.clock)
        for n, (formula, own) in enumerate(
            zip(prepared.formulas, prepared.by_condition(values), strict=True)
        )
    )


def reasons(
    prepared: Prepared, values: Sequence[float], panel: Panel, position: int, row: int
) -> tuple[Reason, ...]:
    """The mesh and the sentences at a row of an instrument's bars."""
    alone = panel.choose([panel.codes[position]])
    (cells,), unknown = judge(prepared, np.array([values]), alone, np.array([row]))
    told = sentences(prepared, values, unknown.get(0, {}), alone.known(0).tick)
    return tuple(Reason(cell=c, sentence=s) for c, s in zip(cells, told, strict=True))


def provisional(prepared: Prepared, panel: Panel, position: int) -> bool:
    """Whether what is said of an instrument's newest bar rests on a bar that has not closed: this one,
    or a slower one that a condition looks at."""
    unfinished = panel.columns.get(UNFINISHED)
    if unfinished is None:
        return False
    if panel.ends[position] == panel.starts[position]:
        return False
    terms = [truth_of(formula) for formula in prepared.formulas]
    slower = any(isinstance(term, OnTimeframe) for term in in_order(terms))
    return bool(unfinished[panel.ends[position] - 1] == 1.0) or slower
