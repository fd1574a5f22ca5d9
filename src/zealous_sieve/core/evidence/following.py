"""What followed on signals, against what usually follows."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.evidence.doubt import (
    ENOUGH,
    NO_INTERVAL,
    Interval,
    Sums,
    block_length,
    effective_cases,
    interval_of,
    p_of,
    resampled,
    wilson,
)
from zealous_sieve.core.evidence.results import LookingAhead, Results, results_of
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.signals import Signals
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.sifting import Truths

QUANTILES = (5.0, 25.0, 50.0, 75.0, 95.0)
Flags = NDArray[np.bool_]
_LATE = 1 << 40
"""A session that is beyond all."""


@dataclass(frozen=True, kw_only=True)
class Usual:
    """How many results of other bars there are, their mean in percent, and the share above zero."""

    count: int
    mean: float
    rate: float


@dataclass(frozen=True, kw_only=True)
class AgainstUsual:
    """Of signals against anybody then: how much more, between which numbers, and the share of differences
    drawn again around zero that are as large."""

    mean: float
    interval: Interval
    p: float


@dataclass(frozen=True, kw_only=True)
class Followed:
    """What followed on the signals that count to one horizon. ``open`` ends beyond the data, ``unpriced``
    rests on prices that are missing or not above zero; neither is among the ``count`` results. Numbers are
    in percent and signed by side, but for ``rate``, ``rate_interval`` and ``rate_difference``: shares of
    results above zero; NaN where there is none. ``cases`` are the effective ones."""

    horizon: str
    count: int
    open: int
    unpriced: int
    mean: float
    mean_interval: Interval
    quantiles: tuple[float, ...]
    rate: float
    rate_interval: Interval
    ranges: float
    far_for: float
    far_against: float
    anybody: Usual
    otherwise: Usual
    difference: AgainstUsual
    rate_difference: AgainstUsual
    cases: float
    block: float
    sessions: int

    @property
    def is_enough(self) -> bool:
        """Whether there are cases enough to tell anything."""
        return self.cases >= ENOUGH


@dataclass(frozen=True, kw_only=True, eq=False)
class History:
    """The bars that are looked at, what is known of a sieve's setups on them, and its signals: ``truths``
    are the columns of the setups by side, ``ranges`` the average range, ``members`` as ``signals_of`` has
    them."""

    panel: Panel
    truths: Mapping[str, Truths]
    ranges: Column
    signals: Signals
    members: Column | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class SingleResults:
    """Results that are known, one by one: the place of each ``signal`` among those that count, its result
    in ``percent``, by how much it is ``more`` than the mean of anybody then, and 1 or 0 for a result above
    zero less the share of those of anybody (``oftener``); of which ``session`` of so many each is, and the
    mean ``block`` in which sessions are drawn again."""

    signal: NDArray[np.int64]
    percent: Column
    more: Column
    oftener: Column
    session: NDArray[np.int64]
    sessions: int
    block: float

    def sums(self, of: Flags | None = None) -> Sums:
        """Of each session how many results there are, and the sums of these, of those above zero, and of
        both less anybody's; of all results, or of some."""
        own = np.ones(len(self.percent), bool) if of is None else of
        percent = self.percent[own]
        columns = (np.ones(len(percent)), percent, percent > 0, self.more[own], self.oftener[own])
        sums: Sums = np.stack(
            [np.bincount(self.session[own], column, self.sessions) for column in columns], axis=1
        )
        return sums


@dataclass(frozen=True, kw_only=True, eq=False)
class _Rows:
    """Bars of one side on which the setup is known and the instrument a member."""

    instrument: NDArray[np.int64]
    row: NDArray[np.int64]


def follow(history: History, settings: EvidenceSettings) -> tuple[list[Results], list[Followed]]:
    """What followed on each signal that counts, and what of that is told, for each horizon."""
    ahead = LookingAhead(panel=history.panel, at_close=settings.starts == "close")
    counted = history.signals.counted()
    found = [
        results_of(ahead, counted.instrument, counted.row, counted.signs(), history.ranges, horizon)
        for horizon in settings.ahead()
    ]
    looked = _Looked(history=history, ahead=ahead, settings=settings, counted=counted)
    return found, [looked.told(results) for results in found]


def single_results(history: History, results: Results, settings: EvidenceSettings) -> SingleResults:
    """The results to one horizon that are known, each beside those of anybody then."""
    ahead = LookingAhead(panel=history.panel, at_close=settings.starts == "close")
    counted = history.signals.counted()
    looked = _Looked(history=history, ahead=ahead, settings=settings, counted=counted)
    return looked.singles(results, looked.usual(results))


@dataclass(frozen=True, kw_only=True, eq=False)
class _Usual:
    """For each signal the mean and the share above zero of the results of anybody then, of which there are
    so many on all of these moments; and the results of the same instruments on their other bars."""

    means: Column
    rates: Column
    count: int
    others: Column

    def anybody(self, with_result: Flags) -> Usual:
        """Anybody then, over the signals that have a result."""
        mean, rate = _mean(self.means[with_result]), _mean(self.rates[with_result])
        return Usual(count=self.count, mean=mean, rate=rate)

    def otherwise(self) -> Usual:
        """The same instruments on all their other bars."""
        rate = _mean((self.others > 0).astype(float))
        return Usual(count=len(self.others), mean=_mean(self.others), rate=rate)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Looked:
    """Signals that count among all bars that they are held against."""

    history: History
    ahead: LookingAhead
    settings: EvidenceSettings
    counted: Signals

    def told(self, results: Results) -> Followed:
        own = results.percent[results.is_known]
        count = len(own)
        usual = self.usual(results)
        singles = self.singles(results, usual)
        sums, block = singles.sums(), singles.block
        drawn = resampled(sums, block, self.settings.resamples, self.settings.seed)
        with np.errstate(divide="ignore", invalid="ignore"):
            mean, more, oftener = (drawn[:, n] / drawn[:, 0] for n in (1, 3, 4))
        cases = effective_cases(own, mean)
        seen = sums.sum(axis=0) / count if count else np.full(5, math.nan)
        return Followed(
            horizon=str(results.horizon),
            count=count,
            open=int(results.is_open.sum()),
            unpriced=int((~results.is_known & ~results.is_open).sum()),
            mean=float(seen[1]),
            mean_interval=interval_of(mean) if count else NO_INTERVAL,
            quantiles=_quantiles(own),
            rate=float(seen[2]),
            rate_interval=wilson(float(seen[2]), cases),
            ranges=_mean(results.ranges[results.is_known]),
            far_for=_mean(results.far_for[results.is_known]),
            far_against=_mean(results.far_against[results.is_known]),
            anybody=usual.anybody(results.is_known),
            otherwise=usual.otherwise(),
            difference=_difference(more, float(seen[3])),
            rate_difference=_difference(oftener, float(seen[4])),
            cases=cases,
            block=block,
            sessions=int((sums[:, 0] > 0).sum()),
        )

    def usual(self, results: Results) -> _Usual:
        """What usually follows, to the horizon of some results."""
        means = np.full(len(self.counted), math.nan)
        rates, others, held_against = means.copy(), [np.zeros(0)], 0
        for n, side in enumerate(self.counted.sides):
            of_side = np.flatnonzero((self.counted.side == n) & results.is_known)
            if not len(of_side):
                continue
            rows = self._known[n]
            sign = 1.0 if side == Side.LONG else -1.0
            percent = sign * self.ahead.percents(rows.instrument, rows.row, results.horizon)
            done = np.isfinite(percent)
            at, size = self._moments[rows.row][done], int(self._moments.max()) + 1
            many = np.bincount(at, minlength=size)
            then = self._moments[self.counted.row[of_side]]
            means[of_side] = np.bincount(at, percent[done], size)[then] / many[then]
            rates[of_side] = np.bincount(at, percent[done] > 0, size)[then] / many[then]
            held_against += int(many[np.unique(then)].sum())
            fired = np.isin(rows.row, self.counted.row[self.counted.side == n])
            theirs = np.isin(rows.instrument, self.counted.instrument[of_side])
            others.append(percent[done & ~fired & theirs])
        return _Usual(means=means, rates=rates, count=held_against, others=np.concatenate(others))

    def singles(self, results: Results, usual: _Usual) -> SingleResults:
        """Those that are known, each with anybody's, by session from the first with a known setup."""
        known = results.is_known
        first = min(
            (int(self._sessions[own.row].min(initial=_LATE)) for own in self._known), default=0
        )
        percent = results.percent[known]
        won = (percent > 0).astype(float)
        singles = SingleResults(
            signal=np.flatnonzero(known),
            percent=percent,
            more=percent - usual.means[known],
            oftener=won - usual.rates[known],
            session=self._sessions[self.counted.row[known]] - first,
            sessions=max(0, int(self._sessions.max(initial=-1)) + 1 - first),
            block=1.0,
        )
        length = block_length(singles.sums()[:, 3])
        return replace(singles, block=max(length, float(self._longest(results))))

    def _longest(self, results: Results) -> int:
        """How many sessions the longest result reaches over, at least one."""
        known = results.is_known
        over = self._sessions[results.end[known]] - self._sessions[self.counted.row[known]]
        return max(1, int(over.max(initial=0)))

    @cached_property
    def _known(self) -> list[_Rows]:
        """For each side the bars of members on which its setup is known."""
        panel, history = self.history.panel, self.history
        instruments = instruments_of_rows(panel)
        found = []
        for side in self.counted.sides:
            rows = known_rows(panel, history.truths[side], history.members)
            found.append(_Rows(instrument=instruments[rows], row=rows))
        return found

    @cached_property
    def _moments(self) -> NDArray[np.int64]:
        return moment_numbers(self.history.panel)

    @cached_property
    def _sessions(self) -> NDArray[np.int64]:
        return session_numbers(self.history.panel)


def known_rows(panel: Panel, setup: Truths, members: Column | None) -> NDArray[np.int64]:
    """The bars of members on which a setup is known."""
    rows = panel.own_rows()
    known = np.isfinite(setup[rows])
    return rows[known if members is None else known & (members[rows] == 1.0)]


def instruments_of_rows(panel: Panel) -> NDArray[np.int64]:
    """Of each row the place of its instrument."""
    places = np.zeros(len(panel.times), np.int64)
    places[panel.own_rows()] = np.repeat(np.arange(len(panel)), panel.ends - panel.starts)
    return places


def moment_numbers(panel: Panel) -> NDArray[np.int64]:
    """Of each row the number of its moment: bars of all instruments that open together have one."""
    return _numbered(panel, panel.times)


def session_numbers(panel: Panel) -> NDArray[np.int64]:
    """Of each row the number of its day, counted over all days on which there are bars."""
    days = np.zeros(len(panel.times), np.int64)
    for place in range(len(panel)):
        rows = panel.rows(place)
        days[rows] = panel.days(place, panel.times[rows])
    return _numbered(panel, days)


def _numbered(panel: Panel, values: NDArray[np.int64]) -> NDArray[np.int64]:
    """The place of each value among all different ones of the panel's rows, in their order."""
    rows = panel.own_rows()
    numbers = np.zeros(len(values), np.int64)
    if not len(rows):
        return numbers
    own = values[rows] - values[rows].min()
    own //= max(1, int(np.gcd.reduce(own)))
    if own.max() > 4 * len(own) + 1_000:
        _, numbers[rows] = np.unique(own, return_inverse=True)
        return numbers
    there = np.zeros(int(own.max()) + 1, bool)
    there[own] = True
    numbers[rows] = (np.cumsum(there) - 1)[own]
    return numbers


def _difference(drawn: Sums, seen: float) -> AgainstUsual:
    if not math.isfinite(seen):
        return AgainstUsual(mean=math.nan, interval=NO_INTERVAL, p=math.nan)
    return AgainstUsual(mean=seen, interval=interval_of(drawn), p=p_of(drawn, seen))


def _mean(values: Column) -> float:
    known = values[np.isfinite(values)]
    return float(known.mean()) if len(known) else math.nan


def _quantiles(values: Column) -> tuple[float, ...]:
    if not len(values):
        return (math.nan,) * len(QUANTILES)
    return tuple(np.percentile(values, QUANTILES).tolist())
