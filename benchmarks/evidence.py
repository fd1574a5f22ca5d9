"""What followed on a sieve's signals, against anybody then, with its doubt; against a dataframe library.

    .venv/bin/python benchmarks/evidence.py [--instruments 5000] [--bars 1000] [--resamples 2000]

Both are given the same columns: the rival shifts, groups and averages one long table, and draws sessions
one resample after another (a tenth of them, scaled up). Its figures are compared with ours. Quote the
ratios, machines differ.
"""

from __future__ import annotations

import argparse
import resource
import time

import numpy as np
import pandas as pd

from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.warm import warm_cache
from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.following import Followed
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.trade_prices import prices_of_trades
from zealous_sieve.core.evidence.trade_rules import TradeRules
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.prepare import Prepared, prepare, truth_of

DAY = 86_400
AHEAD = (5, 10)


def walks(instruments: int, bars: int) -> Panel:
    rng = np.random.default_rng(4)
    series = {}
    for n in range(instruments):
        close = 100 * np.exp(np.cumsum(rng.normal(0, 0.015, bars)))
        opening = np.concatenate([[100.0], close[:-1]]) * np.exp(rng.normal(0, 0.004, bars))
        columns = {
            "open": opening,
            "high": np.maximum(opening, close) * 1.004,
            "low": np.minimum(opening, close) * 0.996,
            "close": close,
            "volume": np.exp(rng.normal(11, 0.4, bars)),
        }
        series[f"W{n:05}"] = (np.arange(bars, dtype=np.int64) * DAY, columns)
    return Panel.of(series)


def sieve(level: int) -> Prepared:
    condition = Condition(formula=f"close > highest(prev(high), {level})")
    return prepare(Sieve(name="Breaks", universe="all", conditions=(condition,)))


RULES = TradeRules.model_validate(
    {"stop": {"price": "low - 1.5 * atr(14)"}, "targets": [{"r": 2}], "bars": 20, "one": False}
)


def timed(
    panel: Panel, level: int, resamples: int, trade: TradeRules | None = None
) -> tuple[float, Evidence]:
    settings = EvidenceSettings(horizons=tuple(map(str, AHEAD)), resamples=resamples, trade=trade)
    own = sieve(level)
    start = time.perf_counter()
    prices = prices_of_trades(trade, own.sieve) if trade else None
    found = evidence_of(own, panel, LOCAL, settings, prices=prices)
    return time.perf_counter() - start, found


def rival_trades(panel: Panel, found: Evidence) -> float:
    """Seconds for the same trades, one after another over a dataframe's columns, of a twentieth of the
    signals, scaled up; raises where their results differ from ours."""
    trades, counted = found.trades, found.signals.counted()
    assert trades is not None
    (atr,) = LOCAL.evaluate({"": truth_of(check("atr(14)"))}, panel).values()
    table = pd.DataFrame({**panel.columns, "atr": atr})
    some = np.arange(0, len(counted), 20)
    r = np.full(len(counted), np.nan)
    start = time.perf_counter()
    for k in some.tolist():
        t, end = int(counted.row[k]), int(panel.ends[counted.instrument[k]])
        ahead = table.iloc[t + 1 : min(t + 21, end)]
        stop = table["low"].iloc[t] - 1.5 * table["atr"].iloc[t]
        if not len(ahead) or not stop < ahead["open"].iloc[0]:
            continue
        entry = ahead["open"].iloc[0]
        target = entry + 2 * (entry - stop)
        stopped = (ahead["low"] <= stop).to_numpy()
        reached = (ahead["high"] >= target + 0.01).to_numpy()
        first = min((int(np.argmax(own)) for own in (stopped, reached) if own.any()), default=-1)
        if first < 0:
            last = table["open"].iloc[t + 21] if t + 21 < end else np.nan
            r[k] = (last - entry) / (entry - stop)
            continue
        price = ahead["open"].iloc[first]
        out = min(price, stop) if stopped[first] else max(price, target)
        r[k] = (out - entry) / (entry - stop)
    spent = time.perf_counter() - start
    ours = np.full(len(counted), np.nan)
    ours[trades.signal] = trades.r
    np.testing.assert_allclose(ours[some], r[some], atol=1e-9)
    return 20 * spent


def rival(panel: Panel, level: int, resamples: int, found: Evidence) -> tuple[float, float]:
    """Seconds for what followed and for the draws; raises where its figures differ from ours."""
    codes = np.repeat(np.arange(len(panel)), panel.ends - panel.starts)
    start = time.perf_counter()
    table = pd.DataFrame({"code": codes, "time": panel.times, **panel.columns})
    by_code = table.groupby("code", sort=False)
    highest = by_code["high"].transform(lambda high: high.shift().rolling(level).max())
    table["setup"] = (table["close"] > highest).astype(float).where(highest.notna())
    table["fired"] = (table["setup"] == 1) & (by_code["setup"].shift() == 0)
    spent_drawing = 0.0
    for ahead, own in zip(AHEAD, found.followed, strict=True):
        entry = by_code["open"].shift(-1)
        table["percent"] = 100 * (by_code["close"].shift(-ahead) / entry - 1)
        known = table[table["setup"].notna() & table["percent"].notna()]
        usual = known.groupby("time")["percent"].mean()
        signals = table[table["fired"] & table["percent"].notna()]
        apart = signals["percent"] - signals["time"].map(usual)
        np.testing.assert_allclose(signals["percent"].mean(), own.mean)
        np.testing.assert_allclose(apart.mean(), own.difference.mean, atol=1e-9)
        before = time.perf_counter()
        _draw(signals, apart, panel, own, max(1, resamples // 10))
        spent_drawing += time.perf_counter() - before
    return time.perf_counter() - start - spent_drawing, 10 * spent_drawing


def _draw(
    signals: pd.DataFrame, apart: pd.Series, panel: Panel, own: Followed, resamples: int
) -> None:
    sums = pd.DataFrame({"time": signals["time"], "apart": apart}).groupby("time")["apart"]
    table = pd.DataFrame({"sum": sums.sum(), "count": sums.count()})
    table = table.reindex(np.unique(panel.times), fill_value=0).to_numpy()
    rng = np.random.default_rng(1)
    for _ in range(resamples):
        rows = np.zeros(len(table), np.int64)
        for n in range(len(table)):
            begins = n == 0 or rng.random() < 1 / own.block
            rows[n] = rng.integers(len(table)) if begins else (rows[n - 1] + 1) % len(table)
        table[rows].sum(axis=0)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--instruments", type=int, default=5_000)
    parser.add_argument("--bars", type=int, default=1_000)
    parser.add_argument("--resamples", type=int, default=2_000)
    options = parser.parse_args()
    warm_cache()
    panel = walks(options.instruments, options.bars)
    timed(panel.choose(panel.codes[:2]), 20, 100)
    first, found = timed(panel, 24, options.resamples)
    again = min(timed(panel, level, options.resamples)[0] for level in (25, 26, 27))
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    slow, drawing = rival(panel, 24, options.resamples, found)
    ours = min(first, again)
    print(
        f"{len(panel)} instruments, {panel.bars} bars, {len(found.signals)} signals, {AHEAD} ahead"
    )
    print(f"  ours, with {options.resamples} resamples   {ours:8.3f} s, {most:,.0f} MB at most")
    print(f"  a dataframe library, the same figures   {slow:8.3f} s   {slow / ours:6.1f} times")
    print(f"  its resamples one by one   {drawing:8.3f} s   {drawing / ours:6.1f} times")
    with_trades, traded = min(
        (timed(panel, 24, options.resamples, RULES) for _ in range(3)), key=lambda own: own[0]
    )
    walked, more = rival_trades(panel, traded), with_trades - ours
    assert traded.trades is not None
    print(
        f"  ours, with {len(traded.trades)} trades   {with_trades:8.3f} s, {more:.3f} s of it for them"
    )
    print(f"  its trades one by one   {walked:8.3f} s   {walked / more:6.1f} times")


if __name__ == "__main__":
    main()
