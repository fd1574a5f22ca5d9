"""Doubt: signals come in clusters, so that sessions are drawn again, not signals."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Sums = NDArray[np.float64]
_LOW, _HIGH = 2.5, 97.5
"""The percentiles between which an interval lies."""
_Z = 1.959963984540054
"""The normal quantile of such an interval."""
ENOUGH = 20
"""Effective cases from which on something can be told."""
_AT_ONCE = 2_000_000
_BINS = 256
"""Parts of all values in which a median is looked for."""


def block_length(series: Sums) -> float:
    """The mean block of the stationary bootstrap for a series, by the automatic rule of Politis and White
    (2004) with the correction of Patton, Politis and White (2009); 1 where the series does not vary."""
    count = len(series)
    if count < 3 or np.ptp(series) == 0:
        return 1.0
    centred = series - series.mean()
    quiet_for = max(5, int(math.log10(count)))
    most = min(math.ceil(math.sqrt(count)) + quiet_for, count - 1)
    covariance = np.array([centred[lag:] @ centred[: count - lag] for lag in range(most + 1)])
    covariance /= count
    correlation = np.abs(covariance / covariance[0])
    bound = 2 * math.sqrt(math.log10(count) / count)
    quiet = (
        lag
        for lag in range(1, most - quiet_for + 1)
        if bool((correlation[lag : lag + quiet_for] < bound).all())
    )
    reach = min(most, 2 * next(quiet, most))
    lags = np.arange(1, reach + 1)
    weight = np.where(lags <= reach / 2, 1.0, 2 * (1 - lags / reach))
    slope = 2 * float(weight @ (lags * covariance[1 : reach + 1]))
    level = covariance[0] + 2 * float(weight @ covariance[1 : reach + 1])
    if level == 0 or not math.isfinite(slope):
        return 1.0
    length = (slope**2 / level**2) ** (1 / 3) * count ** (1 / 3)
    return float(min(max(1.0, length), math.ceil(min(3 * math.sqrt(count), count / 3))))


def resampled(sums: Sums, block: float, resamples: int, seed: int) -> Sums:
    """Sums of shape ``(sessions, columns)`` over sessions that are drawn by the stationary bootstrap of
    Politis and Romano (1994): blocks of a mean length, from the end on with the beginning; of shape
    ``(resamples, columns)``."""
    count = len(sums)
    drawn = np.zeros((resamples, sums.shape[1]))
    # What lies in a block is what was summed up to its end, less what was up to its beginning.
    before = np.concatenate(
        [np.zeros((1, sums.shape[1])), np.cumsum(np.tile(sums, (2, 1)), axis=0)]
    )
    for some, starts, lengths in _drawn(count, block, resamples, seed):
        for column in range(sums.shape[1]):
            own = before[:, column]
            parts = own[starts + lengths] - own[starts]
            drawn[some, column] = parts.sum(axis=1)
    return drawn


def medians_drawn(
    values: Sums, sessions: NDArray[np.int64], count: int, block: float, resamples: int, seed: int
) -> Sums:
    """The median of values, each of one of ``count`` sessions, over sessions drawn as in ``resampled``; NaN
    where none of those drawn has a value."""
    medians = np.full(resamples, math.nan)
    if not len(values):
        return medians
    order = np.argsort(values, kind="stable")
    ordered, of = values[order], sessions[order]
    edges = np.linspace(0, len(values), min(_BINS, len(values)) + 1).astype(np.int64)
    # How many of each session lie in the first bins, so that the bin of a median is told by a product.
    within = [np.bincount(of[a:b], minlength=count) for a, b in pairwise(edges)]
    up_to = np.cumsum(np.reshape(within, (-1, count)), axis=0).T.astype(float)
    for some, starts, lengths in _drawn(count, block, resamples, seed):
        often = _often(count, starts, lengths)
        reached = often @ up_to
        for n, row in enumerate(range(some.start, some.stop)):
            total = int(reached[n, -1])
            if total:
                middle = {(total + 1) // 2, total // 2 + 1}
                found = [_ranked(rank, reached[n], edges, often[n], of) for rank in middle]
                medians[row] = ordered[found].mean()
    return medians


def _ranked(
    rank: int, reached: Sums, edges: NDArray[np.int64], often: Sums, of: NDArray[np.int64]
) -> int:
    """The place among all values of that with a rank among those drawn."""
    place = int(np.searchsorted(reached, rank))
    before = reached[place - 1] if place else 0.0
    first = int(edges[place])
    return first + int(
        np.searchsorted(np.cumsum(often[of[first : edges[place + 1]]]), rank - before)
    )


def _often(count: int, starts: NDArray[np.int64], lengths: NDArray[np.int64]) -> Sums:
    """How often each session is in the blocks of each resample."""
    turns = np.zeros((len(starts), 2 * count + 1))
    rows = np.arange(len(starts))[:, None]
    np.add.at(turns, (rows, starts), 1)
    np.add.at(turns, (rows, starts + lengths), -1)
    twice = np.cumsum(turns[:, :-1], axis=1)
    return np.asarray(twice[:, :count] + twice[:, count:])


def _drawn(
    count: int, block: float, resamples: int, seed: int
) -> Iterator[tuple[slice, NDArray[np.int64], NDArray[np.int64]]]:
    """Where blocks start and how long they are, for some resamples at a time."""
    generator = np.random.default_rng(seed)
    step = max(1, _AT_ONCE // max(1, count))
    for first in range(0, resamples if count else 0, step):
        some = slice(first, min(first + step, resamples))
        lengths = _blocks(count, block, some.stop - some.start, generator)
        yield some, generator.integers(count, size=lengths.shape), lengths


def _blocks(
    count: int, block: float, rows: int, generator: np.random.Generator
) -> NDArray[np.int64]:
    """Lengths of blocks, geometric with a mean, that make up a series of a length: a row for each."""
    ends = np.zeros((rows, 1), np.int64)
    more = math.ceil(1.2 * count / block) + 8
    while ends[:, -1].min() < count:
        lengths = generator.geometric(1 / max(1.0, block), (rows, more))
        ends = np.concatenate([ends, ends[:, -1:] + np.cumsum(lengths, axis=1)], axis=1)
    return np.diff(np.minimum(ends, count), axis=1)


@dataclass(frozen=True, kw_only=True)
class Interval:
    """Between which two numbers a figure lies, where the same was drawn again."""

    low: float
    high: float

    def told(self) -> tuple[float | None, float | None]:
        """Both; nothing where there is none."""
        known = math.isfinite(self.low) and math.isfinite(self.high)
        return (self.low, self.high) if known else (None, None)


NO_INTERVAL = Interval(low=math.nan, high=math.nan)


def interval_of(drawn: Sums) -> Interval:
    """The middle 95 % of a figure drawn again; unknown where it never could be told."""
    known = drawn[np.isfinite(drawn)]
    if not len(known):
        return NO_INTERVAL
    low, high = np.percentile(known, [_LOW, _HIGH])
    return Interval(low=float(low), high=float(high))


def p_of(drawn: Sums, seen: float) -> float:
    """The share of differences drawn again, centred, that are at least as large in size as the one seen."""
    known = drawn[np.isfinite(drawn)]
    if not len(known) or not math.isfinite(seen):
        return math.nan
    return float((np.abs(known - seen) >= abs(seen)).mean())


def effective_cases(single: Sums, drawn: Sums) -> float:
    """How many independent cases so many results are worth: their variance against that of their mean drawn
    again; at most as many as there are."""
    count = len(single)
    known = drawn[np.isfinite(drawn)]
    if count < 2 or not len(known):
        return float(min(count, 1))
    own, of_mean = float(single.var()), float(known.var())
    if of_mean <= 0 or own / of_mean > count:
        return float(count)
    return own / of_mean


def wilson(rate: float, cases: float) -> Interval:
    """The interval of Wilson (1927) for a rate among so many cases."""
    if cases <= 0 or not math.isfinite(rate):
        return NO_INTERVAL
    share = _Z**2 / cases
    middle = (rate + share / 2) / (1 + share)
    half = _Z * math.sqrt(rate * (1 - rate) / cases + share / (4 * cases)) / (1 + share)
    return Interval(low=max(0.0, middle - half), high=min(1.0, middle + half))
