"""One signal of a sieve, with what followed on it and the trade that it began."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.results import BEYOND
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.told import fate_words, told_number
from zealous_sieve.core.evidence.traded_case import TradedCase, fate_of, traded_case
from zealous_sieve.core.evidence.trades import ExitReason
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.doubt.looked_back import looked_back
from zealous_sieve.usecases.errors import NotFoundError

MOST_AHEAD = 500
"""Bars after a signal that can be stepped through."""


@dataclass(frozen=True)
class PriceFrom:
    """A price from a bar on, by its opening in seconds since 1970."""

    time: int
    price: float


@dataclass(frozen=True, kw_only=True)
class TradeExit:
    """A share that left, or is still in: then it has neither price nor result."""

    time: int
    price: float | None
    reason: ExitReason
    share: float
    r: float | None
    percent: float | None


@dataclass(frozen=True, kw_only=True)
class CaseTrade:
    """The trade of a signal: in at a bar and price, the ``stops`` as they moved, ``targets`` (nothing where
    one is unknown), what left when and why, and what all that left made."""

    entry: PriceFrom
    stops: tuple[PriceFrom, ...]
    targets: tuple[float | None, ...]
    exits: tuple[TradeExit, ...]
    is_open: bool
    r: float | None
    percent: float | None


@dataclass(frozen=True, kw_only=True)
class EvidenceCase:
    """A signal that counts. ``closes`` are the moments at which its own bar and those after it closed, up
    to those that the horizon looked at and the trade need; ``percent`` is what followed, nothing while that
    is not over. ``fate`` says why it was not traded."""

    code: str
    time: int
    side: Side
    horizon: str
    percent: float | None
    closes: tuple[int, ...]
    horizon_closes: int | None
    trade: CaseTrade | None
    fate: str


@dataclass(frozen=True, kw_only=True)
class CaseWanted:
    """Which signal is asked for: that of an instrument on the bar that opened at a time, for a side."""

    code: str
    time: int
    side: Side


def evidence_case(
    outside: Outside, sieve: Sieve, settings: EvidenceSettings, case: CaseWanted, order: Order
) -> EvidenceCase:
    """One signal, as far as it was known at the moment looked from. Raises NotFoundError, SieveError,
    DataError, FormulaError."""
    if case.code not in outside.market.reference().by_code:
        raise NotFoundError("instrument", case.code)
    return outside.compute.do(order, evidence_case_on, sieve, settings, case)


def evidence_case_on(
    desk: Desk, sieve: Sieve, settings: EvidenceSettings, case: CaseWanted
) -> EvidenceCase:
    """As ``evidence_case``, on a desk."""
    looked = looked_back(desk, sieve, only=case.code)
    quick = settings.model_copy(update={"horizons": settings.horizons[:1], "resamples": 100})
    prices = looked.prices_of(settings)
    found = evidence_of(looked.prepared, looked.panel, desk.executor, quick, looked.members, prices)
    signal = _place(found, case)
    trade = traded_case(found, signal)
    row = int(found.signals.counted().row[signal])
    results, panel = found.results[0], found.panel
    end = int(results.end[signal])
    stop = int(panel.ends[panel.position(case.code)])
    furthest = max(end, row + len(trade.stops) if trade else row, row + 20)
    rows = slice(row, min(stop, furthest + 1, row + MOST_AHEAD))
    closes = panel.close_times(rows)
    return EvidenceCase(
        code=case.code,
        time=case.time,
        side=case.side,
        horizon=str(results.horizon),
        percent=told_number(float(results.percent[signal])),
        closes=tuple(closes.tolist()),
        horizon_closes=None if end == BEYOND else int(panel.close_times(slice(end, end + 1))[0]),
        trade=None if trade is None else _told_trade(found, trade),
        fate="" if found.trades is None else fate_words(fate_of(found.trades, signal)),
    )


def _place(evidence: Evidence, case: CaseWanted) -> int:
    """The place of a signal among those that count. Raises NotFoundError."""
    counted, panel = evidence.signals.counted(), evidence.panel
    if case.code in panel.codes and case.side in counted.sides:
        own = counted.instrument == panel.position(case.code)
        own &= counted.side == counted.sides.index(case.side)
        own &= panel.times[counted.row] == case.time
        if own.any():
            return int(np.flatnonzero(own)[0])
    raise NotFoundError("signal", f"of {case.code} for {case.side} on this bar")


def _told_trade(evidence: Evidence, trade: TradedCase) -> CaseTrade:
    times = evidence.panel.times
    stops = list[PriceFrom]()
    for n, price in enumerate(trade.stops.tolist()):
        if math.isfinite(price) and (not stops or stops[-1].price != price):
            stops.append(PriceFrom(int(times[trade.entry_row + n]), price))
    return CaseTrade(
        entry=PriceFrom(int(times[trade.entry_row]), trade.entry),
        stops=tuple(stops),
        targets=tuple(map(told_number, trade.targets)),
        exits=tuple(
            TradeExit(
                time=int(times[own.row]),
                price=told_number(own.price),
                reason=own.reason,
                share=own.share,
                r=told_number(own.r),
                percent=told_number(own.percent),
            )
            for own in trade.shares
        ),
        is_open=trade.is_open,
        r=told_number(trade.total("r")),
        percent=told_number(trade.total("percent")),
    )
