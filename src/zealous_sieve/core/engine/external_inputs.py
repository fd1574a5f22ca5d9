"""Values that come from outside of an instrument's own bars: another timeframe, another instrument, the
whole universe, or what is known of the instrument.

They are computed first and stand in the plan like columns of the bars.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from zealous_sieve.core.engine.across import across
from zealous_sieve.core.engine.build import bars_of, last_known, seen_from
from zealous_sieve.core.engine.develop import Prepare, developed_values
from zealous_sieve.core.engine.known import known_column, lacking_column
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.engine.plan import plan
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.formula.terms import (
    Across,
    ExternalInput,
    Known,
    Lacking,
    OfInstrument,
    OnTimeframe,
    Term,
    in_order,
)
from zealous_sieve.core.formula.timeframe import BarKind, Form

Evaluate = Callable[[Mapping[str, Term], Panel], dict[str, Column]]


def with_external_inputs(
    terms: Mapping[str, Term], panel: Panel, evaluate: Evaluate, needs: Mapping[str, int]
) -> Panel:
    """The panel with a column for every term that comes from elsewhere.

    ``needs`` tells of how many of the last bars a term is read; earlier ones may be left out.
    """
    wanted = [term for term in in_order(terms.values()) if isinstance(term, ExternalInput)]
    added: dict[str, Column] = {}
    for frame in {term.timeframe for term in wanted if isinstance(term, OnTimeframe)}:
        here = [t for t in wanted if isinstance(t, OnTimeframe) and t.timeframe == frame]
        added |= _on_slower(here, panel, bars_of(panel, frame), evaluate, needs)
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


def _on_slower(
    here: list[OnTimeframe],
    panel: Panel,
    slow: Panel,
    evaluate: Evaluate,
    needs: Mapping[str, int],
) -> dict[str, Column]:
    """Values on slower bars: of those that have closed, or, with forming bars, as they had developed."""
    growing = [t for t in here if panel.forming_at is not None and not t.before]
    added: dict[str, Column] = {}
    if growing:
        terms = {term.field: term.inner for term in growing}
        need = max(needs[term.field] for term in growing)
        added |= developed_values(terms, panel, slow, need, _prepared(evaluate), evaluate)
    closed = [term for term in here if term.field not in added]
    if closed:
        found = evaluate({term.field: term.inner for term in closed}, slow)
        added |= {
            t.field: seen_from(panel, slow, found[t.field], needs[t.field], before=t.before)
            for t in closed
        }
    return added


def _prepared(evaluate: Evaluate) -> Prepare:
    def prepare(terms: Mapping[str, Term], panel: Panel) -> Panel:
        made = plan(terms)
        return with_sources(with_external_inputs(terms, panel, evaluate, made.reads), made.fields)

    return prepare


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
    if panel.forming_at is not None and panel.rule is not None:
        return _as_developed(term, panel, other, evaluate)
    column = evaluate({"x": term.inner}, other)["x"]
    own = other.rows(0)
    seen = np.full(len(panel.times), np.nan)
    for position in range(len(panel)):
        rows = panel.rows(position)
        moments = panel.close_times(rows)
        seen[rows] = last_known(moments, other.close_times(own), column[own])
    return seen


def _as_developed(term: OfInstrument, panel: Panel, other: Panel, evaluate: Evaluate) -> Column:
    """The other instrument's bars as they stood when each bar of these closed."""
    closes = panel.close_times(slice(0, len(panel.times)))
    rows = [panel.rows(position) for position in range(len(panel))]
    moments = np.unique(np.concatenate([np.empty(0, np.int64), *(closes[own] for own in rows)]))
    ends = np.array([len(moments)], dtype=np.int64)
    looks = replace(
        other, times=moments, closes=moments, columns={}, starts=ends * 0, ends=ends,
        rule=BarKind(Form.TICKS, 1),
    )  # fmt: skip
    found = developed_values(
        {"x": term.inner}, looks, other, len(moments), _prepared(evaluate), evaluate
    )["x"]
    seen = np.full(len(panel.times), np.nan)
    for own in rows:
        seen[own] = found[np.searchsorted(moments, closes[own])]
    return seen
