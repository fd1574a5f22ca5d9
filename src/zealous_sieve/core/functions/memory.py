"""Memory: what is kept from bar to bar, from a condition on, or over a length of its own at each bar."""

from __future__ import annotations

import math

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.operators import finite
from zealous_sieve.core.functions.specification import (
    EITHER,
    SAME,
    Family,
    Input,
    Kind,
    Output,
    X,
    length,
)
from zealous_sieve.core.functions.sums import afresh, equal_before, lost, times
from zealous_sieve.core.functions.units import BARS, NONE, PERCENT

memory = Family("Over bars")
PLAIN = "Plain arithmetic."
START = (0,)
"""The first input of what runs since a condition: the condition."""
LONGEST = 500
"""The most bars that a length which differs from bar to bar may have."""


# Since a condition: missing before its first yes, and from where it is unknown up to the next yes.


@kernel(inputs=2, outputs=2, reach=None, resume=1, settles=True, dense=True)
def extreme_since(spans, a, x, sign, out, bars):  # type: ignore[no-untyped-def]
    """The largest of sign·x, and how many bars ago it last stood."""
    for s in spans:
        best = out[s.begin - 1] if s.begin > s.first else math.nan
        back = bars[s.begin - 1] if s.begin > s.first else math.nan
        for t in range(s.begin, s.end):
            if a[t] != 0.0:
                best, back = (x[t] if a[t] == 1.0 else math.nan), 0.0
            elif best == best and x[t] != x[t]:
                best = math.nan
            elif sign * x[t] >= sign * best:
                best, back = x[t], 0.0
            else:
                back += 1.0
            out[t], bars[t] = best, back if best == best else math.nan


@kernel(inputs=2, outputs=4, reach=None, resume=2, settles=True, dense=True)
def sum_since(spans, a, x, out, level, rest, same):  # type: ignore[no-untyped-def]
    """Added up, with what rounding left over; ``same`` counts equal values from the start on, so that
    their sum is exact, and is 0 where they differ."""
    for s in spans:
        for t in range(s.begin, s.end):
            if a[t] == 1.0:
                level[t], rest[t], same[t] = x[t], 0.0, 1.0
            elif a[t] != 0.0 or t == s.first:
                level[t] = rest[t] = same[t] = math.nan
            elif same[t - 1] > 0.0 and x[t] == x[t - 1]:
                same[t] = same[t - 1] + 1.0
                level[t], rest[t] = times(x[t], same[t])
            else:
                level[t] = level[t - 1] + x[t]
                rest[t] = rest[t - 1] + lost(level[t - 1], x[t], level[t])
                same[t] = 0.0 * same[t - 1]
            out[t] = level[t] + rest[t]


@kernel(inputs=3, outputs=2, reach=None, resume=1, settles=True, dense=True)
def mean_since(spans, a, x, weight, mean, whole):  # type: ignore[no-untyped-def]
    """The mean of x by weight; missing without weight. Each bar moves it by its share
    (D. H. D. West, 1979): equal values stay exact."""
    for s in spans:
        for t in range(s.begin, s.end):
            if a[t] == 1.0:
                held, level = 0.0, math.nan
            elif a[t] == 0.0 and t > s.first:
                held, level = whole[t - 1], mean[t - 1]
            else:
                held, level = math.nan, math.nan
            whole[t] = held + weight[t]
            if weight[t] > 0.0:
                level = level if held > 0.0 else x[t]
                level += weight[t] / whole[t] * (x[t] - level)
            mean[t] = level if whole[t] == whole[t] else math.nan


@kernel(inputs=2, outputs=2, reach=None, resume=1, settles=True, dense=True)
def drawdown_since(spans, a, x, out, peak):  # type: ignore[no-untyped-def]
    """The largest fall from a high, in percent of it, and the high so far."""
    for s in spans:
        worst = out[s.begin - 1] if s.begin > s.first else math.nan
        top = peak[s.begin - 1] if s.begin > s.first else math.nan
        for t in range(s.begin, s.end):
            if a[t] != 0.0:
                worst, top = 0.0 * a[t], x[t] if a[t] == 1.0 else math.nan
            worst, top = fallen(worst, top, x[t])
            out[t], peak[t] = worst, top


@compiled
def fallen(worst, top, now):  # type: ignore[no-untyped-def]
    """One more value for the largest fall and the high before it; missing where a high is not above 0."""
    if not (top > 0.0 and now == now and worst == worst):
        return math.nan, math.nan
    top = max(top, now)
    return max(worst, 100.0 * ((top - now) / top)), top


memory.step(
    "extreme_since",
    inputs=2,
    truths=START,
    parameters=(length("sign", low=-1),),
    outputs=(Output(name="value", unit="x1"), Output(name="bars", unit=BARS)),
)
memory.step("sum_since", inputs=2, truths=START, outputs=(Output(name="total", unit="x1"),))
memory.step(
    "mean_since",
    inputs=3,
    truths=START,
    outputs=(Output(name="mean", unit="x1"), Output(name="whole", unit="x2")),
)
memory.step("drawdown_since", inputs=2, truths=START, outputs=(Output(name="worst", unit=PERCENT),))


@kernel(inputs=2, outputs=2, reach=None, resume=1, settles=True, dense=True)
def until(spans, a, b, out, begun):  # type: ignore[no-untyped-def]
    """Yes from a yes of a up to the bar before b is yes. ``begun`` is 0 until one of them has been yes: so
    long it is no where both are known; from then on what is unknown stays so until it is decided."""
    for s in spans:
        holds = out[s.begin - 1] if s.begin > s.first else 0.0
        seen = begun[s.begin - 1] if s.begin > s.first else 0.0
        for t in range(s.begin, s.end):
            if a[t] == 1.0 or b[t] == 1.0:
                holds = 0.0 if seen == 0.0 else holds
                seen = 1.0
            elif seen == 0.0:
                out[t], begun[t] = 0.0 * a[t] * b[t], 0.0
                continue
            either = 1.0 if a[t] == 1.0 or holds == 1.0 else a[t] + holds
            holds = 0.0 if b[t] == 1.0 or either == 0.0 else either * (1.0 - b[t])
            out[t], begun[t] = holds, seen


memory.step("until", inputs=2, truths=(0, 1), outputs=(Output(kind=Kind.TRUTH),))


# Recursions of the first order


@memory.function(
    "accumulate",
    "Running total",
    said="running total of {x}",
    synonyms=(
        "cumulative",
        "running total",
        "running sum",
        "cumulative sum",
    ),
    inputs=(X, Input(name="keep", default="1", unit=NONE)),
    outputs=(SAME,),
    apart=True,
    constants=True,
    formula="y = keep · y before + x, begun with the first x",
    meaning="x added up from bar to bar, of which at each bar only the share keep is kept of what was "
    "there before.",
    reading="accumulate(if_then(up_bar, volume, -volume), 0.9): volume by direction that fades; keep may "
    "differ from bar to bar.",
    pitfalls="With keep at 1 it never forgets. Beyond what a number can hold it is missing. Begins anew "
    "after a missing value.",
    source=PLAIN,
)
@kernel(inputs=2, outputs=2, reach=None, resume=1, dense=True)
def accumulate(spans, x, keep, out, level):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            before = level[t - 1] if t > s.first else math.nan
            level[t] = keep[t] * before + x[t] if before == before else x[t] + 0.0 * keep[t]
            if abs(before) == math.inf and x[t] == x[t]:
                level[t] = before
            out[t] = finite(level[t])


@memory.function(
    "smooth",
    "Smoothed",
    said="smoothed {x}",
    inputs=(X, Input(name="factor", unit=NONE)),
    outputs=(SAME,),
    apart=True,
    constants=True,
    formula="y = y before + factor · (x - y before), begun with the first x",
    meaning="An average that at each bar goes the share factor of the way to x.",
    reading="smooth(close, efficiency(11) * 0.4): quick in a trend, slow in a range; factor may differ "
    "from bar to bar.",
    pitfalls="A factor above 1 goes beyond x, above 2 it swings ever wider; beyond what a number can hold "
    "it is missing. Begins anew after a missing value.",
    source="R. G. Brown, 1959, with a factor of its own at each bar.",
)
@kernel(inputs=2, outputs=2, reach=None, resume=1, dense=True)
def smooth(spans, x, factor, out, level):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            before = level[t - 1] if t > s.first else math.nan
            if abs(before) == math.inf and x[t] == x[t]:
                level[t] = before
            elif before == before:
                level[t] = before + factor[t] * (x[t] - before)
            else:
                level[t] = x[t] + 0.0 * factor[t]
            out[t] = finite(level[t])


# Over a window


memory.add(
    "mean",
    "Mean",
    said="{n}-bar average",
    inputs=(X,),
    parameters=(length(),),
    outputs=(SAME,),
    body="sma(x, n)",
    since="_mean_since(start, x, 1).mean",
    varying="_mean_over(x, n)",
    meaning="The plain mean of the last n values of x, or of those since a condition.",
    reading="mean(close) since first_bar: the mean close of the session so far.",
    pitfalls="One missing value makes the whole window missing.",
    source=PLAIN,
)
memory.add(
    "first",
    "First",
    said="{x} at the first of {n} bars",
    inputs=(EITHER,),
    parameters=(length(),),
    outputs=(SAME,),
    body="ago(x, n - 1)",
    since="when_last(start, x)",
    meaning="x on the first of the last n bars, or on the bar on which a condition was last yes.",
    reading="first(open) since first_bar is the session's opening price.",
    pitfalls="Missing before there are n bars, or before the condition has been yes.",
    source=PLAIN,
)


@memory.function(
    "max_drawdown",
    "Largest fall",
    said="largest fall within {n} bars",
    synonyms=(
        "drawdown",
        "largest fall",
    ),
    inputs=(X,),
    parameters=(length(low=2),),
    outputs=(Output(unit=PERCENT, span=(0, 100)),),
    since="_drawdown_since(start, x)",
    formula="the largest 100 · (high before - x) / high before among the last n bars",
    meaning="The largest fall of x from a high before it, in percent of that high.",
    reading="max_drawdown(close) since (close crosses above sma(close, 45)): what holding through would "
    "have taken.",
    pitfalls="By closing prices it leaves out what happened within bars. Missing where x is not above 0.",
    source=PLAIN,
)
@kernel(warmup=lambda n: n - 1)
def max_drawdown(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(max(s.begin, s.first + n - 1), s.end):
            worst, top = 0.0, x[t - n + 1]
            for u in range(t - n + 1, t + 1):
                worst, top = fallen(worst, top, x[u])
            out[t] = worst


# Over lengths that differ from bar to bar


@compiled
def bars_at(t, first, n, least):  # type: ignore[no-untyped-def]
    """A length as it stands at a bar, in whole bars; -1 where it is out of bounds or reaches too far."""
    if not (least <= n[t] <= LONGEST):
        return -1
    bars = math.floor(n[t] + 1e-9)
    return bars if t - bars + least >= first else -1


def _over(reads):  # type: ignore[no-untyped-def]
    """A kernel that looks at another number of bars at each bar."""
    return kernel(inputs=2, reach=LONGEST + 1)(reads)


@_over
def ago_by(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            bars = bars_at(t, s.first, n, 0)
            if bars >= 0:
                out[t] = x[t - bars]


@_over
def highest_over(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            bars = bars_at(t, s.first, n, 1)
            if bars > 0:
                out[t] = np.max(x[t - bars + 1 : t + 1])


@_over
def lowest_over(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            bars = bars_at(t, s.first, n, 1)
            if bars > 0:
                out[t] = np.min(x[t - bars + 1 : t + 1])


@compiled
def sum_and_mean(x, first, t, bars):  # type: ignore[no-untyped-def]
    """Of the last so many values; exact where they are equal, missing where one is."""
    if equal_before(x, first, t, bars) >= bars:
        level, rest = times(x[t], bars)
        return level + rest, x[t]
    level, rest, missing = afresh(x[t - bars + 1 : t + 1])
    total = level + rest if missing == 0 else math.nan
    return total, total / bars


@_over
def sum_over(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            bars = bars_at(t, s.first, n, 1)
            if bars > 0:
                out[t] = sum_and_mean(x, s.first, t, bars)[0]


@_over
def mean_over(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            bars = bars_at(t, s.first, n, 1)
            if bars > 0:
                out[t] = sum_and_mean(x, s.first, t, bars)[1]


@kernel(inputs=3, reach=LONGEST + 1)
def weighted_over(spans, x, weight, n, out):  # type: ignore[no-untyped-def]
    """The mean of x by weight over so many bars; missing without weight. Equal values stay exact."""
    for s in spans:
        for t in range(s.begin, s.end):
            bars = bars_at(t, s.first, n, 1)
            held, level = 0.0, math.nan
            for u in range(t - bars + 1, t + 1 if bars > 0 else 0):
                held += weight[u]
                if weight[u] > 0.0:
                    level = x[u] if level != level else level + weight[u] / held * (x[u] - level)
            out[t] = level if held == held else math.nan


memory.step("weighted_over", inputs=3, outputs=(Output(unit="x0"),))
for _name in ("ago_by", "highest_over", "lowest_over", "sum_over", "mean_over"):
    memory.step(_name, inputs=2, outputs=(Output(unit="x0"),))
