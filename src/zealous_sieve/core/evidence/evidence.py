"""Evidence: the signals of a sieve over all history of some bars, and what followed on them."""

from __future__ import annotations

from dataclasses import dataclass
from threading import Event

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.evidence.following import Followed, History, follow
from zealous_sieve.core.evidence.results import Results
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.signals import Signals, signals_of
from zealous_sieve.core.evidence.trade_figures import TradeFigures, figures_of
from zealous_sieve.core.evidence.trade_prices import PricesOfTrades
from zealous_sieve.core.evidence.trades import Trades, trade_signals
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.sieve.firings import firing_terms
from zealous_sieve.core.sieve.prepare import Prepared, truth_of

RESULT_RANGE = "atr(15)"
"""The average range that results are told in."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Evidence:
    """What a sieve did on some bars: its ``signals``, for each horizon the ``results`` of those that count,
    and what of these is told; and, where rules say how, ``trades`` with what of them is told."""

    settings: EvidenceSettings
    panel: Panel
    signals: Signals
    history: History
    results: tuple[Results, ...]
    followed: tuple[Followed, ...]
    trades: Trades | None = None
    trade_figures: TradeFigures | None = None


def evidence_of(
    prepared: Prepared,
    panel: Panel,
    executor: Executor,
    settings: EvidenceSettings,
    members: Column | None = None,
    prices: PricesOfTrades | None = None,
    *,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Evidence:
    """The evidence of a sieve on all bars of a panel; ``members`` as ``signals_of`` has them, ``prices``
    those of the trades that the settings ask for. Raises CancelledError."""
    terms = firing_terms(prepared) | {RESULT_RANGE: truth_of(check(RESULT_RANGE))}
    if prices is not None:
        terms |= prices.terms
    found = executor.evaluate(terms, panel, progress=progress, cancelled=cancelled)
    signals = signals_of(prepared, panel, found, settings, members)
    history = History(
        panel=panel, truths=found, ranges=found[RESULT_RANGE], signals=signals, members=members
    )
    results, followed = follow(history, settings)
    trades = figures = None
    if prices is not None:
        trades = trade_signals(prices, panel, found, signals.counted())
        figures = figures_of(trades, panel, found, members, settings)
    return Evidence(
        settings=settings,
        panel=panel,
        signals=signals,
        history=history,
        results=tuple(results),
        followed=tuple(followed),
        trades=trades,
        trade_figures=figures,
    )
