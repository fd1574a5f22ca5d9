"""The trade of one signal, as it is drawn: how one got in, the stop as it moved, how it left."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.evidence.evidence import Evidence
from zealous_sieve.core.evidence.trade_prices import stop_of, target_of
from zealous_sieve.core.evidence.trades import FATES, REASONS, ExitReason, Fate, Trades
from zealous_sieve.core.sieve.definition import Side


@dataclass(frozen=True, kw_only=True)
class LeftShare:
    """A share of a trade that left on the bar of a ``row`` at a ``price`` with its costs; its part of ``r``
    is NaN where nothing was risked. What is still in is of the newest bar and has no price."""

    row: int
    price: float
    reason: ExitReason
    share: float
    r: float
    percent: float


@dataclass(frozen=True, kw_only=True, eq=False)
class TradedCase:
    """The trade that a signal began or was added to. ``stops`` is the stop in force on each bar from
    ``entry_row`` to that on which the last share left, NaN where there is none; ``targets`` are prices,
    NaN where one is unknown."""

    entry_row: int
    entry: float
    stops: Column
    targets: tuple[float, ...]
    shares: tuple[LeftShare, ...]

    @property
    def is_open(self) -> bool:
        """Whether a share is still in."""
        return any(own.reason == ExitReason.OPEN for own in self.shares)

    def total(self, unit: str) -> float:
        """What the shares that left made together, in ``r`` or ``percent``."""
        left = (own for own in self.shares if own.reason != ExitReason.OPEN)
        return float(sum(getattr(own, unit) for own in left))


def fate_of(trades: Trades, signal: int) -> Fate:
    """What became of a signal, by its place among those that count."""
    return FATES[int(trades.fates[signal])]


def traded_case(evidence: Evidence, signal: int) -> TradedCase | None:
    """The trade of a signal, by its place among those that count; nothing where it was not traded."""
    trades = evidence.trades
    if trades is None or not (trades.signal == signal).any():
        return None
    number = trades.trade[trades.signal == signal][0]
    own = np.flatnonzero(trades.trade == number)
    begun = own[int(np.argmin(trades.entry_row[own]))]
    side = trades.sides[trades.side[begun]]
    entry_row = int(trades.entry_row[begun])
    last = int(trades.exit_row[own].max())
    entry, stop = float(trades.entry[begun]), float(trades.stop[begun])
    signal_row = int(evidence.signals.counted().row[trades.signal[begun]])
    return TradedCase(
        entry_row=entry_row,
        entry=entry,
        stops=_stops(evidence, trades, side, stop, slice(entry_row, last + 1)),
        targets=_targets(evidence, trades, side, entry, stop, signal_row),
        shares=tuple(
            LeftShare(
                row=int(trades.exit_row[n]),
                price=float(trades.exit[n]),
                reason=REASONS[int(trades.reason[n])],
                share=float(trades.share[n]),
                r=float(trades.r[n]),
                percent=float(trades.percent[n]),
            )
            for n in own.tolist()
        ),
    )


def _stops(evidence: Evidence, trades: Trades, side: Side, first: float, rows: slice) -> Column:
    """The stop in force on each of some rows: where it trails never further away than before."""
    rule, stops = trades.rules.stop, np.full(rows.stop - rows.start, first)
    if rule is None or not rule.trail:
        return stops
    taken = evidence.history.truths[stop_of(side)][rows][:-1]
    nearer = np.fmax if side == Side.LONG else np.fmin
    stops[1:] = nearer.accumulate(nearer(taken, first)) if len(taken) else taken
    return stops


def _targets(
    evidence: Evidence, trades: Trades, side: Side, entry: float, stop: float, row: int
) -> tuple[float, ...]:
    return tuple(
        float(evidence.history.truths[target_of(side, n)][row])
        if target.r is None
        else entry + target.r * (entry - stop)
        for n, target in enumerate(trades.rules.targets)
    )
