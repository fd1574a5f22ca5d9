"""Trades: what would have become of the signals that count, by rules of how one gets in and out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.evidence import walking
from zealous_sieve.core.evidence.results import LookingAhead
from zealous_sieve.core.evidence.signals import Places, Signals
from zealous_sieve.core.evidence.trade_prices import (
    PricesOfTrades,
    exit_of,
    level_of,
    stop_of,
    target_of,
)
from zealous_sieve.core.evidence.trade_rules import TradeRules
from zealous_sieve.core.functions.catalogue import FIELDS
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.sifting import Truths

_ORDERS = {
    "next_open": walking.AT_MARKET,
    "close": walking.AT_CLOSE,
    "beyond": walking.STOP_ORDER,
    "at": walking.LIMIT_ORDER,
    "second": walking.ON_SECOND,
}
_PRICES = ("open", "high", "low", "close")


class Fate(StrEnum):
    """What became of a signal."""

    TRADED = "traded"
    ADDED = "added"
    """To the trade that was on."""
    PASSED_OVER = "passed_over"
    """A trade was on, or its order worked."""
    NOT_FILLED = "not_filled"
    STOP_UNKNOWN = "stop_unknown"
    WRONG_SIDE = "stop_on_the_wrong_side"
    HELD_NO_MORE = "held_no_more"
    """The setup did not hold on the second bar."""
    NO_PRICE = "no_price"
    ENOUGH_TODAY = "enough_that_day"
    NO_BAR_AFTER = "no_bar_after"
    """The data end before its order was filled."""


FATES = tuple(Fate)


class ExitReason(StrEnum):
    """Why a share of a trade left."""

    STOP = "stop"
    TARGET = "target"
    CONDITION = "condition"
    BARS = "bars"
    AGAINST = "against"
    SESSION_END = "session_end"
    OPEN = "open"
    """It has not left: the data end before."""


REASONS = tuple(ExitReason)


@dataclass(frozen=True, kw_only=True, eq=False)
class Trades:
    """Shares that left, as columns of one length, in the order of their trades.

    ``trade`` numbers the trades from 0; ``signal`` is the place among the signals that count of the one
    that bought the share. ``instrument``, ``side``, ``entry_row`` and ``exit_row`` are places as
    ``Signals`` has them, ``reason`` that in ``REASONS``. ``entry`` and ``exit`` have their costs in them;
    ``exit``, ``r`` and ``percent`` are NaN where a share is still in. ``r`` and ``percent`` are parts of
    the trade's: they add up to it; ``r`` is NaN without a stop. ``bars`` is how many bars the trade was on
    when it left. ``fates`` has the place in ``FATES`` of what became of each signal that counts. ``worse``
    is on how many bars it could not be told what came first, ``by_finer`` on how many finer bars told it.
    """

    rules: TradeRules
    sides: tuple[Side, ...]
    trade: Places
    signal: Places
    instrument: Places
    side: Places
    entry_row: Places
    exit_row: Places
    reason: Places
    share: Column
    entry: Column
    stop: Column
    exit: Column
    r: Column
    percent: Column
    bars: Places
    fates: Places
    worse: int
    by_finer: int

    def __len__(self) -> int:
        return int(self.trade[-1]) + 1 if len(self.trade) else 0

    @property
    def is_open(self) -> NDArray[np.bool_]:
        """Of each share whether it is still in."""
        return np.asarray(self.reason == REASONS.index(ExitReason.OPEN))

    def tally(self) -> dict[Fate, int]:
        """How many signals there are of each fate."""
        counts = np.bincount(self.fates, minlength=len(FATES)).tolist()
        return dict(zip(FATES, counts, strict=True))


def trade_signals(
    prices: PricesOfTrades, panel: Panel, truths: Mapping[str, Truths], counted: Signals
) -> Trades:
    """Trade signals that count. ``truths`` are the columns of the setups by side and of the terms of
    ``prices``, over all bars of the panel."""
    rules = prices.rules
    numbers, is_last = LookingAhead(panel=panel).sessions()
    finer, first, last = _finer_bars(panel)
    costs, walk_rules = _costs(rules, panel)[counted.instrument], _walk_rules(rules)
    nothing = np.zeros(len(panel.times))
    fates, tally, parts = np.full(len(counted), walking.UNSEEN), np.zeros(3, np.int64), []
    for n, side in enumerate(counted.sides):
        own = np.flatnonzero(counted.side == n)
        sign = 1.0 if side == Side.LONG else -1.0
        row = counted.row[own]
        market = walking.MarketRows(
            bars=walking.PriceColumns(
                *(np.ascontiguousarray(panel.columns[name]) for name in _PRICES)
            ),
            finer=finer,
            first=first,
            last=last,
            sessions=numbers,
            is_session_end=is_last,
            setups=truths[side],
            exits=truths.get(exit_of(side), nothing),
            stops=sign * truths[stop_of(side)] if rules.stop else nothing,
        )
        aims = np.full((len(own), len(rules.targets)), np.nan)
        for k, target in enumerate(rules.targets):
            if target.r is None:
                aims[:, k] = sign * truths[target_of(side, k)][row]
        orders = walking.Orders(
            rows=row,
            ends=panel.ends[counted.instrument[own]],
            stops=market.stops[row],
            levels=sign * _levels(rules, side, panel, truths, row, costs[own, walking.TICK_SIZE]),
            targets=aims,
            costs=costs[own],
        )
        most = len(own) * (len(rules.targets) + 1)
        done = walking.WalkOutcome(
            fates=fates[own],
            counts=np.zeros((most, 6), np.int64),
            values=np.zeros((most, 5)),
            tally=np.zeros(3, np.int64),
        )
        walking.walk_trades(sign, market, orders, walk_rules, int(numbers.max(initial=0)), done)
        fates[own] = done.fates
        tally += done.tally
        written = slice(int(done.tally[walking.SHARES_WRITTEN]))
        counts, values = done.counts[written], done.values[written]
        parts.append(_Written(side=n, sign=sign, signal=own, counts=counts, values=values))
    return _joined(rules, counted, parts, fates, tally)


def compile_walk() -> None:
    """Trade nothing once, so that the code is compiled and kept."""
    empty = Panel.of({"A": (np.zeros(0, np.int64), {name: np.zeros(0) for name in FIELDS})})
    nothing = np.zeros(0, np.int64)
    signals = Signals(
        sides=(Side.LONG,), instrument=nothing, row=nothing, side=nothing, state=nothing
    )
    prices = PricesOfTrades(rules=TradeRules(bars=1), terms={}, texts={})
    trade_signals(prices, empty, {Side.LONG: np.zeros(0)}, signals)


def _levels(
    rules: TradeRules,
    side: Side,
    panel: Panel,
    truths: Mapping[str, Truths],
    row: Places,
    ticks: Column,
) -> Column:
    """The price of the order on each signal's row, the close where it has none."""
    if rules.entry.kind == "at":
        return truths[level_of(side)][row]
    if rules.entry.kind != "beyond":
        return panel.columns["close"][row]
    away = rules.entry.ticks * ticks
    high, low = panel.columns["high"], panel.columns["low"]
    return high[row] + away if side == Side.LONG else low[row] - away


@dataclass(frozen=True, kw_only=True, eq=False)
class _Written:
    """What was written of the trades of a side."""

    side: int
    sign: float
    signal: Places
    """The places of its signals among all that count."""
    counts: NDArray[np.int64]
    values: Column

    def columns(self) -> dict[str, NDArray[np.generic]]:
        counts, values, sign = self.counts, self.values, self.sign
        entry, exit_at = values[:, walking.ENTRY_AT], values[:, walking.EXIT_AT]
        share = values[:, walking.SHARE]
        moved = share * (exit_at - entry)
        with np.errstate(divide="ignore", invalid="ignore"):
            percent = np.where(sign * entry > 0, 100.0 * moved / (sign * entry), np.nan)
            r = moved / values[:, walking.RISK_WAS]
        stop = values[:, walking.STOP_WAS]
        signal = self.signal[counts[:, walking.OF_SIGNAL]]
        return {
            "trade": counts[:, walking.OF_TRADE],
            "signal": signal,
            "side": np.full(len(counts), self.side),
            "entry_row": counts[:, walking.ENTRY_ROW],
            "exit_row": counts[:, walking.EXIT_ROW],
            "reason": counts[:, walking.REASON],
            "share": share,
            "entry": sign * entry,
            "stop": np.where(np.isfinite(stop), sign * stop, np.nan),
            "exit": sign * exit_at,
            "r": r,
            "percent": percent,
            "bars": counts[:, walking.BARS_IN],
        }


def _joined(
    rules: TradeRules, counted: Signals, parts: list[_Written], fates: Places, tallied: Places
) -> Trades:
    """The trades of all sides, in the order of the signals that began them."""
    found = [part.columns() for part in parts]
    columns = {name: np.concatenate([own[name] for own in found]) for name in found[0]}
    # A trade begins with the first of its signals; of each side they are numbered apart.
    key = columns["trade"] * len(parts) + columns["side"]
    numbers, place = np.unique(key, return_inverse=True)
    begun_by = np.full(len(numbers), len(counted))
    np.minimum.at(begun_by, place, columns["signal"])
    order_of = np.empty(len(numbers), np.int64)
    order_of[np.argsort(begun_by, kind="stable")] = np.arange(len(numbers))
    columns["trade"] = order_of[place]
    order = np.argsort(columns["trade"], kind="stable")
    columns = {name: column[order] for name, column in columns.items()}
    return Trades(
        rules=rules,
        sides=counted.sides,
        instrument=counted.instrument[columns["signal"]],
        fates=fates,
        worse=int(tallied[walking.WORSE]),
        by_finer=int(tallied[walking.BY_FINER]),
        **columns,
    )


def _walk_rules(rules: TradeRules) -> walking.WalkRules:
    return walking.WalkRules(
        order=_ORDERS[rules.entry.kind],
        expires=rules.entry.expires,
        has_stop=rules.stop is not None,
        trails=rules.stop is not None and rules.stop.trail,
        hold=rules.bars,
        against=rules.against,
        session_end=rules.session_end,
        one=rules.one,
        additions=rules.additions,
        a_day=rules.a_day,
        multiples=np.array([np.nan if t.r is None else t.r for t in rules.targets]),
        shares=np.array([t.share for t in rules.targets]),
    )


def _costs(rules: TradeRules, panel: Panel) -> Column:
    """Of each instrument its tick and what a trade costs, of shape ``(instruments, 4)``."""
    ticks = np.array([panel.known(n).tick for n in range(len(panel))])
    costs = np.zeros((len(panel), 4))
    costs[:, walking.TICK_SIZE] = ticks
    costs[:, walking.FIXED_COST] = rules.costs.ticks * ticks
    costs[:, walking.RELATIVE_COST] = rules.costs.basis_points / 10_000
    costs[:, walking.SLIPPAGE] = rules.costs.slippage_ticks * ticks
    return costs


def _finer_bars(panel: Panel) -> tuple[walking.PriceColumns, Places, Places]:
    """The finest bars that the data hold of what happens within bars; for each row of a panel the first of
    those that make it up, and the one after the last: the same where there are none."""
    first, last = np.zeros((2, len(panel.times)), np.int64)
    bases = [base for base in panel.bases if 0 < base.duration < panel.duration]
    bases.sort(key=lambda base: -base.duration)
    begun = 0
    for base in bases:
        for place in range(len(panel)):
            rows, own = panel.rows(place), base.rows(place)
            times = base.times[own]
            if not len(times) or rows.start == rows.stop:
                continue
            begins = np.searchsorted(times, panel.times[rows])
            ends = np.searchsorted(times, panel.close_times(rows))
            there = ends > begins
            first[rows] = np.where(there, begun + own.start + begins, first[rows])
            last[rows] = np.where(there, begun + own.start + ends, last[rows])
        begun += len(base.times)
    columns = (
        np.concatenate([np.zeros(0), *(base.columns[name] for base in bases)]) for name in _PRICES
    )
    return walking.PriceColumns(*columns), first, last
