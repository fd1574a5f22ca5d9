"""The page of a sieve's evidence: what followed on its signals, and every one of them."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.following import Followed
from zealous_sieve.core.evidence.pictured import (
    Distribution,
    PathAhead,
    distribution_of,
    path_of,
)
from zealous_sieve.core.evidence.results import LookingAhead
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.told import (
    headline,
    left_out,
    told_number,
    way_of,
)
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.doubt.evidence_trades import (
    TradeOfCase,
    TradesTold,
    told_trades,
    trades_by_signal,
)
from zealous_sieve.usecases.doubt.looked_back import looked_back

MOST_CASES = 2_000
"""Signals that are told one by one, the newest."""


@dataclass(frozen=True, kw_only=True)
class FollowedFigures:
    """What is told of one horizon, as ``Followed`` has it; nothing where there is no number."""

    horizon: str
    sentence: str
    is_enough: bool
    count: int
    open: int
    unpriced: int
    cases: float | None
    mean: float | None
    mean_interval: tuple[float | None, float | None]
    quantiles: tuple[float | None, ...]
    rate: float | None
    rate_interval: tuple[float | None, float | None]
    ranges: float | None
    far_for: float | None
    far_against: float | None
    anybody_mean: float | None
    anybody_rate: float | None
    otherwise_mean: float | None
    otherwise_rate: float | None
    difference: float | None
    difference_interval: tuple[float | None, float | None]
    p: float | None


@dataclass(frozen=True, kw_only=True)
class Case:
    """A signal that counts, by the opening of its bar in seconds since 1970, and what followed to the
    horizon looked at, in percent: nothing where that is not over, or prices say nothing."""

    code: str
    time: int
    side: Side
    percent: float | None
    far_for: float | None
    far_against: float | None
    trade: TradeOfCase | None


@dataclass(frozen=True, kw_only=True)
class EvidencePage:
    """The evidence of a sieve. ``distribution``, ``path`` and ``cases`` are of the first horizon; ``cases``
    are the newest of ``signals``. ``notes`` say what was left out and what had to be taken from now."""

    sentence: str
    trades: TradesTold | None
    signals: int
    notes: tuple[str, ...]
    way: str
    followed: tuple[FollowedFigures, ...]
    distribution: Distribution
    path: PathAhead
    cases: tuple[Case, ...]
    milliseconds: float


def evidence_page(
    outside: Outside, sieve: Sieve, settings: EvidenceSettings, order: Order
) -> EvidencePage:
    """What followed on the signals of a sieve, with all that its page shows. Raises NotFoundError,
    SieveError, DataError, FormulaError, CancelledError."""
    return outside.compute.do(order, evidence_page_on, sieve, settings)


def evidence_page_on(desk: Desk, sieve: Sieve, settings: EvidenceSettings) -> EvidencePage:
    """As ``evidence_page``, on a desk."""
    started = time.perf_counter()
    looked = looked_back(desk, sieve)
    found = evidence_of(
        looked.prepared,
        looked.panel,
        desk.executor,
        settings,
        looked.members,
        looked.prices_of(settings),
        progress=desk.progress,
        cancelled=desk.cancelled,
    )
    counted, results = found.signals.counted(), found.results[0]
    ahead = LookingAhead(panel=found.panel, at_close=settings.starts == "close")
    return EvidencePage(
        sentence=headline(found),
        trades=told_trades(found),
        signals=len(counted),
        notes=(*left_out(found.signals), *looked.hindsight),
        way=way_of(counted.sides),
        followed=tuple(_figures(found, n, own) for n, own in enumerate(found.followed)),
        distribution=distribution_of(found.history, ahead, counted, results),
        path=path_of(ahead, counted, results),
        cases=_cases(found),
        milliseconds=1000 * (time.perf_counter() - started),
    )


def _figures(evidence: Evidence, place: int, followed: Followed) -> FollowedFigures:
    return FollowedFigures(
        horizon=followed.horizon,
        sentence=headline(evidence, place),
        is_enough=followed.is_enough,
        count=followed.count,
        open=followed.open,
        unpriced=followed.unpriced,
        cases=told_number(followed.cases),
        mean=told_number(followed.mean),
        mean_interval=followed.mean_interval.told(),
        quantiles=tuple(map(told_number, followed.quantiles)),
        rate=told_number(followed.rate),
        rate_interval=followed.rate_interval.told(),
        ranges=told_number(followed.ranges),
        far_for=told_number(followed.far_for),
        far_against=told_number(followed.far_against),
        anybody_mean=told_number(followed.anybody.mean),
        anybody_rate=told_number(followed.anybody.rate),
        otherwise_mean=told_number(followed.otherwise.mean),
        otherwise_rate=told_number(followed.otherwise.rate),
        difference=told_number(followed.difference.mean),
        difference_interval=followed.difference.interval.told(),
        p=told_number(followed.difference.p),
    )


def _cases(evidence: Evidence) -> tuple[Case, ...]:
    """The newest signals that count, the newest first."""
    counted, results, panel = evidence.signals.counted(), evidence.results[0], evidence.panel
    times = panel.times[counted.row]
    trades = evidence.trades and trades_by_signal(evidence.trades)
    newest = np.lexsort((np.arange(len(times)), -times))[:MOST_CASES]
    return tuple(
        Case(
            code=panel.codes[counted.instrument[n]],
            time=int(times[n]),
            side=counted.sides[counted.side[n]],
            percent=told_number(float(results.percent[n])),
            far_for=told_number(float(results.far_for[n])),
            far_against=told_number(float(results.far_against[n])),
            trade=trades[n] if trades else None,
        )
        for n in newest.tolist()
    )
