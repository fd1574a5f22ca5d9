"""Values that come from outside of an instrument's own bars: another timeframe, another instrument, the
whole universe, or what is known of the instrument.

They are computed first and stand in the plan like columns of the bars.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import bars_of, last_known, seen_from
from zealous_sieve.core.engine.known import known_column
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.terms import (
    Across,
    Elsewhere,
    Known,
    OfInstrument,
    OnTimeframe,
    Term,
    in_order,
)

Evaluate = Callable[[Mapping[str, Term], Panel], dict[str, Column]]


def with_elsewhere(terms: Mapping[str, Term], panel: Panel, evaluate: Evaluate) -> Panel:
    """The panel with a column for every term that comes from elsewhere."""
    wanted = [term for term in in_order(terms.values()) if isinstance(term, Elsewhere)]
    added: dict[str, Column] = {}
    for frame in {term.timeframe for term in wanted if isinstance(term, OnTimeframe)}:
        here = [t for t in wanted if isinstance(t, OnTimeframe) and t.timeframe == frame]
        slow = bars_of(panel, frame)
        found = evaluate({term.field: term.inner for term in here}, slow)
        added |= {field: seen_from(panel, slow, column) for field, column in found.items()}
    for term in wanted:
        if isinstance(term, OfInstrument):
            added[term.field] = _of_instrument(term, panel, evaluate)
        elif isinstance(term, Across):
            added[term.field] = _across(term, panel, evaluate)
        elif isinstance(term, Known):
            added[term.field] = known_column(term, panel)
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
    if term.code not in whole.codes:
        message = f"there are no bars of {term.code}"
        raise DataError(Problem(code="unknown_instrument", message=message))
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


def _across(term: Across, panel: Panel, evaluate: Evaluate) -> Column:
    """Compute for every moment over the instruments that have a value at it."""
    inner = evaluate({"x": term.inner}, panel)["x"]
    rows = [panel.rows(position) for position in range(len(panel))]
    moments = np.unique(np.concatenate([np.empty(0, np.int64), *(panel.times[r] for r in rows)]))
    table = np.full((len(panel), len(moments)), np.nan)
    places = [np.searchsorted(moments, panel.times[r]) for r in rows]
    for position, (place, r) in enumerate(zip(places, rows, strict=True)):
        table[position, place] = inner[r]
    result = np.full_like(table, np.nan)
    for members in _groups(term.by, panel):
        result[members] = _HOW[term.how](table[members])
    column = np.full(len(panel.times), np.nan)
    for position, (place, r) in enumerate(zip(places, rows, strict=True)):
        column[r] = result[position, place]
    return column


def _groups(by: str | None, panel: Panel) -> list[NDArray[np.int64]]:
    if by is None:
        return [np.arange(len(panel))]
    groups: dict[object, list[int]] = {}
    for position, value in enumerate(panel.fact(by)):
        groups.setdefault(value, []).append(position)
    return [np.array(members, dtype=np.int64) for members in groups.values()]


def _rank(table: Column) -> Column:
    """Percentile 0–100 down each column; equal values share the mean rank, one alone is at 50."""
    ranks = np.full_like(table, np.nan)
    order = np.argsort(table, axis=0, kind="stable")
    for moment in range(table.shape[1]):
        placed = order[:, moment]
        values = table[placed, moment]
        count = int((~np.isnan(values)).sum())
        if count == 0:
            continue
        known = values[:count]
        low = np.searchsorted(known, known, side="left")
        high = np.searchsorted(known, known, side="right") - 1
        share = 100.0 * (low + high) / 2 / (count - 1) if count > 1 else np.full(1, 50.0)
        ranks[placed[:count], moment] = share
    return ranks


def _mean(table: Column) -> Column:
    known = ~np.isnan(table)
    counts = known.sum(axis=0)
    totals = np.where(known, table, 0.0).sum(axis=0)
    means = np.divide(totals, counts, out=np.full(len(counts), math.nan), where=counts > 0)
    return np.broadcast_to(means, table.shape)


def _zscore(table: Column) -> Column:
    away = table - _mean(table)
    deviation = np.sqrt(_mean(away * away))
    out = np.full(table.shape, np.nan)
    return np.asarray(np.divide(away, deviation, out=out, where=deviation > 0))


def _breadth(table: Column) -> Column:
    return 100.0 * _mean(table)


_HOW: dict[str, Callable[[Column], Column]] = {
    "rank": _rank,
    "mean": _mean,
    "zscore": _zscore,
    "breadth": _breadth,
}
