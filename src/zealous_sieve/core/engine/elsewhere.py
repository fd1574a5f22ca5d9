"""Values that come from outside of an instrument's own bars: another timeframe, another instrument, the
whole universe, or what is known of the instrument.

They are computed first and stand in the plan like columns of the bars.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from zealous_sieve.core.engine.across import across
from zealous_sieve.core.engine.build import bars_of, last_known, seen_from
from zealous_sieve.core.engine.known import known_column, lacking_column
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.formula.terms import (
    Across,
    Elsewhere,
    Known,
    Lacking,
    OfInstrument,
    OnTimeframe,
    Term,
    in_order,
)

Evaluate = Callable[[Mapping[str, Term], Panel], dict[str, Column]]


def with_elsewhere(
    terms: Mapping[str, Term], panel: Panel, evaluate: Evaluate, needs: Mapping[str, int]
) -> Panel:
    """The panel with a column for every term that comes from elsewhere.

    ``needs`` tells of how many of the last bars a term is read; earlier ones may be left out.
    """
    wanted = [term for term in in_order(terms.values()) if isinstance(term, Elsewhere)]
    added: dict[str, Column] = {}
    for frame in {term.timeframe for term in wanted if isinstance(term, OnTimeframe)}:
        here = [t for t in wanted if isinstance(t, OnTimeframe) and t.timeframe == frame]
        slow = bars_of(panel, frame)
        found = evaluate({term.field: term.inner for term in here}, slow)
        added |= {
            t.field: seen_from(panel, slow, found[t.field], needs[t.field], before=t.before)
            for t in here
        }
    for term in wanted:
        if isinstance(term, OfInstrument):
            added[term.field] = _of_instrument(term, panel, evaluate)
        elif isinstance(term, Across):
            added[term.field] = across(term, panel, evaluate, needs[term.field])
        elif isinstance(term, Known):
            added[term.field] = known_column(term, panel)
        elif isinstance(term, Lacking):
            added[term.field] = lacking_column(term.sources, panel)
    return panel.with_columns(added) if added else panel


def needs_universe(terms: Mapping[str, Term]) -> bool:
    """True when a term looks across instruments, so that one alone can't be computed."""
    waiting, seen = list(terms.values()), set[Term]()
    while waiting:
        for term in in_order([waiting.pop()]):
            if isinstance(term, Across):
                return True
            if isinstance(term, OnTimeframe | OfInstrument) and term not in seen:
                seen.add(term)
                waiting.append(term.inner)
    return False


def _of_instrument(term: OfInstrument, panel: Panel, evaluate: Evaluate) -> Column:
    whole = panel.whole if panel.whole is not None else panel
    whole.position(term.code)
    other = whole.choose([term.code])
    if panel.rule is not None:
        other = bars_of(other, panel.rule)
    column = evaluate({"x": term.inner}, other)["x"]
    own = other.rows(0)
    seen = np.full(len(panel.times), np.nan)
    for position in range(len(panel)):
        rows = panel.rows(position)
        moments = panel.close_times(rows)
        seen[rows] = last_known(moments, other.close_times(own), column[own])
    return seen
