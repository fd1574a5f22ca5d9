"""Across the universe at one moment: rank, mean, z-score, breadth."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import UNFINISHED
from zealous_sieve.core.engine.columns import Column, Rows, Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.terms import Across, Term
from zealous_sieve.core.formula.timeframe import BarKind
from zealous_sieve.core.functions.compiling import compiled

Evaluate = Callable[[Mapping[str, Term], Panel], dict[str, Column]]
MOMENTS_AT_ONCE = 2048


def across_column(term: Across, panel: Panel, evaluate: Evaluate, need: int) -> Column:
    """A term over all instruments, at the closing moments of the last ``need`` bars of each.

    At a moment every instrument counts with the value of its last bar that had closed by then, if it
    closed after the bars before the present ones: so an instrument that paused does not count, and one
    whose day ends later counts with its day before. In an unfinished bar that counts with its bar before
    which has not traded since. Bars that do not go by the clock count until the next.
    """
    inner = evaluate({"x": term.inner}, panel)["x"]
    column = np.full(len(panel.times), np.nan)
    groups = _groups(term.by, panel)
    for moments, since in _moments(panel, need):
        table, places = _table(panel, inner, moments, since)
        result = np.full_like(table, np.nan)
        for group in groups:
            members = np.array(list(group), dtype=np.int64)
            inside = _inside(group.values(), moments)
            with np.errstate(invalid="ignore"):
                values = _HOW[term.how](np.where(inside, table[members], np.nan))
            result[members] = np.where(inside, values, result[members])
        for position, (rows, place) in enumerate(places):
            column[rows] = result[position, place]
    return column


def _moments(panel: Panel, need: int) -> Iterator[tuple[Times, Times]]:
    """Closing moments in turn, some at once, and since when a value counts at each."""
    own = [panel.close_times(panel.rows(position)) for position in range(len(panel))]
    last = [closes[-need:] for closes in own]
    moments = np.unique(np.concatenate([np.empty(0, np.int64), *last]))
    since = np.full(len(moments), -(1 << 62), dtype=np.int64)
    if not isinstance(panel.rule, BarKind):
        for position, (all_closes, closes) in enumerate(zip(own, last, strict=True)):
            before = np.concatenate([all_closes[:1] - max(1, panel.duration), all_closes[:-1]])
            if _unfinished(panel, position):
                before[-1] = before[-2] if len(before) > 1 else before[-1] - max(1, panel.duration)
            place = np.searchsorted(moments, closes)
            np.maximum.at(since, place, before[len(before) - len(closes) :])
    for first in range(0, len(moments), MOMENTS_AT_ONCE):
        part = slice(first, first + MOMENTS_AT_ONCE)
        yield moments[part], since[part]


def _unfinished(panel: Panel, position: int) -> bool:
    """Whether the last bar of an instrument has not closed."""
    rows, unfinished = panel.rows(position), panel.columns.get(UNFINISHED)
    return unfinished is not None and rows.start < rows.stop and bool(unfinished[rows.stop - 1])


def _table(
    panel: Panel, inner: Column, moments: Times, since: Times
) -> tuple[Column, list[tuple[Rows, Rows]]]:
    """Values by instrument and moment; and which rows of the panel close at which of the moments."""
    table = np.full((len(panel), len(moments)), np.nan)
    places = []
    for position in range(len(panel)):
        rows = panel.rows(position)
        closes = panel.close_times(rows)
        last = np.searchsorted(closes, moments, side="right") - 1
        known = last >= 0
        known[known] = closes[last[known]] > since[known]
        table[position, known] = inner[rows][last[known]]
        own = (
            slice(*np.searchsorted(closes, moments[[0, -1]] + [0, 1])) if len(moments) else slice(0)
        )
        here = np.arange(own.start or 0, own.stop) + rows.start
        places.append((here, np.searchsorted(moments, panel_closes(panel, here))))
    return table, places


def panel_closes(panel: Panel, rows: Rows) -> Times:
    """When single rows close."""
    return panel.times[rows] + panel.duration if panel.closes is None else panel.closes[rows]


_Spans = list[tuple[int, int]]
_EVER = [(-(1 << 62), 1 << 62)]


def _groups(by: str | None, panel: Panel) -> list[Mapping[int, _Spans]]:
    """The members of each group by their positions, with the spans of time in which they belonged to it."""
    if by is None:
        return [dict.fromkeys(range(len(panel)), _EVER)]
    groups: dict[object, dict[int, _Spans]] = {}
    for position in range(len(panel)):
        known = panel.known(position)
        track = known.dated.get(by)
        if track is None:
            groups.setdefault(known.facts.get(by), {})[position] = _EVER
            continue
        cuts = [-(1 << 62), *track.moments.tolist(), 1 << 62]
        for value, span in zip((None, *track.values), pairwise(cuts), strict=True):
            groups.setdefault(value, {}).setdefault(position, []).append(span)
    return list(groups.values())


def _inside(spans: Iterable[_Spans], moments: Times) -> NDArray[np.bool_]:
    """At which moments the members of a group belonged to it: a row each, or one for all times."""
    own = list(spans)
    if all(one is _EVER for one in own):
        return np.ones((1, 1), dtype=bool)
    inside = np.zeros((len(own), len(moments)), dtype=bool)
    for row, one in enumerate(own):
        for first, last in one:
            inside[row, np.searchsorted(moments, first) : np.searchsorted(moments, last)] = True
    return inside


@compiled
def _fill_ranks(table, order, ranks):  # type: ignore[no-untyped-def]
    for moment in range(table.shape[1]):
        count = 0
        for place in range(len(order)):
            value = table[order[place, moment], moment]
            count += value == value
        first = 0
        while first < count:
            last = first
            value = table[order[first, moment], moment]
            while last + 1 < count and table[order[last + 1, moment], moment] == value:
                last += 1
            share = 50.0 if count == 1 else 50.0 * (first + last) / (count - 1)
            for place in range(first, last + 1):
                ranks[order[place, moment], moment] = share
            first = last + 1


def _rank(table: Column) -> Column:
    """Percentile 0–100 down each column; equal values share the mean rank, one alone is at 50."""
    ranks = np.full_like(table, np.nan)
    _fill_ranks(table, np.argsort(table, axis=0, kind="stable"), ranks)
    return ranks


def _mean(table: Column) -> Column:
    """Counted from one of the values, so that the mean of equal ones is exactly that."""
    known = ~np.isnan(table)
    counts = known.sum(axis=0)
    one = table[known.argmax(axis=0), np.arange(table.shape[1])] if len(table) else math.nan
    away = np.where(known, table - one, 0.0).sum(axis=0)
    means = np.divide(away, counts, out=np.full(len(counts), math.nan), where=counts > 0) + one
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
