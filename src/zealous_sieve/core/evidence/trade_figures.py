"""What is told of trades: how many, how they ended, how far that can be relied on."""

from __future__ import annotations

import math
from dataclasses import dataclass

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
    medians_drawn,
    resampled,
    wilson,
)
from zealous_sieve.core.evidence.following import known_rows, session_numbers
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.signals import Places
from zealous_sieve.core.evidence.trades import Trades
from zealous_sieve.core.sieve.sifting import Truths


@dataclass(frozen=True, kw_only=True, eq=False)
class WholeTrades:
    """Trades, one row each in the order in which they began: the place of the ``first`` share of each, its
    last ``exit_row``, ``r`` and ``percent`` (NaN where a share is still in), and how many ``bars`` it was
    on."""

    first: Places
    exit_row: Places
    is_open: NDArray[np.bool_]
    r: Column
    percent: Column
    bars: Places

    def __len__(self) -> int:
        return len(self.first)

    def results(self, trades: Trades) -> Column:
        """What each made, in the unit of the trades."""
        return self.r if unit_of_trades(trades) == "r" else self.percent


def unit_of_trades(trades: Trades) -> str:
    """What results of trades are told in: ``r``, or ``percent`` where no stop says what is risked."""
    return "r" if trades.rules.stop is not None else "percent"


def whole(trades: Trades) -> WholeTrades:
    """Shares put together to the trades that they are of."""
    size = len(trades)
    first = np.searchsorted(trades.trade, np.arange(size))
    exit_row, bars = np.zeros(size, np.int64), np.zeros(size, np.int64)
    np.maximum.at(exit_row, trades.trade, trades.exit_row)
    np.maximum.at(bars, trades.trade, trades.bars)
    return WholeTrades(
        first=first,
        exit_row=exit_row,
        is_open=np.bincount(trades.trade, trades.is_open, size) > 0,
        r=np.bincount(trades.trade, trades.r, size).astype(float),
        percent=np.bincount(trades.trade, trades.percent, size).astype(float),
        bars=bars,
    )


@dataclass(frozen=True, kw_only=True)
class TradesOfMonth:
    """Trades that ended in a month, ``YYYY-MM``: how many, how many won, what they made together."""

    month: str
    count: int
    won: int
    total: float


@dataclass(frozen=True, kw_only=True)
class TradeFigures:
    """What is told of trades. ``unit`` is that of ``mean``, ``median``, ``worst_fall`` and of a month's
    total: ``r``, or ``percent`` where no stop says what is risked. ``count`` are those that ended; ``open``
    are still on, ``unpriced`` rest on prices that make no percentage; neither is in any other figure but
    ``exposure``, the share of bars on which a trade was on among those on which the setup of its side was
    known. ``rate`` is the share of those above zero; ``profit_factor`` what was gained against what was
    lost, ``worst_fall`` the deepest fall of the running total in the order of exits, ``losing_run`` the
    most in a row that did not gain. NaN where there is none."""

    unit: str
    count: int
    open: int
    unpriced: int
    rate: float
    rate_interval: Interval
    mean: float
    mean_interval: Interval
    median: float
    median_interval: Interval
    profit_factor: float
    worst_fall: float
    losing_run: int
    exposure: float
    cases: float
    block: float
    worse: int
    by_finer: int
    months: tuple[TradesOfMonth, ...]

    @property
    def is_enough(self) -> bool:
        """Whether there are cases enough to tell anything."""
        return self.cases >= ENOUGH


def figures_of(
    trades: Trades,
    panel: Panel,
    truths: dict[str, Truths],
    members: Column | None,
    settings: EvidenceSettings,
) -> TradeFigures:
    """What is told of trades; ``truths`` are the columns of the setups by side."""
    own = whole(trades)
    unit, values = unit_of_trades(trades), own.results(trades)
    done = np.isfinite(values) & ~own.is_open
    known = [known_rows(panel, truths[side], members) for side in trades.sides]
    sessions = session_numbers(panel)
    first = min((int(sessions[rows].min()) for rows in known if len(rows)), default=0)
    size = max(0, int(sessions.max(initial=-1)) + 1 - first)
    entered = trades.entry_row[own.first[done]]
    began = np.maximum(sessions[entered] - first, 0)
    result = values[done]
    count = len(result)
    columns = (np.ones(count), result)
    sums: Sums = np.stack([np.bincount(began, own, size) for own in columns], axis=1)
    mean = float(result.mean()) if count else math.nan
    over = sessions[own.exit_row[done]] - sessions[entered]
    centred = sums[:, 1] - (mean if count else 0.0) * sums[:, 0]
    block = max(block_length(centred), 1.0, float(over.max(initial=1)))
    drawn = resampled(sums, block, settings.resamples, settings.seed)
    medians = medians_drawn(result, began, size, block, settings.resamples, settings.seed)
    with np.errstate(divide="ignore", invalid="ignore"):
        means = drawn[:, 1] / drawn[:, 0]
    cases = effective_cases(result, means)
    rate = float((result > 0).mean()) if count else math.nan
    _, ordered = ended(trades, panel)
    return TradeFigures(
        unit=unit,
        count=count,
        open=int(own.is_open.sum()),
        unpriced=int((~own.is_open & ~np.isfinite(values)).sum()),
        rate=rate,
        rate_interval=wilson(rate, cases),
        mean=mean,
        mean_interval=interval_of(means) if count else NO_INTERVAL,
        median=float(np.median(result)) if count else math.nan,
        median_interval=interval_of(medians),
        profit_factor=_profit_factor(result),
        worst_fall=_worst_fall(ordered),
        losing_run=_longest_run(ordered <= 0),
        exposure=_share(int(own.bars.sum()), sum(map(len, known))),
        cases=cases,
        block=block,
        worse=trades.worse,
        by_finer=trades.by_finer,
        months=_by_month(panel.times[own.exit_row[done]], result),
    )


def ended(trades: Trades, panel: Panel) -> tuple[Places, Column]:
    """Of each trade that ended, in the order of exits, the row of its last and what it made."""
    own = whole(trades)
    values = own.results(trades)
    done = np.isfinite(values) & ~own.is_open
    rows, result = own.exit_row[done], values[done]
    order = np.lexsort((own.first[done], panel.times[rows]))
    return rows[order], result[order]


def _share(part: float, of: float) -> float:
    return part / of if of else math.nan


def _profit_factor(result: Column) -> float:
    gained, lost = float(result[result > 0].sum()), float(-result[result < 0].sum())
    return _share(gained, lost)


def _worst_fall(ordered: Column) -> float:
    """How far a running total that begins at zero falls below its highest before."""
    total = np.concatenate([[0.0], np.cumsum(ordered)])
    return float((np.maximum.accumulate(total) - total).max()) if len(ordered) else math.nan


def _longest_run(flags: NDArray[np.bool_]) -> int:
    ends = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    return int((ends[1::2] - ends[::2]).max(initial=0))


def _by_month(times: NDArray[np.int64], result: Column) -> tuple[TradesOfMonth, ...]:
    months = times.astype("datetime64[s]").astype("datetime64[M]")
    found, place = np.unique(months, return_inverse=True)
    counts = np.bincount(place, minlength=len(found))
    won = np.bincount(place, result > 0, len(found))
    totals = np.bincount(place, result, len(found))
    return tuple(
        TradesOfMonth(
            month=str(month), count=int(counts[n]), won=int(won[n]), total=float(totals[n])
        )
        for n, month in enumerate(found)
    )
