"""Averages: what x has been worth of late, by various weights."""

from __future__ import annotations

import math

import numpy as np

from zealous_sieve.core.functions import sums
from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import OF_CLOSE, SAME, Family, Input, Output, length
from zealous_sieve.core.functions.units import NONE, PRICE, RATIO

averages = Family("Averages")
assert sums
averages.step(
    "sums",
    inputs=1,
    parameters=(length(),),
    outputs=(Output(name="total", unit="x0"), Output(name="mean", unit="x0")),
)


@compiled
def settled(span, x, n, out):  # type: ignore[no-untyped-def]
    """The first bar from ``span.begin`` on that has a level to go on from, and that level; before it
    the average is begun from the mean of n values in a row."""
    level = out[span.begin - 1] if span.begin > span.first else math.nan
    if level == level:
        return span.begin, level
    return begun(span, span.begin, x, n, out)


@compiled
def begun(span, begin, x, n, out):  # type: ignore[no-untyped-def]
    """Go on from a bar before which there is no level, until n values in a row make one."""
    seen, start = 0, begin
    while start > span.first and seen < n - 1 and x[start - 1] == x[start - 1]:
        start -= 1
        seen += 1
    seen = 0
    for t in range(start, span.end):
        seen = seen + 1 if x[t] == x[t] else 0
        level = mean_to(x, t, n) if seen == n else math.nan
        if t >= begin:
            out[t] = level
        if seen == n:
            return t + 1, level
    return span.end, math.nan


@compiled
def mean_to(x, t, n):  # type: ignore[no-untyped-def]
    """The mean of the n values up to a bar, counted from the last one: exact where they are equal."""
    away = 0.0
    for u in range(t - n + 1, t):
        away += x[u] - x[t]
    return x[t] + away / n


@compiled
def smooth(span, t, level, x, n, alpha, out):  # type: ignore[no-untyped-def]
    """out[t] = out[t-1] + alpha (x[t] - out[t-1]) to the end, begun anew after missing values."""
    while t < span.end:
        level += alpha * (x[t] - level)
        out[t] = level
        t += 1
        if level != level and t < span.end:
            t, level = begun(span, t, x, n, out)


@compiled
def smooth_all(spans, x, n, alpha, out):  # type: ignore[no-untyped-def]
    """Smooth every span, four at a time where there are so many: each value waits for the one before,
    so one span alone leaves the processor idle most of the time."""
    fours = len(spans) // 4 * 4
    for k in range(0, fours, 4):
        a, b, c, d = spans[k], spans[k + 1], spans[k + 2], spans[k + 3]
        i, p = settled(a, x, n, out)
        j, q = settled(b, x, n, out)
        u, r = settled(c, x, n, out)
        v, s = settled(d, x, n, out)
        bars = min(a.end - i, b.end - j, c.end - u, d.end - v)
        x_i, x_j, x_u, x_v = x[i : i + bars], x[j : j + bars], x[u : u + bars], x[v : v + bars]
        out_i, out_j, out_u, out_v = out[i:], out[j:], out[u:], out[v:]
        for t in range(bars):
            p += alpha * (x_i[t] - p)
            q += alpha * (x_j[t] - q)
            r += alpha * (x_u[t] - r)
            s += alpha * (x_v[t] - s)
            out_i[t], out_j[t], out_u[t], out_v[t] = p, q, r, s
        carry_on(a, i, bars, p, x, n, alpha, out)
        carry_on(b, j, bars, q, x, n, alpha, out)
        carry_on(c, u, bars, r, x, n, alpha, out)
        carry_on(d, v, bars, s, x, n, alpha, out)
    for k in range(fours, len(spans)):
        span = spans[k]
        p = out[span.begin - 1] if span.begin > span.first else math.nan
        if p != p:
            i, p = begun(span, span.begin, x, n, out)
            smooth(span, i, p, x, n, alpha, out)
            continue
        for t in range(span.begin, span.end):
            p += alpha * (x[t] - p)
            out[t] = p
        if p != p:
            carry_on(span, span.begin, 0, p, x, n, alpha, out)


@compiled
def carry_on(span, t, done, level, x, n, alpha, out):  # type: ignore[no-untyped-def]
    """Smooth the rest of a span of which ``done`` bars from t on are smoothed up to ``level``. A level
    gone missing has stayed so: then it is begun anew after the first that is missing."""
    if level == level:
        t += done
    else:
        while t < span.end and out[t] == out[t]:
            t += 1
        if t + 1 < span.end:
            t, level = begun(span, t + 1, x, n, out)
    smooth(span, t, level, x, n, alpha, out)


averages.add(
    "sma",
    "SMA",
    said="{n}-bar average",
    synonyms=(
        "average",
        "avg",
        "moving average",
        "simple average",
        "simple moving average",
        "rolling mean",
        "ma",
    ),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    body="_sums(x, n).mean",
    since="_mean_since(start, x, 1).mean",
    varying="_mean_over(x, n)",
    formula="sum(x, n) / n",
    meaning="The simple mean of x over the last n bars.",
    reading="Price above a rising mean is taken as a trend under way; the mean itself often acts as "
    "a resting place for pullbacks.",
    pitfalls="Half its length late, and it jumps when a large old value drops out of the window.",
    source="Arithmetic mean; in trading use since the early twentieth century.",
)


@averages.function(
    "ema",
    "EMA",
    said="{n}-bar exponential average",
    synonyms=(
        "exponential average",
        "exponential moving average",
    ),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    meaning="An average in which each bar back counts for less, by a constant factor.",
    reading="Turns sooner than a simple mean of the same length; two of them, one short and one "
    "long, show the direction and by their distance the pace.",
    pitfalls="Never quite forgets: a bad print lingers. The first values lean on how it was begun.",
    formula="α = 2 / (n + 1); ema = before + α · (x - before), begun from the mean of the first n",
    source="R. G. Brown, Statistical Forecasting for Inventory Control, 1959.",
)
@kernel(warmup=lambda n: n - 1, reach=None, resume=lambda n: n, dense=True)
def ema(spans, x, n, out):  # type: ignore[no-untyped-def]
    smooth_all(spans, x, n, 2.0 / (n + 1.0), out)


@averages.function(
    "wilder",
    "Wilder average",
    said="{n}-bar Wilder average",
    inputs=(OF_CLOSE,),
    parameters=(length(default=14),),
    outputs=(SAME,),
    meaning="An exponential average with the slower factor 1/n.",
    reading="The smoothing inside relative strength, ATR and directional movement.",
    pitfalls="About as slow as an exponential average of 2n - 1 bars; lengths don't compare.",
    formula="wilder = before + (x - before) / n, begun from the mean of the first n",
    source="J. W. Wilder, New Concepts in Technical Trading Systems, 1978.",
)
@kernel(warmup=lambda n: n - 1, reach=None, resume=lambda n: n, dense=True)
def wilder(spans, x, n, out):  # type: ignore[no-untyped-def]
    smooth_all(spans, x, n, 1.0 / n, out)


@averages.function(
    "wma",
    "WMA",
    said="{n}-bar weighted average",
    synonyms=(
        "weighted average",
        "weighted moving average",
    ),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    meaning="A mean in which the newest bar weighs n, the one before n - 1, down to 1.",
    reading="Quicker than the simple mean, and it forgets completely after n bars.",
    pitfalls="Follows noise more closely than its length suggests.",
    formula="(n·x + (n-1)·prev(x) + … + 1·ago(x, n-1)) / (n (n+1) / 2)",
    source="Linearly weighted mean.",
)
@kernel(warmup=lambda n: n - 1)
def wma(spans, x, n, out):  # type: ignore[no-untyped-def]
    """Counted from the newest value, so that a window of equal values gives exactly that value."""
    whole = n * (n + 1) / 2.0
    for s in spans:
        begin = max(s.begin, s.first + n - 1)
        for t in range(begin, s.end):
            out[t] = x[t]
        for k in range(1, n):
            weight = (n - k) / whole
            for t in range(begin, s.end):
                out[t] += weight * (x[t - k] - x[t])


@averages.function(
    "vwma",
    "VWMA",
    said="{n}-bar average by volume",
    inputs=(OF_CLOSE,),
    reads=("volume",),
    parameters=(length(default=20),),
    outputs=(SAME,),
    meaning="The mean of x over n bars, each bar weighing by its volume.",
    reading="Above the simple mean when the busy bars were the high ones.",
    pitfalls="One bar of great volume rules it for n bars; missing where there was no volume at all.",
    formula="sum(x * volume, n) / sum(volume, n)",
    source="Volume-weighted mean, counted from the newest value so that equal ones give exactly that.",
)
@kernel(inputs=2, warmup=lambda n: n - 1)
def vwma(spans, x, volume, n, out):  # type: ignore[no-untyped-def]
    """The inner loop runs over bars, not over the window: so it takes vector instructions."""
    for s in spans:
        begin = max(s.begin, s.first + n - 1)
        now, result = x[begin : s.end], out[begin : s.end]
        away, whole = np.zeros(len(now)), volume[begin : s.end].copy()
        for k in range(1, n):
            older, weight = x[begin - k : s.end - k], volume[begin - k : s.end - k]
            for i in range(len(now)):
                away[i] += weight[i] * (older[i] - now[i])
                whole[i] += weight[i]
        for i in range(len(now)):
            result[i] = now[i] + away[i] / whole[i]


averages.add(
    "dema",
    "DEMA",
    said="{n}-bar DEMA",
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    body="e = ema(x, n)\n2 * e - ema(e, n)",
    meaning="An exponential average with its lag corrected once.",
    reading="As the exponential average, with turns seen earlier.",
    pitfalls="Overshoots after a jump.",
    source="P. G. Mulloy, Smoothing Data with Faster Moving Averages, 1994.",
)
averages.add(
    "tema",
    "TEMA",
    said="{n}-bar TEMA",
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    body="e = ema(x, n)\nee = ema(e, n)\n3 * e - 3 * ee + ema(ee, n)",
    meaning="An exponential average with its lag corrected twice.",
    reading="Close to price even at long lengths: a wide distance from it is a true stretch.",
    pitfalls="Overshoots after a jump, more than the double one; needs 3n - 2 bars.",
    source="P. G. Mulloy, Smoothing Data with Less Lag, 1994.",
)
averages.add(
    "hma",
    "HMA",
    said="{n}-bar HMA",
    inputs=(OF_CLOSE,),
    parameters=(length(default=20, low=2),),
    outputs=(SAME,),
    body="wma(2 * wma(x, round(n / 2)) - wma(x, n), round(sqrt(n)))",
    meaning="A weighted mean of half length, corrected by the whole one and smoothed again.",
    reading="A smooth line that turns with price; its direction is read more than its level.",
    pitfalls="Overshoots at sharp turns.",
    source="A. Hull, 2005.",
)
averages.add(
    "linreg",
    "Regression end",
    said="{n}-bar regression line",
    synonyms=(
        "regression",
        "regression line",
        "linear regression",
    ),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20),),
    outputs=(SAME,),
    body="wma(x, n) + 2 * (wma(x, n) - sma(x, n))",
    meaning="Where the least-squares line through the last n values ends.",
    reading="What x would be now, had it kept to its straight course.",
    pitfalls="The line is fitted anew on every bar; joined end points are not a line that existed.",
    source="Least squares; the end point in closed form is wma + 2·(wma - sma).",
)
averages.add(
    "slope",
    "Slope",
    said="slope over {n} bars",
    synonyms=("gradient",),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20, low=2),),
    outputs=(Output(unit="x"),),
    body="6 * (wma(x, n) - sma(x, n)) / (n - 1)",
    meaning="How much the least-squares line through the last n values climbs a bar, in x's unit.",
    reading="Its sign is the direction, its change the bending.",
    pitfalls="In units of x: not comparable between instruments; divide by atr for that.",
    source="Least squares; in closed form 6·(wma - sma) / (n - 1).",
)


@averages.function(
    "kama",
    "KAMA",
    said="adaptive average of {n} bars",
    inputs=(OF_CLOSE,),
    parameters=(length(default=10), length("fast", 2), length("slow", 30)),
    outputs=(SAME,),
    meaning="An exponential average whose pace follows how directly x moves.",
    reading="Flat in noise, close to price in a clean trend; a turn of it is a turn in character.",
    pitfalls="After a long rest it starts late.",
    formula="α = (efficiency · (2/(fast+1) - 2/(slow+1)) + 2/(slow+1))²; before + α · (x - before), "
    "begun from the mean of the first n",
    source="P. J. Kaufman, Smarter Trading, 1995.",
)
@kernel(warmup=lambda n, fast, slow: n - 1, reach=None, resume=lambda n, fast, slow: n + 1)
def kama(spans, x, n, fast, slow, out):  # type: ignore[no-untyped-def]
    quick, lazy = 2.0 / (fast + 1.0), 2.0 / (slow + 1.0)
    for s in spans:
        seen = 0
        if s.begin > s.first:
            going = out[s.begin - 1] == out[s.begin - 1]
            while (
                seen < n
                and s.begin - 1 - seen >= s.first
                and (x[s.begin - 1 - seen] == x[s.begin - 1 - seen])
            ):
                seen += 1
            seen = n if going else min(seen, n - 1)
        for t in range(s.begin, s.end):
            seen = seen + 1 if x[t] == x[t] else 0
            if seen < n:
                continue
            if seen == n:
                out[t] = mean_to(x, t, n)
                continue
            path = 0.0
            for u in range(t - n + 1, t + 1):
                path += abs(x[u] - x[u - 1])
            direct = abs(x[t] - x[t - n]) / path if path > 0.0 else 0.0
            alpha = (direct * (quick - lazy) + lazy) ** 2
            out[t] = out[t - 1] + alpha * (x[t] - out[t - 1])


averages.add(
    "angle",
    "Angle",
    said="angle over {n} bars",
    inputs=(Input(name="x", default="close", unit=PRICE),),
    parameters=(length(default=20, low=2),),
    outputs=(Output(unit=NONE, span=(-90, 90), levels=(0,)),),
    body="_arc_degrees(slope(x, n) / atr(n))",
    formula="the angle whose tangent is slope(x, n) / atr(n), in degrees",
    meaning="How steep the least-squares line through the last n values is: 45 where it rises by "
    "an ATR in each bar.",
    reading="Comparable between instruments and timeframes, as the slope is not.",
    pitfalls="Has nothing to do with the angle on a screen, which depends on how it is drawn.",
    source="Our own measure.",
)


@averages.function(
    "r2",
    "Fit",
    said="fit of a line over {n} bars",
    synonyms=("goodness of fit",),
    inputs=(OF_CLOSE,),
    parameters=(length(default=20, low=3),),
    outputs=(Output(unit=RATIO, span=(0, 1), levels=(0.5,)),),
    meaning="How much of the movement of n values lies on their least-squares line: 1 all of it.",
    reading="High with a slope is a clean trend; low is a range or a turn.",
    pitfalls="Missing on a flat window, where there is nothing to explain.",
    formula="(correlation of x with time over n bars)²",
    source="Coefficient of determination.",
)
@kernel(warmup=lambda n: n - 1)
def r2(spans, x, n, out):  # type: ignore[no-untyped-def]
    middle = (n - 1) / 2.0
    spread = n * (n * n - 1.0) / 12.0
    for s in spans:
        for t in range(max(s.begin, s.first + n - 1), s.end):
            total, squares, tilt = 0.0, 0.0, 0.0
            for k in range(n):
                distance = x[t - k] - x[t]
                total += distance
                squares += distance * distance
                tilt += distance * (middle - k)
            variation = squares - total * total / n
            if variation > 0.0:
                out[t] = min(1.0, tilt * tilt / (spread * variation))
