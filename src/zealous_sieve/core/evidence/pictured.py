"""What followed, as it is drawn: how results are spread, and the way there bar by bar."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.evidence.following import (
    History,
    instruments_of_rows,
    known_rows,
    moment_numbers,
)
from zealous_sieve.core.evidence.results import LookingAhead, Results
from zealous_sieve.core.evidence.signals import Signals
from zealous_sieve.core.sieve.definition import Side

_BINS = 31
_MOST_STEPS = 60
_ENDS = (1.0, 99.0)
"""Percentiles between which results are spread out; what lies beyond is counted with the last."""


@dataclass(frozen=True, kw_only=True)
class Distribution:
    """Shares of results, in percent, between neighbours of ``edges``: of ``signals``, and of ``anybody`` at
    the same moments, each moment as often as there are signals on it. Results beyond the edges are counted
    with the first and the last. Empty where there are no results."""

    edges: tuple[float, ...] = ()
    signals: tuple[float, ...] = ()
    anybody: tuple[float, ...] = ()


@dataclass(frozen=True, kw_only=True)
class PathAhead:
    """Results of the same signals after 1, 2, … bars, in percent: their mean, and between which numbers the
    middle half of them lies. ``count`` is of how many; only those that reach so far."""

    mean: tuple[float, ...] = ()
    low: tuple[float, ...] = ()
    high: tuple[float, ...] = ()
    count: tuple[int, ...] = ()


def distribution_of(
    history: History, ahead: LookingAhead, counted: Signals, results: Results
) -> Distribution:
    """How results of signals that count are spread, beside those of anybody then."""
    done = results.is_known
    signals = results.percent[done]
    if not len(signals):
        return Distribution()
    anybody, weights = _anybody(history, ahead, counted, results)
    low, high = np.percentile(np.concatenate([signals, anybody]), _ENDS)
    if not high > low:
        low, high = low - 0.5, high + 0.5
    edges = np.linspace(low, high, _BINS + 1)
    return Distribution(
        edges=tuple(edges.tolist()),
        signals=_shares(signals, np.ones(len(signals)), edges),
        anybody=_shares(anybody, weights, edges),
    )


def _shares(values: Column, weights: Column, edges: Column) -> tuple[float, ...]:
    counts, _ = np.histogram(np.clip(values, edges[0], edges[-1]), edges, weights=weights)
    return tuple((100.0 * counts / counts.sum()).tolist())


def _anybody(
    history: History, ahead: LookingAhead, counted: Signals, results: Results
) -> tuple[Column, Column]:
    """Results of anybody at the moments of signals, with their weights."""
    panel = history.panel
    moments = moment_numbers(panel)
    size = int(moments.max(initial=0)) + 1
    place_of = instruments_of_rows(panel)
    values, weights = [np.zeros(0)], [np.zeros(0)]
    for n, side in enumerate(counted.sides):
        own = (counted.side == n) & results.is_known
        signals_at = np.bincount(moments[counted.row[own]], minlength=size)
        rows = known_rows(panel, history.truths[side], history.members)
        rows = rows[signals_at[moments[rows]] > 0]
        sign = 1.0 if side == Side.LONG else -1.0
        percent = sign * ahead.percents(place_of[rows], rows, results.horizon)
        done = np.isfinite(percent)
        at = moments[rows[done]]
        many = np.bincount(at, minlength=size)
        values.append(percent[done])
        weights.append(signals_at[at] / many[at])
    return np.concatenate(values), np.concatenate(weights)


def path_of(ahead: LookingAhead, counted: Signals, results: Results) -> PathAhead:
    """The way of signals that count to the end of a horizon, bar by bar; of those whose result is known."""
    done = np.flatnonzero(results.is_known)
    if not len(done):
        return PathAhead()
    row, end = counted.row[done], results.end[done]
    start = ahead.starts(counted.instrument[done], row)
    signs = counted.signs()[done]
    mean, low, high, count = [], [], [], []
    for step in range(1, min(_MOST_STEPS, int((end - row).max())) + 1):
        reach = row + step <= end
        close = ahead.panel.columns["close"][row[reach] + step]
        percent = 100.0 * signs[reach] * (close / start[reach] - 1.0)
        percent = percent[np.isfinite(percent)]
        if not len(percent):
            break
        mean.append(float(percent.mean()))
        below, above = np.percentile(percent, (25.0, 75.0)).tolist()
        low.append(below)
        high.append(above)
        count.append(len(percent))
    return PathAhead(mean=tuple(mean), low=tuple(low), high=tuple(high), count=tuple(count))
