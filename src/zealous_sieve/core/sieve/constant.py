"""Conditions that are never or always true: they were meant otherwise, or need not be asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.sieve.prepare import truth_of


@dataclass(frozen=True, kw_only=True)
class ConstantTruth:
    """A condition that is ``always`` true, or never, on all ``bars`` on which it is known."""

    always: bool
    bars: int

    def __str__(self) -> str:
        counted = f"{self.bars:,} {'bar' if self.bars == 1 else 'bars'}"
        if self.always:
            return f"always true: on every one of {counted}"
        return f"never true: on none of {counted}"


_FEWEST = 250
"""Bars on which a condition has to be known before it is said to be always or never so."""


def constants(
    formulas: Mapping[int, Formula], panel: Panel, executor: Executor
) -> dict[int, ConstantTruth]:
    """Those of some conditions, by their positions, that are the same on all bars of a panel on which they
    are known."""
    if not formulas or not panel.bars:
        return {}
    terms = {str(n): truth_of(formula) for n, formula in formulas.items()}
    found: dict[int, ConstantTruth] = {}
    for name, truths in executor.evaluate(terms, panel).items():
        known = int(np.isfinite(truths).sum())
        yes = int((truths == 1.0).sum())
        if known >= _FEWEST and yes in (0, known):
            found[int(name)] = ConstantTruth(always=yes > 0, bars=known)
    return found
