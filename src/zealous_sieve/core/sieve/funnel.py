"""What each condition cuts: on its own, together with those before it, and on each side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.sifting import Sifted


@dataclass(frozen=True, kw_only=True, slots=True)
class Count:
    """How many instruments a condition lets through: on its own, together with those before it,
    and how many all the others would let through without it."""

    alone: int
    so_far: int
    without: int


@dataclass(frozen=True, kw_only=True, slots=True)
class Funnel:
    """How many instruments are left on one side after each condition; nothing for one of the other."""

    side: Side
    so_far: tuple[int | None, ...]


def count_through(sides: Sequence[Sifted]) -> tuple[tuple[Count, ...], tuple[Funnel, ...]]:
    """Of each condition how many instruments it lets through, on any of the sides that it is asked of; and
    how many are left on each side."""
    conditions = sides[0].prepared.sieve.conditions
    through = {side.prepared.side: _through(side) for side in sides}
    counts = []
    for n, condition in enumerate(conditions):
        own = [found[n] for side, found in through.items() if condition.is_of(side)]
        alone, so_far, without = (
            int(np.logical_or.reduce(each).sum()) for each in zip(*own, strict=True)
        )
        counts.append(Count(alone=alone, so_far=so_far, without=without))
    left = tuple(
        Funnel(
            side=side,
            so_far=tuple(
                int(so_far.sum()) if condition.is_of(side) else None
                for condition, (_, so_far, _) in zip(conditions, found, strict=True)
            ),
        )
        for side, found in through.items()
    )
    return tuple(counts), left


Through = tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]


def _through(sifted: Sifted) -> list[Through]:
    """Of each condition which instruments it lets through alone, so far, and all the others without it."""
    prepared = sifted.prepared
    asked = {n: sifted.asked(n) == 1.0 for n in prepared.binding()}
    whole = np.ones_like(sifted.setup, dtype=bool)
    found: list[Through] = []
    so_far = whole
    for n in range(len(prepared.formulas)):
        if n in asked:
            so_far = so_far & asked[n]
        others = _all({m: truth for m, truth in asked.items() if m != n}, whole)
        found.append((_any(sifted.asked(n) == 1.0), _any(so_far), _any(others)))
    return found


def _all(
    conditions: Mapping[int, NDArray[np.bool_]], whole: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    joined = whole
    for truth in conditions.values():
        joined = joined & truth
    return joined


def _any(truths: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return np.asarray(truths.any(axis=1))
