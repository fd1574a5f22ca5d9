"""What is told of the trades of a sieve's signals on its page."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.evidence.evidence import Evidence
from zealous_sieve.core.evidence.told import fate_words, fates_words, told_number, trades_headline
from zealous_sieve.core.evidence.trade_figures import TradesOfMonth, ended, whole
from zealous_sieve.core.evidence.trades import FATES, Fate, Trades

_MOST_POINTS = 800
"""Points of a running total that are drawn."""


@dataclass(frozen=True)
class NotTraded:
    """So many signals were not traded, for a reason in words."""

    count: int
    words: str


@dataclass(frozen=True, kw_only=True)
class RunningTotal:
    """What trades made together, as each ended: the opening of its bar in seconds since 1970."""

    times: tuple[int, ...]
    totals: tuple[float, ...]


@dataclass(frozen=True, kw_only=True)
class TradesTold:
    """What is told of trades, as ``TradeFigures`` has it; nothing where there is no number. ``trades`` is
    how many began."""

    sentence: str
    trades: int
    unit: str
    count: int
    open: int
    unpriced: int
    rate: float | None
    rate_interval: tuple[float | None, float | None]
    mean: float | None
    mean_interval: tuple[float | None, float | None]
    median: float | None
    median_interval: tuple[float | None, float | None]
    profit_factor: float | None
    worst_fall: float | None
    losing_run: int
    exposure: float | None
    cases: float | None
    is_enough: bool
    worse: int
    by_finer: int
    not_traded: tuple[NotTraded, ...]
    months: tuple[TradesOfMonth, ...]
    running: RunningTotal


@dataclass(frozen=True)
class TradeOfCase:
    """The trade that a signal began: what it made, in the unit of the trades, nothing while it is on; or
    the words for why it began none."""

    result: float | None = None
    words: str = ""


def told_trades(evidence: Evidence) -> TradesTold | None:
    """What is told of the trades; nothing where no rules say how to trade."""
    trades, figures = evidence.trades, evidence.trade_figures
    if trades is None or figures is None:
        return None
    tally = trades.tally()
    return TradesTold(
        sentence=trades_headline(evidence),
        trades=len(trades),
        unit=figures.unit,
        count=figures.count,
        open=figures.open,
        unpriced=figures.unpriced,
        rate=told_number(figures.rate),
        rate_interval=figures.rate_interval.told(),
        mean=told_number(figures.mean),
        mean_interval=figures.mean_interval.told(),
        median=told_number(figures.median),
        median_interval=figures.median_interval.told(),
        profit_factor=told_number(figures.profit_factor),
        worst_fall=told_number(figures.worst_fall),
        losing_run=figures.losing_run,
        exposure=told_number(figures.exposure),
        cases=told_number(figures.cases),
        is_enough=figures.is_enough,
        worse=figures.worse,
        by_finer=figures.by_finer,
        not_traded=tuple(
            NotTraded(tally[fate], fates_words(fate))
            for fate in Fate
            if tally[fate] and fates_words(fate)
        ),
        months=figures.months,
        running=_running(evidence, trades),
    )


def _running(evidence: Evidence, trades: Trades) -> RunningTotal:
    rows, results = ended(trades, evidence.panel)
    few = np.unique(np.linspace(0, max(0, len(rows) - 1), min(_MOST_POINTS, len(rows))).astype(int))
    return RunningTotal(
        times=tuple(evidence.panel.times[rows][few].tolist()),
        totals=tuple(np.cumsum(results)[few].tolist()),
    )


def trades_by_signal(trades: Trades) -> list[TradeOfCase]:
    """Of each signal that counts the trade that it began."""
    own = whole(trades)
    results = own.results(trades)
    began = {int(trades.signal[place]): n for n, place in enumerate(own.first.tolist())}
    told = []
    for signal, fate in enumerate(trades.fates.tolist()):
        number = began.get(signal)
        if number is None:
            told.append(TradeOfCase(words=fate_words(FATES[fate]) or "added to a trade"))
        elif own.is_open[number]:
            told.append(TradeOfCase(words="still on"))
        else:
            told.append(TradeOfCase(result=told_number(float(results[number]))))
    return told
