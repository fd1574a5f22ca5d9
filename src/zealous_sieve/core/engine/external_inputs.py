"""Values that come from outside of an instrument's own bars: another timeframe, another instrument, the
whole universe, or what is known of the instrument.

They are computed first and stand in the plan like columns of the bars.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np

from zealous_sieve.core.engine.across import Evaluate, across_column
from zealous_sieve.core.engine.build import bars_of, last_known, seen_from
from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.develop import (
    Prepare,
    developed_values,
    looked_at,
    of_the_moment,
    values_then,
)
from zealous_sieve.core.engine.known import known_column, lacking_column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.plan import plan
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.engine.stages import InputStage, Whence, inputs_of
from zealous_sieve.core.formula.terms import (
    Across,
    Known,
    Lacking,
    OfInstrument,
    OnTimeframe,
    Term,
    in_order,
)
from zealous_sieve.core.formula.timeframe import BarRule


def with_external_inputs(terms: Mapping[str, Term], panel: Panel, evaluate: Evaluate) -> Panel:
    """The panel with a column for every term that comes from elsewhere."""
    return with_inputs(inputs_of(terms, plan(terms)), panel, evaluate)


def with_inputs(stages: Iterable[InputStage], panel: Panel, evaluate: Evaluate) -> Panel:
    """The panel with the columns of some stages; bars before those that are read may be left out."""
    added: dict[str, Column] = {}
    for stage in stages:
        added |= _COLUMNS[stage.whence](stage, panel, evaluate)
    return panel.with_columns(added) if added else panel


def _other_bars(stage: InputStage, panel: Panel, evaluate: Evaluate) -> dict[str, Column]:
    slower: dict[BarRule, list[OnTimeframe]] = {}
    for term in stage.terms:
        assert isinstance(term, OnTimeframe)
        slower.setdefault(term.timeframe, []).append(term)
    added: dict[str, Column] = {}
    for frame, here in slower.items():
        added |= _on_slower(here, panel, bars_of(panel, frame), evaluate, stage.needs)
    return added


def _other_instruments(stage: InputStage, panel: Panel, evaluate: Evaluate) -> dict[str, Column]:
    return {
        term.field: _of_instrument(term, panel, evaluate)
        for term in stage.terms
        if isinstance(term, OfInstrument)
    }


def _across(stage: InputStage, panel: Panel, evaluate: Evaluate) -> dict[str, Column]:
    return {
        term.field: across_column(term, panel, evaluate, stage.needs[term.field])
        for term in stage.terms
        if isinstance(term, Across)
    }


def _known(stage: InputStage, panel: Panel, _: Evaluate) -> dict[str, Column]:
    return {
        term.field: known_column(term, panel)
        if isinstance(term, Known)
        else lacking_column(term.sources, panel)
        for term in stage.terms
        if isinstance(term, Known | Lacking)
    }


_COLUMNS = {
    Whence.OTHER_BARS: _other_bars,
    Whence.OTHER_INSTRUMENTS: _other_instruments,
    Whence.ACROSS: _across,
    Whence.KNOWN: _known,
}


def _on_slower(
    here: list[OnTimeframe],
    panel: Panel,
    slow: Panel,
    evaluate: Evaluate,
    needs: Mapping[str, int],
) -> dict[str, Column]:
    """Values on slower bars: of those that have closed, with what was known beside them when the faster
    ones closed; or, with forming bars, as they had developed."""
    growing = [t for t in here if panel.forming_at is not None and not t.before]
    added: dict[str, Column] = {}
    if growing:
        terms = {term.field: term.inner for term in growing}
        need = max(needs[term.field] for term in growing)
        added |= developed_values(terms, panel, slow, need, _prepared(evaluate), evaluate)
    moving = [t for t in here if t.field not in added and not t.before and of_the_moment(t)]
    if moving:
        terms = {term.field: term.inner for term in moving}
        need = max(needs[term.field] for term in moving)
        added |= values_then(terms, panel, slow, need, _prepared(evaluate), evaluate)
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
        return with_sources(with_inputs(inputs_of(terms, made), panel, evaluate), made.fields)

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
    everywhere = range(len(panel))
    if not term.by_fact:
        return _of_code(term, term.code, everywhere, panel, evaluate)
    whole = panel.whole if panel.whole is not None else panel
    named: dict[str, list[tuple[int, slice]]] = {}
    for position in everywhere:
        for rows, code in panel.fact_stretches(position, term.code):
            if rows.start < rows.stop and str(code) in whole.places:
                named.setdefault(str(code), []).append((position, rows))
    seen = np.full(len(panel.times), np.nan)
    for code, stretches in named.items():
        positions = dict.fromkeys(position for position, _ in stretches)
        column = _of_code(term, code, positions, panel, evaluate)
        for _, rows in stretches:
            seen[rows] = column[rows]
    return seen


def _of_code(
    term: OfInstrument, code: str, positions: Iterable[int], panel: Panel, evaluate: Evaluate
) -> Column:
    """A term of another instrument, seen from the bars at some positions."""
    whole = panel.whole if panel.whole is not None else panel
    whole.position(code)
    other = whole.choose([code])
    if panel.looks:
        return _as_looked_at(term, panel, other, evaluate)
    if panel.rule is not None:
        other = bars_of(other, panel.rule)
    if panel.forming_at is not None and panel.rule is not None:
        return _as_developed(term, panel, other, evaluate)
    column = evaluate({"x": term.inner}, other)["x"]
    own = other.rows(0)
    seen = np.full(len(panel.times), np.nan)
    for position in positions:
        rows = panel.rows(position)
        moments = panel.close_times(rows)
        seen[rows] = last_known(moments, other.close_times(own), column[own])
    return seen


def _as_looked_at(term: OfInstrument, panel: Panel, other: Panel, evaluate: Evaluate) -> Column:
    """The other instrument at the moments from which these are looked at."""
    moments = np.unique(panel.times)
    forming = replace(other, forming_at=panel.forming_at)
    column = evaluate({"x": term.inner}, looked_at(forming, moments))["x"]
    return np.asarray(column[np.searchsorted(moments, panel.times)])


def _as_developed(term: OfInstrument, panel: Panel, other: Panel, evaluate: Evaluate) -> Column:
    """The other instrument's bars as they stood when each bar of these closed."""
    closes = panel.close_times(slice(0, len(panel.times)))
    rows = [panel.rows(position) for position in range(len(panel))]
    moments = np.unique(np.concatenate([np.empty(0, np.int64), *(closes[own] for own in rows)]))
    looks = looked_at(other, moments)
    found = developed_values(
        {"x": term.inner}, looks, other, len(moments), _prepared(evaluate), evaluate
    )["x"]
    seen = np.full(len(panel.times), np.nan)
    for own in rows:
        seen[own] = found[np.searchsorted(moments, closes[own])]
    return seen
