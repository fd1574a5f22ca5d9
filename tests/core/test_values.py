"""Values against the slow reference, on random bars with gaps, and worked by hand."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest

from tests.bars import one, panel_of, values
from tests.core import slow
from tests.core.slow import Result, Values, ago, each, windows

Bars = dict[str, Values]
References = dict[str, Callable[[Bars], Result]]


def _stoch(b: Bars) -> dict[str, Result]:
    top, bottom = windows(b["high"], 6, max), windows(b["low"], 6, min)
    raw = each(
        lambda c, h, lo: 50.0 if h == lo else 100 * (c - lo) / (h - lo), b["close"], top, bottom
    )
    k = slow.sma(raw, 3)
    return {"k": k, "d": slow.sma(k, 4)}


def _hlc3(b: Bars) -> Result:
    return each(lambda h, lo, c: (h + lo + c) / 3, b["high"], b["low"], b["close"])


def _atr(b: Bars, n: int) -> Result:
    return slow.wilder(slow.true_range(b["high"], b["low"], b["close"]), n)


def _tema(x: Values, n: int) -> Result:
    e = slow.ema(x, n)
    ee = slow.ema(e, n)
    return each(lambda a, b, c: 3 * a - 3 * b + c, e, ee, slow.ema(ee, n))


def _hma(x: Values, n: int) -> Result:
    half, root = math.floor(n / 2 + 0.5), math.floor(math.sqrt(n) + 0.5)
    return slow.wma(each(lambda a, b: 2 * a - b, slow.wma(x, half), slow.wma(x, n)), root)


def _macd(b: Bars) -> dict[str, Result]:
    line = each(lambda a, c: a - c, slow.ema(b["close"], 5), slow.ema(b["close"], 11))
    signal = slow.ema(line, 4)
    return {"line": line, "signal": signal, "histogram": each(lambda a, c: a - c, line, signal)}


def _mfi(b: Bars) -> Result:
    flow = each(lambda p, v: p * v, _hlc3(b), b["volume"])
    moves = slow.change(_hlc3(b))
    gain = windows(each(lambda m, f: f if m > 0 else 0.0, moves, flow), 9, sum)
    loss = windows(each(lambda m, f: f if m < 0 else 0.0, moves, flow), 9, sum)
    return each(lambda g, lo: 50.0 if g + lo == 0 else 100 * g / (g + lo), gain, loss)


def _cmf(b: Bars) -> Result:
    flow = each(
        lambda h, lo, c, v: 0.0 if h == lo else v * (2 * c - h - lo) / (h - lo),
        b["high"], b["low"], b["close"], b["volume"],
    )  # fmt: skip
    return each(lambda f, v: f / v, windows(flow, 8, sum), windows(b["volume"], 8, sum))


def _choppiness(b: Bars) -> Result:
    ranges = windows(slow.true_range(b["high"], b["low"], b["close"]), 7, sum)
    top, bottom = windows(b["high"], 7, max), windows(b["low"], 7, min)
    return each(
        lambda r, h, lo: 100 * math.log10(r / (h - lo)) / math.log10(7), ranges, top, bottom
    )


def _efficiency(b: Bars) -> Result:
    path = windows(each(abs, slow.change(b["close"])), 10, sum)
    return each(lambda c, a, p: abs(c - a) / p, b["close"], ago(b["close"], 10), path)


def _bandwidth(b: Bars) -> Result:
    middle, deviation = slow.sma(b["close"], 12), slow.stdev(b["close"], 12)
    return each(lambda m, d: 100 * 5 * d / m, middle, deviation)


def _percent_b(b: Bars) -> Result:
    middle, deviation = slow.sma(b["close"], 12), slow.stdev(b["close"], 12)
    return each(lambda c, m, d: (c - m + 2.5 * d) / (5 * d), b["close"], middle, deviation)


def _since(flags: Values) -> Result:
    out: Result = []
    bars: float | None = None
    for flag in flags:
        bars = None if flag is None else 0.0 if flag else None if bars is None else bars + 1
        out.append(bars)
    return out


def _farthest(x: Values, n: int, best: Callable[[list[float]], float]) -> Result:
    return windows(x, n, lambda w: next(k for k, v in enumerate(reversed(w)) if v == best(w)))


REFERENCES: References = {
    "sma(close, 7)": lambda b: slow.sma(b["close"], 7),
    "sma(close, 130)": lambda b: slow.sma(b["close"], 130),
    "ema(close, 9)": lambda b: slow.ema(b["close"], 9),
    "wilder(close, 9)": lambda b: slow.wilder(b["close"], 9),
    "wma(close, 8)": lambda b: slow.wma(b["close"], 8),
    "vwma(close, 8)": lambda b: each(
        lambda a, v: a / v,
        windows(each(lambda c, v: c * v, b["close"], b["volume"]), 8, math.fsum),
        windows(b["volume"], 8, math.fsum),
    ),
    "dema(close, 6)": lambda b: each(
        lambda e, ee: 2 * e - ee,
        slow.ema(b["close"], 6),
        slow.ema(slow.ema(b["close"], 6), 6),
    ),
    "tema(close, 5)": lambda b: _tema(b["close"], 5),
    "hma(close, 9)": lambda b: _hma(b["close"], 9),
    "hma(close, 13)": lambda b: _hma(b["close"], 13),
    "linreg(close, 11)": lambda b: slow.line(b["close"], 11, True),
    "slope(close, 11)": lambda b: slow.line(b["close"], 11, False),
    "stdev(close, 12)": lambda b: slow.stdev(b["close"], 12),
    "rsi(close, 7)": lambda b: slow.rsi(b["close"], 7),
    "roc(close, 5)": lambda b: each(
        lambda c, a: 100 * (c / a - 1), b["close"], ago(b["close"], 5)
    ),
    "momentum(close, 5)": lambda b: each(lambda c, a: c - a, b["close"], ago(b["close"], 5)),
    "macd(close, 5, 11, 4).line": lambda b: _macd(b)["line"],
    "macd(close, 5, 11, 4).signal": lambda b: _macd(b)["signal"],
    "macd(close, 5, 11, 4).histogram": lambda b: _macd(b)["histogram"],
    "ppo(close, 5, 11, 4).line": lambda b: each(
        lambda a, c: 100 * (a / c - 1), slow.ema(b["close"], 5), slow.ema(b["close"], 11)
    ),
    "stoch(6, 3, 4).k": lambda b: _stoch(b)["k"],
    "stoch(6, 3, 4).d": lambda b: _stoch(b)["d"],
    "williams_r(6)": lambda b: each(
        lambda c, h, lo: -100 * (h - c) / (h - lo),
        b["close"], windows(b["high"], 6, max), windows(b["low"], 6, min),
    ),
    "true_range": lambda b: slow.true_range(b["high"], b["low"], b["close"]),
    "atr(6)": lambda b: _atr(b, 6),
    "atr_percent(6)": lambda b: each(lambda a, c: 100 * a / c, _atr(b, 6), b["close"]),
    "volatility_ratio(5)": lambda b: each(
        lambda r, e: r / e,
        slow.true_range(b["high"], b["low"], b["close"]),
        slow.ema(slow.true_range(b["high"], b["low"], b["close"]), 5),
    ),
    "adx(5).adx": lambda b: slow.directional(b["high"], b["low"], b["close"], 5)["adx"],
    "adx(5).plus_di": lambda b: slow.directional(b["high"], b["low"], b["close"], 5)["plus_di"],
    "adx(5).minus_di": lambda b: slow.directional(b["high"], b["low"], b["close"], 5)["minus_di"],
    "supertrend(5, 2).line": lambda b: slow.supertrend(
        b["high"], b["low"], b["close"], 5, 2
    )["line"],
    "supertrend(5, 2).direction": lambda b: slow.supertrend(
        b["high"], b["low"], b["close"], 5, 2
    )["direction"],
    "bollinger(close, 12, 2.5).bandwidth": _bandwidth,
    "bollinger(close, 12, 2.5).percent_b": _percent_b,
    "keltner(8, 1.5).upper": lambda b: each(
        lambda m, a: m + 1.5 * a, slow.ema(_hlc3(b), 8), _atr(b, 8)
    ),
    "efficiency(close, 10)": _efficiency,
    "choppiness(7)": _choppiness,
    "rel_volume(6)": lambda b: each(
        lambda v, m: v / m, b["volume"], ago(slow.sma(b["volume"], 6), 1)
    ),
    "dollar_volume(6)": lambda b: slow.sma(
        each(lambda c, v: c * v, b["close"], b["volume"]), 6
    ),
    "obv": lambda b: slow.obv(b["close"], b["volume"]),
    "cmf(8)": _cmf,
    "mfi(9)": _mfi,
    "highest(high, 9)": lambda b: windows(b["high"], 9, max),
    "lowest(low, 9)": lambda b: windows(b["low"], 9, min),
    "highest_bars(high, 9)": lambda b: _farthest(b["high"], 9, max),
    "lowest_bars(low, 9)": lambda b: _farthest(b["low"], 9, min),
    "percentile(close, 15)": lambda b: slow.percentile(b["close"], 15),
    "zscore(close, 10)": lambda b: each(
        lambda c, m, s: (c - m) / s, b["close"], slow.sma(b["close"], 10),
        slow.stdev(b["close"], 10),
    ),
    "sum(volume, 70)": lambda b: windows(b["volume"], 70, math.fsum),
    "bars_since(close > open)": lambda b: _since(
        each(lambda c, o: float(c > o), b["close"], b["open"])
    ),
    "gap_percent": lambda b: each(
        lambda o, c: 100 * (o / c - 1), b["open"], ago(b["close"], 1)
    ),
    "body_percent": lambda b: each(
        lambda o, h, lo, c: 100 * abs(c - o) / (h - lo) if h > lo else None,
        b["open"], b["high"], b["low"], b["close"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("text", REFERENCES)
@pytest.mark.parametrize("missing", [0.0, 0.02])
def test_a_function_agrees_with_the_slow_reference(text: str, missing: float) -> None:
    panel = panel_of(260, seed=11, missing=missing)
    bars = {
        name: [None if math.isnan(v) else v for v in column.tolist()]
        for name, column in panel.columns.items()
    }
    expected = np.array([math.nan if v is None else v for v in REFERENCES[text](bars)])
    computed = values(text, panel)
    np.testing.assert_allclose(computed, expected, rtol=1e-9, atol=1e-9)


WORKED = [
    ("sma(close, 3)", [1, 2, 3, 4], [None, None, 2, 3]),
    ("ema(close, 3)", [1, 2, 3, 4], [None, None, 2, 3]),
    ("wma(close, 3)", [1, 2, 3], [None, None, 14 / 6]),
    ("rsi(close, 2)", [1, 2, 3, 3], [None, None, 100, 100]),
    ("rsi(close, 2)", [5, 5, 5], [None, None, 50]),
    ("roc(close, 1)", [50, 55, 44], [None, 10, -20]),
    ("highest(close, 2)", [3, 1, 2], [None, 3, 2]),
    ("percentile(close, 3)", [1, 2, 2, 0], [None, None, 75, 0]),
    ("stdev(close, 2)", [1, 3, 3], [None, 1, 0]),
    ("round(close)", [0.5, 1.49, -0.5], [1, 1, 0]),
    ("sign(close - 2)", [1, 2, 3], [-1, 0, 1]),
    ("clamp(close, 2, 3)", [1, 2.5, 9], [2, 2.5, 3]),
    ("1 / (close - 2)", [1, 2, 3], [-1, None, 1]),
    ("sqrt(close)", [-1, 4], [None, 2]),
    ("log(close)", [0, 1], [None, 0]),
    ("exp(close * 1000)", [1, 0], [None, 1]),
    ("close ^ 2", [3, -2], [9, 4]),
    ("ago(close, 2)", [1, 2, 3], [None, None, 1]),
    ("count(close > 1, 2)", [1, 2, 3], [None, 1, 2]),
    ("when_last(close > 2, close)", [1, 3, 2], [None, 3, 3]),
]


@pytest.mark.parametrize(("text", "closes", "expected"), WORKED)
def test_values_worked_by_hand(text: str, closes: list[float], expected: list[float]) -> None:
    computed = values(text, one({"close": closes}))
    wanted = np.array([math.nan if v is None else float(v) for v in expected])
    np.testing.assert_allclose(computed, wanted, rtol=1e-12)


def test_relative_strength_of_the_published_example() -> None:
    """Closes of the table in Wilder's book (1978): gains of 11.80 and losses of 4.10 in 14 changes.

    The book rounds both averages to two places (0.84 and 0.29) and prints 74.36.
    """
    closes = [54.80, 56.80, 57.85, 59.85, 60.57, 61.10, 62.17, 60.60, 62.35, 62.15, 62.35, 61.45,
              62.80, 61.37, 62.50]  # fmt: skip
    panel = one({"close": closes})
    assert values("rsi(close, 14)", panel)[-1] == pytest.approx(100 * 11.80 / (11.80 + 4.10))
    gain = values("wilder(max(change(close), 0), 14)", panel)[-1]
    loss = values("wilder(max(-change(close), 0), 14)", panel)[-1]
    assert 100 - 100 / (1 + round(round(gain, 2) / round(loss, 2), 2)) == pytest.approx(
        74.36, abs=0.005
    )


def test_a_flat_window_has_no_deviation_at_all() -> None:
    panel = one({"close": [83.4] * 30})
    assert values("stdev(close, 20)", panel)[-1] == 0.0
