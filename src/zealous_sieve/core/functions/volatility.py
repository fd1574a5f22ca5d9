"""Volatility: how far price moves."""

from __future__ import annotations

import math

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import FEW, kernel, second
from zealous_sieve.core.functions.specification import (
    OF_CLOSE,
    SAME,
    Family,
    Kind,
    Output,
    factor,
    length,
    states,
)
from zealous_sieve.core.functions.units import BARS, NONE, PERCENT, PRICE, RATIO

volatility = Family("Volatility")
WILDER = "J. W. Wilder, New Concepts in Technical Trading Systems, 1978."


@volatility.function(
    "true_range",
    "True range",
    said="true range",
    synonyms=("true range",),
    reads=("high", "low", "close"),
    outputs=(Output(unit=PRICE),),
    meaning="The bar's range, with the gap from the close before counted in.",
    reading="A true range well above its own average marks a bar that mattered.",
    pitfalls="Does not exist on the first bar.",
    formula="max(high, prev(close)) - min(low, prev(close))",
    source=WILDER,
)
@kernel(inputs=3, warmup=1, dense=True)
def true_range(spans, high, low, close, out):  # type: ignore[no-untyped-def]
    for s in spans:
        begin = second(s, out)
        top, bottom, result = high[begin : s.end], low[begin : s.end], out[begin : s.end]
        before = close[begin - 1 : s.end - 1]
        for i in range(len(result)):
            upper = before[i] if before[i] > top[i] else top[i]
            lower = before[i] if before[i] < bottom[i] else bottom[i]
            result[i] = upper - lower + 0.0 * before[i]


volatility.add(
    "atr",
    "ATR",
    said="{n}-bar ATR",
    synonyms=(
        "average true range",
        "average range",
    ),
    parameters=(length(default=14),),
    outputs=(Output(unit=PRICE),),
    body="wilder(true_range, n)",
    meaning="The usual true range of the last bars, in price.",
    reading="A yardstick for stops, targets and tolerance: half an ATR is noise.",
    pitfalls="Grows with price; use atr_percent to compare instruments or far-apart dates.",
    source=WILDER,
)
volatility.add(
    "atr_percent",
    "ATR %",
    said="{n}-bar ATR in percent",
    parameters=(length(default=14),),
    outputs=(Output(unit=PERCENT),),
    body="100 * atr(n) / close",
    meaning="The ATR as a percentage of the close.",
    reading="Comparable between instruments and over years.",
    pitfalls="Falls merely because price rises.",
    source=WILDER,
)


@compiled
def from_moments(mean, square):  # type: ignore[no-untyped-def]
    """The standard deviation from the mean and the mean square of distances."""
    variance = square - mean * mean
    return math.sqrt(max(0.0, variance)) if variance == variance else math.nan


@compiled
def deviation(others, now):  # type: ignore[no-untyped-def]
    """The standard deviation of a value and those before it, about that value, the newest first."""
    n = len(others) + 1
    total = squares = 0.0
    for i in range(len(others) - 1, -1, -1):
        distance = others[i] - now
        total += distance
        squares += distance * distance
    return from_moments(total / n, squares / n)


@volatility.function(
    "stdev",
    "Deviation",
    said="{n}-bar standard deviation",
    synonyms=(
        "standard deviation",
        "deviation",
        "sigma",
        "std",
    ),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    meaning="The standard deviation of the last n values of x (of the population, divisor n).",
    reading="How widely x scatters about its mean.",
    pitfalls="A steady trend scatters too: this is not noise alone.",
    formula="sqrt(mean((x - mean(x))²))",
    source="Standard deviation, computed about the newest value so that a flat window gives 0.",
)
@kernel(warmup=lambda n: n - 1)
def stdev(spans, x, n, out):  # type: ignore[no-untyped-def]
    """The inner loop runs over bars, not over the window: so it takes vector instructions."""
    for s in spans:
        begin = max(s.begin, s.first + n - 1)
        now, result = x[begin : s.end], out[begin : s.end]
        if len(now) < FEW:
            for t in range(begin, s.end):
                out[t] = deviation(x[t - n + 1 : t], x[t])
            continue
        total, squares = np.zeros(len(now)), np.zeros(len(now))
        for k in range(1, n):
            older = x[begin - k : s.end - k]
            for i in range(len(now)):
                distance = older[i] - now[i]
                total[i] += distance
                squares[i] += distance * distance
        for i in range(len(now)):
            result[i] = from_moments(total[i] / n, squares[i] / n)


volatility.add(
    "bollinger",
    "Bollinger bands",
    said="Bollinger bands ({n}, {k})",
    synonyms=("bollinger bands", "deviation bands"),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20, low=2), factor("k", 2)),
    outputs=(
        Output(name="upper", said="upper Bollinger band ({n}, {k})", unit="x"),
        Output(name="middle", said="middle of the Bollinger bands ({n}, {k})", unit="x"),
        Output(name="lower", said="lower Bollinger band ({n}, {k})", unit="x"),
        Output(
            name="percent_b",
            said="place within the Bollinger bands ({n}, {k})",
            unit=RATIO,
            levels=(0, 1),
        ),
        Output(name="bandwidth", said="width of the Bollinger bands ({n}, {k})", unit=PERCENT),
    ),
    body="""show middle = sma(x, n)
width = k * stdev(x, n)
show upper = middle + width
show lower = middle - width
show percent_b = (x - lower) / (upper - lower)
show bandwidth = 100 * (upper - lower) / middle""",
    meaning="A mean with bands k standard deviations above and below.",
    reading="Narrow bands come before wide ones. percent_b is 0 at the lower band, 1 at the upper.",
    pitfalls="A touch of a band is no signal by itself: in a trend price walks along it.",
    source="J. Bollinger, Bollinger on Bollinger Bands, 2001.",
)
volatility.add(
    "keltner",
    "Keltner bands",
    said="Keltner bands ({n}, {k})",
    synonyms=("range bands",),
    parameters=(length(default=20), factor("k", 1.5)),
    outputs=(
        Output(name="upper", said="upper Keltner band ({n}, {k})", unit=PRICE),
        Output(name="middle", unit=PRICE),
        Output(name="lower", said="lower Keltner band ({n}, {k})", unit=PRICE),
    ),
    body="""show middle = ema(hlc3, n)
width = k * atr(n)
show upper = middle + width
show lower = middle - width""",
    meaning="An average of the typical price with bands k times the ATR above and below.",
    reading="A close outside is a strong bar; Bollinger bands inside them mark compression.",
    pitfalls="The bands follow the range slowly after a shock.",
    source="C. W. Keltner, 1960; with the ATR by L. B. Raschke.",
)
volatility.add(
    "compression",
    "Compression",
    said="compression",
    synonyms=("squeeze", "bollinger squeeze"),
    parameters=(length(default=20, low=2), factor("deviations", 2), factor("ranges", 1.5)),
    outputs=(
        Output(
            name="on", said="the bands are compressed|the bands are not compressed", kind=Kind.TRUTH
        ),
        Output(name="bars", said="number of bars of compression", unit=BARS),
        Output(
            name="released",
            said="way out of the compression",
            unit=NONE,
            span=(-1, 1),
            states=states(
                "price", "break", "out of the compression upward", "out of the compression downward"
            ),
        ),
    ),
    body="""inner = bollinger(close, n, deviations)
outer = keltner(n, ranges)
quiet = inner.upper < outer.upper and inner.lower > outer.lower
show on = quiet
show bars = if_then(quiet, bars_since(not quiet), 0)
show released = if_then(not quiet and prev(quiet), sign(close - inner.middle), 0)""",
    meaning="Bollinger bands inside Keltner bands: price rests. .bars counts how long, .released is "
    "+1 or -1 on the bar that ends it, by the side of the mean on which it closes.",
    reading="The longer the rest, the more notice is taken of the bar that ends it.",
    pitfalls="The first release is often in the wrong direction.",
    source="After J. Bollinger and C. W. Keltner; the pairing is common in the trade.",
)
volatility.add(
    "volatility_ratio",
    "Volatility ratio",
    said="true range against its {n}-bar average",
    parameters=(length(default=14),),
    outputs=(Output(unit=RATIO, levels=(1,)),),
    body="true_range / ema(true_range, n)",
    meaning="This bar's true range against its usual size.",
    reading="Above 1 the bar is active, above 2 it stands out.",
    pitfalls="The bar itself is part of the average.",
    source="J. D. Schwager, Technical Analysis, 1996.",
)
volatility.add(
    "tightness",
    "Tightness",
    said="tightness of {n} bars",
    parameters=(length(default=10, low=2),),
    outputs=(Output(unit=PERCENT, span=(0, 100), levels=(80,)),),
    body="100 - percentile(sma(high - low, n), 5 * n)",
    meaning="How small the bars of late are against the last 5n bars: 100 is the tightest.",
    reading="Above 80 an instrument is resting.",
    pitfalls="A stale instrument is tight too; see the data check.",
    source="Our own measure.",
)


@kernel(warmup=lambda n: n - 1)
def mean_deviation(spans, x, n, out):  # type: ignore[no-untyped-def]
    """The mean distance of n values from their mean."""
    for s in spans:
        for t in range(max(s.begin, s.first + n - 1), s.end):
            total = 0.0
            for k in range(n):
                total += x[t - k] - x[t]
            mean = x[t] + total / n
            away = 0.0
            for k in range(n):
                away += abs(x[t - k] - mean)
            out[t] = away / n


volatility.step("mean_deviation", inputs=1, parameters=(length(),), outputs=(Output(unit="x0"),))
volatility.add(
    "historical_vol",
    "Historical volatility",
    said="{n}-bar volatility",
    synonyms=(
        "volatility",
        "realised volatility",
        "realized volatility",
        "historical volatility",
    ),
    parameters=(length(default=20, low=2),),
    outputs=(Output(unit=PERCENT),),
    body="100 * stdev(log(close / prev(close)), n) * sqrt(_bars_a_year)",
    meaning="The deviation of daily log returns over n bars, as percent a year.",
    reading="For comparing with an expected volatility, or with its own past by percentile.",
    pitfalls="A year has 252 trading days here, also where a market never rests.",
    source="Standard deviation of returns, annualised by the root of time.",
)
volatility.add(
    "parkinson",
    "Range volatility",
    said="{n}-bar volatility by ranges",
    parameters=(length(default=20),),
    outputs=(Output(unit=PERCENT),),
    body="100 * sqrt(sma(log(high / low) ^ 2, n) / (4 * log(2))) * sqrt(_bars_a_year)",
    meaning="Volatility from the ranges of bars, as percent a year.",
    reading="Steadier than the one from closes for the same n.",
    pitfalls="Blind to gaps over night; daily bars only.",
    source="M. Parkinson, 1980.",
)
volatility.add(
    "garman_klass",
    "Range and body volatility",
    said="{n}-bar volatility by ranges and bodies",
    parameters=(length(default=20),),
    outputs=(Output(unit=PERCENT),),
    body="""each = 0.5 * log(high / low) ^ 2 - (2 * log(2) - 1) * log(close / open) ^ 2
100 * sqrt(max(sma(each, n), 0)) * sqrt(_bars_a_year)""",
    meaning="Volatility from range and body of bars, as percent a year.",
    reading="As the range volatility, steadier still.",
    pitfalls="Blind to gaps over night; daily bars only.",
    source="M. B. Garman and M. J. Klass, 1980.",
)
