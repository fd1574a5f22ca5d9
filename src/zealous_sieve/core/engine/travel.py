"""Panels on their way to wherever is computed, and results on their way back."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.stages import Computation
from zealous_sieve.core.engine.strength import pairs_of
from zealous_sieve.core.formula.terms import Known, OfInstrument, in_order


def packed(work: Computation, panel: Panel) -> Panel:
    """What some work looks at of a panel: the bars of its instruments, and of those that its terms name."""
    return panel.narrow(_named(work, panel))


def _named(work: Computation, panel: Panel) -> frozenset[str]:
    """The instruments beside those of a panel whose bars some work looks at."""
    whole = panel if panel.whole is None else panel.whole
    named = set[str]()
    for term in in_order((t for stage in work.inputs for t in stage.terms), everywhere=True):
        match term:
            case OfInstrument() if term.by_fact:
                # A fact of one that is named so may name the next.
                named |= {
                    str(code) for own in whole.background for code in own.values_of(term.code)
                }
            case OfInstrument():
                named.add(term.code)
            case Known() if term.what == "strength":
                named |= {whole.codes[position] for position, _, _ in pairs_of(whole)}
    return frozenset(named)


def spread_back(
    work: Computation, panel: Panel, results: Mapping[str, Column]
) -> dict[str, Column]:
    """Results on a packed panel as those of the panel itself. See ``Executor.run``."""
    if work.last is not None:
        return dict(results)
    rows = panel.own_rows()
    found = {}
    for name, values in results.items():
        found[name] = np.full(len(panel.times), np.nan)
        found[name][rows] = values
    return found
