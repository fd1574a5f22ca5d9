"""The same conditions in a dataframe engine, over all instruments in one query on all cores.

Needs ``pip install -r benchmarks/requirements.txt``. The range trend line can't be said in its expressions
and is left out, which favours it. Its averages begin from the first value rather than from the mean of
the first n: on a thousand bars both have come together at the end, where they are compared.
"""

from __future__ import annotations

import polars as pl

from zealous_sieve.core.engine.panel import Panel

LEFT_OUT = "trend line"


def frame(panel: Panel) -> pl.DataFrame:
    """All bars, with the number of their instrument."""
    bars = panel.ends - panel.starts
    numbers = pl.Series("code", range(len(panel)), dtype=pl.Int32)
    rows = numbers.gather(pl.Series([n for n, count in enumerate(bars) for _ in range(count)]))
    return pl.DataFrame({"code": rows, **panel.columns})


def smooth(x: pl.Expr, alpha: float) -> pl.Expr:
    return x.ewm_mean(alpha=alpha, adjust=False)


def nine(bars: pl.DataFrame) -> pl.DataFrame:
    """The conditions of ``TEN`` but for the trend line; shared parts are found by the engine."""
    high, low, close, volume = (pl.col(n) for n in ("high", "low", "close", "volume"))
    before, move = close.shift(), close.diff()
    up, down = high.diff(), -low.diff()
    ranges = pl.max_horizontal(high, before) - pl.min_horizontal(low, before)
    reach = smooth(ranges, 1 / 14)
    plus = 100 * smooth(pl.when((up > down) & (up > 0)).then(up).otherwise(0.0), 1 / 14) / reach
    minus = (
        100 * smooth(pl.when((down > up) & (down > 0)).then(down).otherwise(0.0), 1 / 14) / reach
    )
    apart = 100 * (plus - minus).abs() / (plus + minus)
    gain, loss = smooth(move.clip(0), 1 / 14), smooth((-move).clip(0), 1 / 14)
    short, long = smooth(close, 2 / 13), smooth(close, 2 / 27)
    width = 400 * close.rolling_std(20, ddof=0) / close.rolling_mean(20)
    found = {
        "short average": short,
        "long average": long,
        "distance": 100 * (short / long - 1),
        "relative strength": 100 * gain / (gain + loss),
        "directional movement": smooth(apart.fill_nan(0), 1 / 14),
        "average range": reach,
        "mean volume": volume.rolling_mean(20),
        "breakout": close > high.rolling_max(20).shift(),
        "narrow band": (width.rolling_rank(120) - 1) * 100 / 119 < 20,
        "long mean": close.rolling_mean(200),
    }
    asked = [expression.over("code").alias(name) for name, expression in found.items()]
    return bars.lazy().select("code", *asked).collect()
