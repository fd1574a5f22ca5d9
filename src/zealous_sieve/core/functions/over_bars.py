"""Over bars: looking back, extremes, sums, ranks and counts of a series."""

from __future__ import annotations

import math

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import FEW, KERNELS, kernel, second
from zealous_sieve.core.functions.specification import (
    EITHER,
    OF_CLOSE,
    SAME,
    TRUTH,
    YES_NO,
    Family,
    Output,
    X,
    length,
)
from zealous_sieve.core.functions.units import BARS, NONE, PERCENT

over_bars = Family("Over bars")
PLAIN = "Plain arithmetic."


@over_bars.function(
    "ago",
    "Ago",
    synonyms=(
        "lag",
        "shift",
        "earlier",
        "back",
    ),
    inputs=(EITHER,),
    parameters=(length(low=0),),
    outputs=(SAME,),
    varying="_ago_by(x, n)",
    meaning="x as it was n bars back.",
    reading="For comparing with an earlier bar: close > ago(high, 3).",
    pitfalls="Bars, not days: across a gap in the data it reaches further back in time.",
    formula="x[t - n]",
    source=PLAIN,
)
@kernel(warmup=lambda n: n)
def ago(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(max(s.begin, s.first + n), s.end):
            out[t] = x[t - n]


over_bars.add(
    "prev",
    "Previous",
    synonyms=(
        "previous",
        "prior",
        "yesterday",
        "last bar",
    ),
    inputs=(EITHER,),
    outputs=(SAME,),
    body="ago(x, 1)",
    meaning="x on the bar before.",
    reading="high > prev(high) is a higher high.",
    pitfalls="The first bar has none.",
    source=PLAIN,
)


@over_bars.function(
    "change",
    "Change",
    said="change from bar to bar",
    synonyms=(
        "difference",
        "diff",
    ),
    inputs=(OF_CLOSE,),
    outputs=(SAME,),
    since="x - when_last(start, x)",
    meaning="x less its value on the bar before.",
    reading="Above zero x rose.",
    pitfalls="In units of x; for instruments side by side use roc.",
    formula="x - prev(x)",
    source=PLAIN,
)
@kernel(warmup=1, dense=True)
def change(spans, x, out):  # type: ignore[no-untyped-def]
    for s in spans:
        begin = second(s, out)
        now, before, result = x[begin : s.end], x[begin - 1 : s.end - 1], out[begin : s.end]
        for i in range(len(result)):
            result[i] = now[i] - before[i]


@compiled
def window_extreme(first, begin, end, x, n, sign, out):  # type: ignore[no-untyped-def]
    """The largest of sign·x over n bars, NaN where one of them is missing.

    Bars are taken in blocks of n: a window is the end of one block and the beginning of the next, so
    the running extremes of both, kept from either side, are all there is to compare (M. van Herk, 1992).
    """
    start = max(first, begin - n + 1)
    bars, wanted = x[start:end], out[start:end]
    rest = np.full(n + 1, -math.inf)
    for block in range(0, len(bars), n):
        if block > 0:
            best = -math.inf
            for i in range(n - 1, 0, -1):
                value = sign * bars[block - n + i]
                best = value if (value > best) | (value != value) else best
                rest[i] = best
        best = -math.inf
        here, result = bars[block : block + n], wanted[block : block + n]
        for i in range(len(here)):
            value = sign * here[i]
            best = value if (value >= best) | (value != value) else best
            before = rest[i + 1]
            if start + block + i >= begin and (block > 0 or i == n - 1):
                result[i] = sign * (before if (before > best) | (before != before) else best)


@compiled
def bars_since_extreme(first, begin, end, x, n, sign, out):  # type: ignore[no-untyped-def]
    """How many bars ago the largest of sign·x over n bars last stood."""
    best, missing = first - 1, first - 1
    start = max(first, begin - n + 1)
    for t in range(start, end):
        if x[t] != x[t]:
            missing = t
            best = t
        elif best <= t - n or best < start or x[best] != x[best]:
            best = max(start, t - n + 1)
            for u in range(best, t + 1):
                if x[u] == x[u] and (x[best] != x[best] or sign * x[u] >= sign * x[best]):
                    best = u
        elif sign * x[t] >= sign * x[best]:
            best = t
        if t >= begin and t - first >= n - 1 and missing <= t - n:
            out[t] = t - best


def _extreme(name: str, label: str, which: str, back: bool) -> None:
    bars = Output(unit=BARS)
    end = "maximum" if which == "highest" else "minimum"
    over_bars.add(
        name,
        label,
        synonyms=()
        if back
        else (f"{end} of", f"rolling {end[:3]}", f"rolling {end}", f"{which} value"),
        said=f"number of bars since the {which} {{x}} of {{n}} bars"
        if back
        else f"{which} {{x}} of the last {{n}} bars",
        inputs=(X,),
        parameters=(length(),),
        outputs=(bars if back else SAME,),
        kernel=KERNELS[name],
        since=f"_extreme_since(start, x, {1 if which == 'highest' else -1}).{'bars' if back else 'value'}",
        varying=None if back else f"_{name}_over(x, n)",
        formula=f"bars since the {which} x" if back else f"the {which} of x[t-n+1 … t]",
        meaning=f"How many bars ago the {which} of the last n values of x stood, 0 for this bar."
        if back
        else f"The {which} of the last n values of x, this bar's included.",
        reading="Small numbers mean a fresh extreme."
        if back
        else "An edge of the recent range; a close beyond the edge of the bar before is a breakout.",
        pitfalls="Of equal extremes the latest counts."
        if back
        else "This bar is inside: nothing is ever beyond it. For a breakout compare with "
        f"prev({name}(…)).",
        source=PLAIN,
    )


@kernel(warmup=lambda n: n - 1)
def highest(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        window_extreme(s.first, s.begin, s.end, x, n, 1.0, out)


@kernel(warmup=lambda n: n - 1)
def lowest(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        window_extreme(s.first, s.begin, s.end, x, n, -1.0, out)


@kernel(warmup=lambda n: n - 1)
def highest_bars(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars_since_extreme(s.first, s.begin, s.end, x, n, 1.0, out)


@kernel(warmup=lambda n: n - 1)
def lowest_bars(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars_since_extreme(s.first, s.begin, s.end, x, n, -1.0, out)


_extreme("highest", "Highest", "highest", back=False)
_extreme("lowest", "Lowest", "lowest", back=False)
_extreme("highest_bars", "Bars since highest", "highest", back=True)
_extreme("lowest_bars", "Bars since lowest", "lowest", back=True)


over_bars.add(
    "sum",
    "Sum",
    said="sum of {x} over {n} bars",
    synonyms=(
        "total",
        "rolling sum",
    ),
    inputs=(X,),
    parameters=(length(),),
    outputs=(SAME,),
    body="_sums(x, n).total",
    since="_sum_since(start, x)",
    varying="_sum_over(x, n)",
    meaning="The last n values of x added up.",
    reading="sum(volume, 5) is the volume of five bars.",
    pitfalls="One missing value makes the whole window missing.",
    formula="x + prev(x) + … + ago(x, n-1)",
    source="Plain arithmetic, with what rounding leaves over carried along (W. Kahan, A. Neumaier).",
)


@over_bars.function(
    "count",
    "Count",
    said="count of the last {n} bars on which {truth}",
    synonyms=("number of",),
    inputs=(TRUTH,),
    parameters=(length(),),
    outputs=(Output(unit=BARS),),
    since="_sum_since(start, if_then(truth, 1, 0))",
    varying="_sum_over(if_then(truth, 1, 0), n)",
    meaning="On how many of the last n bars the condition was yes.",
    reading="count(up_bar, 10) >= 7 asks for seven rising bars of ten.",
    pitfalls="Unknown as soon as one of the n bars is unknown.",
    formula="number of yes among truth[t-n+1 … t]",
    source=PLAIN,
)
@kernel(warmup=lambda n: n - 1, dense=True)
def count(spans, a, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        yes = no = 0
        start = max(s.first, s.begin - n + 1)
        for t in range(start, s.end):
            yes += a[t] == 1.0
            no += a[t] == 0.0
            if t - n >= start:
                yes -= a[t - n] == 1.0
                no -= a[t - n] == 0.0
            if t >= s.begin:
                out[t] = float(yes) if yes + no == n else math.nan


@over_bars.function(
    "bars_since",
    "Bars since",
    said="number of bars since {truth}",
    synonyms=(
        "days since",
        "time since",
        "how long since",
    ),
    inputs=(TRUTH,),
    outputs=(Output(unit=BARS),),
    meaning="How many bars ago the condition was last yes, 0 when it is yes now.",
    reading="bars_since(gap_percent > 3) <= 5 asks for a recent gap.",
    pitfalls="Missing before the first yes, and after a bar where the condition is unknown.",
    formula="t - (last bar with yes)",
    source=PLAIN,
)
@kernel(reach=None, resume=1, settles=True)
def bars_since(spans, a, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = out[s.begin - 1] if s.begin > s.first else math.nan
        for t in range(s.begin, s.end):
            if a[t] == 1.0:
                bars = 0.0
            elif a[t] == 0.0:
                bars += 1.0
            else:
                bars = math.nan
            out[t] = bars


@kernel(reach=None, resume=1, dense=True, settles=True)
def streak(spans, a, out):  # type: ignore[no-untyped-def]
    """On how many bars in a row, this one the last, the condition is yes; 0 when it is no, missing from an
    unknown one up to the next no."""
    for s in spans:
        length = out[s.begin - 1] if s.begin > s.first else 0.0
        for t in range(s.begin, s.end):
            length = 0.0 if a[t] == 0.0 else (length + 1.0) * a[t]
            out[t] = length


over_bars.add(
    "rising",
    "Rising",
    said="{x} rose on each of {n} bars|{x} did not rise on each of {n} bars",
    inputs=(X,),
    parameters=(length(),),
    outputs=(YES_NO,),
    body="change(x) > 0 for n bars",
    meaning="x rose on each of the last n bars.",
    reading="A plain test for direction: rising(sma(close, 50), 5).",
    pitfalls="One equal bar ends it.",
    source=PLAIN,
)
over_bars.add(
    "falling",
    "Falling",
    said="{x} fell on each of {n} bars|{x} did not fall on each of {n} bars",
    inputs=(X,),
    parameters=(length(),),
    outputs=(YES_NO,),
    body="change(x) < 0 for n bars",
    meaning="x fell on each of the last n bars.",
    reading="A plain test for direction.",
    pitfalls="One equal bar ends it.",
    source=PLAIN,
)


@compiled
def place_among(others, now):  # type: ignore[no-untyped-def]
    """The mid-rank percentile of a value among others; missing where one of them is."""
    below = level = above = 0
    for i in range(len(others)):
        below += others[i] < now
        level += others[i] <= now
        above += others[i] > now
    return 50.0 * (below + level) / len(others) if level + above == len(others) else math.nan


@over_bars.function(
    "percentile",
    "Percentile",
    said="place among its last {n} values",
    synonyms=(
        "percentile rank",
        "percent rank",
    ),
    inputs=(X,),
    parameters=(length(default=100, low=2),),
    outputs=(Output(unit=PERCENT, span=(0, 100), levels=(20, 80)),),
    meaning="Where x stands among its own last n values: 0 the lowest, 100 the highest.",
    reading="Makes any measure comparable with its own past: percentile(width, 120) < 20 is narrow "
    "by the instrument's own standard.",
    pitfalls="Says nothing about size: the lowest of a wild time may still be wide.",
    formula="100 · (values below + half of the other equal ones) / (n - 1)",
    source="Mid-rank percentile, ties share the mean rank.",
)
@kernel(warmup=lambda n: n - 1)
def percentile(spans, x, n, out):  # type: ignore[no-untyped-def]
    """Counting the window beats keeping it in order: the counts run in vector instructions."""
    for s in spans:
        if s.end - s.begin < FEW:
            for t in range(max(s.begin, s.first + n - 1), s.end):
                out[t] = place_among(x[t - n + 1 : t], x[t])
            continue
        gap = s.first - 1
        for t in range(max(s.first, s.begin - n + 1), s.end):
            now = x[t]
            if now != now:
                gap = t
            if t < s.begin or t - n < max(gap, s.first - 1):
                continue
            older = x[t - n + 1 : t]
            below = level = 0
            for i in range(len(older)):
                below += older[i] < now
                level += older[i] <= now
            out[t] = 50.0 * (below + level) / (n - 1.0)


@over_bars.function(
    "median",
    "Median",
    said="{n}-bar median",
    synonyms=("middle value",),
    inputs=(X,),
    parameters=(length(),),
    outputs=(SAME,),
    meaning="The middle one of the last n values of x in order; of an even number the mean of the two.",
    reading="A mean that a single wild bar can't move.",
    pitfalls="Rests for long and then moves at once.",
    formula="the value with as many below as above",
    source=PLAIN,
)
@kernel(warmup=lambda n: n - 1)
def median(spans, x, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(max(s.begin, s.first + n - 1), s.end):
            window = np.sort(x[t - n + 1 : t + 1])
            if window[n - 1] == window[n - 1]:
                low, high = window[(n - 1) // 2], window[n // 2]
                out[t] = low + 0.5 * (high - low)


over_bars.add(
    "zscore",
    "Z-score",
    said="distance of {x} from its {n}-bar mean in deviations",
    synonyms=(
        "z score",
        "z-score",
        "standard score",
    ),
    inputs=(X,),
    parameters=(length(default=20, low=2),),
    outputs=(Output(unit=NONE, levels=(-2, 2)),),
    body="(x - sma(x, n)) / stdev(x, n)",
    meaning="How many standard deviations x stands from its mean over n bars.",
    reading="Beyond ±2 is unusual by the window's own standard.",
    pitfalls="Market moves have fatter tails than a bell curve: 3 is seen far more often than "
    "tables of the bell curve say.",
    source="Standard score.",
)


@over_bars.function(
    "when_last",
    "Value when last",
    said="{x} when last {truth}",
    synonyms=(
        "value when last",
        "value at last",
    ),
    inputs=(TRUTH, X),
    outputs=(SAME,),
    meaning="x as it stood on the last bar on which the condition was yes.",
    reading="when_last(gap_percent > 3, open) is the open of the last gap.",
    pitfalls="Missing before the first yes, and after a bar where the condition is unknown.",
    formula="x at the last bar with yes",
    source=PLAIN,
)
@kernel(inputs=2, reach=None, resume=1, settles=True)
def when_last(spans, a, x, out):  # type: ignore[no-untyped-def]
    for s in spans:
        value = out[s.begin - 1] if s.begin > s.first else math.nan
        for t in range(s.begin, s.end):
            if a[t] == 1.0:
                value = x[t]
            elif a[t] != 0.0:
                value = math.nan
            out[t] = value
