"""Volume: how much changed hands, and on which side."""

from __future__ import annotations

import math

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import Family, Input, Kind, Output, length
from zealous_sieve.core.functions.sums import lost
from zealous_sieve.core.functions.units import MONEY, NONE, PRICE, RATIO, VOLUME

volume = Family("Volume")

volume.add(
    "rel_volume",
    "Relative volume",
    said="volume against its {n}-bar mean",
    synonyms=(
        "relative volume",
        "volume ratio",
        "rel vol",
        "rvol",
    ),
    parameters=(length(default=20),),
    outputs=(Output(unit=RATIO, levels=(1,)),),
    body="volume / prev(sma(volume, n))",
    meaning="This bar's volume against the mean of the n bars before it.",
    reading="Above 2 the bar drew a crowd; breakouts are trusted more with it.",
    pitfalls="Report days and expiries are busy whatever price does.",
    source="Plain arithmetic.",
)
volume.add(
    "dollar_volume",
    "Turnover",
    said="mean turnover of {n} bars",
    synonyms=(
        "turnover",
        "money volume",
        "value traded",
    ),
    parameters=(length(default=20),),
    outputs=(Output(unit=MONEY),),
    body="sma(close * volume, n)",
    meaning="The mean value traded a bar over n bars, in the instrument's currency.",
    reading="A floor on it keeps what can't be bought or sold in size out of a list.",
    pitfalls="In the instrument's own currency and without its point value.",
    source="Plain arithmetic.",
)


@volume.function(
    "obv",
    "On-balance volume",
    said="on-balance volume",
    synonyms=("on balance volume",),
    reads=("close", "volume"),
    outputs=(Output(unit=VOLUME),),
    meaning="Volume added up, plus on rising closes, minus on falling ones.",
    reading="Rising while price rests is taken as buying.",
    pitfalls="Its level depends on where the data begin: read its direction only.",
    formula="before ± volume by the sign of change(close), 0 on the first bar",
    source="J. E. Granville, 1963.",
)
@kernel(inputs=2, reach=None, resume=2)
def obv(spans, close, volume, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            if close[t] != close[t] or volume[t] != volume[t]:
                out[t] = math.nan
            elif t == s.first or out[t - 1] != out[t - 1]:
                out[t] = 0.0
            elif close[t] > close[t - 1]:
                out[t] = out[t - 1] + volume[t]
            elif close[t] < close[t - 1]:
                out[t] = out[t - 1] - volume[t]
            else:
                out[t] = out[t - 1]


volume.add(
    "cmf",
    "Money flow",
    said="{n}-bar money flow",
    parameters=(length(default=20),),
    outputs=(Output(unit=NONE, span=(-1, 1), levels=(0,)),),
    body="""place = if_then(high == low, 0, (2 * close - high - low) / (high - low))
clamp(sum(place * volume, n) / sum(volume, n), -1, 1)""",
    formula="""place = (2 · close - high - low) / (high - low), 0 on a bar without range
sum(place · volume, n) / sum(volume, n)""",
    meaning="Volume weighted by where in its range each bar closed, -1 to 1.",
    reading="Above zero closes near the high drew the volume.",
    pitfalls="Gaps are not seen: a bar that gaps down and closes at its high counts as buying.",
    source="M. Chaikin.",
)
volume.add(
    "mfi",
    "Money flow index",
    said="{n}-bar money flow index",
    parameters=(length(default=14),),
    outputs=(Output(unit=NONE, span=(0, 100), levels=(20, 80)),),
    body="""flow = hlc3 * volume
gain = sum(if_then(change(hlc3) > 0, flow, 0), n)
loss = sum(if_then(change(hlc3) < 0, flow, 0), n)
_percent_of(gain, gain + loss, 50)""",
    formula="""gain = sum of hlc3 · volume over those of n bars on which hlc3 rose, loss: on which it fell
100 · gain / (gain + loss), 50 where there was neither""",
    meaning="The share of turnover on rising bars in all turnover of n bars, 0 to 100.",
    reading="As relative strength, with volume in it.",
    pitfalls="One very busy bar rules it for n bars.",
    source="G. Quong and A. Soudack, 1989.",
)


@kernel(reach=None, resume=1)
def running_sum(spans, x, out):  # type: ignore[no-untyped-def]
    """All that came before added up; begins anew after a gap."""
    for s in spans:
        for t in range(s.begin, s.end):
            before = out[t - 1] if t > s.first else math.nan
            out[t] = x[t] + before if before == before else x[t]


@kernel(reach=2, dense=True, fills=True)
def begins(spans, a, out):  # type: ignore[no-untyped-def]
    """Yes where the truth is yes and was not on the bar before, also where there is none before."""
    for s in spans:
        for t in range(s.begin, s.end):
            out[t] = 1.0 if a[t] == 1.0 and (t == s.first or a[t - 1] != 1.0) else 0.0


volume.step("running_sum", inputs=1, outputs=(Output(unit="x0"),))
volume.step("begins", inputs=1, truths=(0,), outputs=(Output(kind=Kind.TRUTH),))
volume.add(
    "adl",
    "Accumulation line",
    said="accumulation line",
    outputs=(Output(unit=VOLUME),),
    body="_running_sum(if_then(high == low, 0, (2 * close - high - low) / (high - low)) * volume)",
    meaning="Volume added up, each bar's weighted by where in its range it closed.",
    reading="Rising while price rests is taken as buying.",
    pitfalls="Its level depends on where the data begin; gaps are not seen.",
    source="M. Chaikin.",
)
volume.add(
    "vwap",
    "VWAP",
    said="VWAP",
    synonyms=("volume weighted average price",),
    outputs=(Output(unit=PRICE),),
    body="_mean_since(first_bar, hlc3, volume).mean",
    formula="sum of hlc3 · volume / sum of volume, both from the session's first bar on",
    meaning="The mean price by volume since the session opened.",
    reading="Above it, those who bought today are ahead on the whole.",
    pitfalls="On bars of a day or more it is no more than the bar's own hlc3.",
    source="Volume-weighted mean price.",
)
volume.add(
    "cum_delta",
    "Cumulative delta",
    said="cumulative delta",
    synonyms=("cumulative delta",),
    outputs=(Output(unit=VOLUME, levels=(0,)),),
    body="_sum_since(first_bar, delta)",
    meaning="What buyers took at the offer less what sellers hit, added up since the session opened.",
    reading="Price that rises while it falls is lifted by few orders.",
    pitfalls="Needs trades with their sides; missing where the data hold none.",
    source="Trade counts by side, common in the trade.",
)
volume.add(
    "anchored_vwap",
    "Anchored VWAP",
    said="average price by volume from the last bar on which {truth}",
    inputs=(Input(name="truth", kind=Kind.TRUTH),),
    outputs=(Output(unit=PRICE),),
    body="_mean_since(_begins(truth), hlc3, volume).mean",
    line="_weighted_over(hlc3, volume, x + 1)",
    formula="sum of hlc3 · volume / sum of volume, both from the bar on which the condition became yes; "
    "from the first bar when it holds there",
    meaning="The mean price by volume since the condition last became yes, since a day in quotes, or "
    "from so many bars ago, as swing_low(5).bars.",
    reading='anchored_vwap("2026-03-02"): what those who came in since paid on average.',
    pitfalls="Missing before the condition has been yes once.",
    source="Volume-weighted mean price.",
)


@compiled
def spread(low, high, volume, t, tick):  # type: ignore[no-untyped-def]
    """The price steps at which a bar begins and is over, and its volume at each step between, which is
    missing where one of them is."""
    if low[t] != low[t] or high[t] != high[t]:
        return 0.0, 1.0, np.nan
    bottom, end = float(round(low[t] / tick)), round(high[t] / tick) + 1.0
    return bottom, end, volume[t] / (end - bottom)


@compiled
def step_by(book, count, edge, share, bars, uses):  # type: ignore[no-untyped-def]
    """Let the volume at each price step rise by ``share`` from ``edge`` on, and the number of bars there
    by ``bars``; ``uses`` is -1 to take that back.

    The edges stand in order, each once, with what rises there: a number, what rounding left over of it,
    and the bars. Returns how many edges there are.
    """
    edges, rises, rests, covers, used = book
    first, end = 0, count
    while first < end:
        middle = (first + end) // 2
        if edges[middle] < edge:
            first = middle + 1
        else:
            end = middle
    if first == count or edges[first] != edge:
        for k in range(count, first, -1):
            edges[k], rises[k], rests[k] = edges[k - 1], rises[k - 1], rests[k - 1]
            covers[k], used[k] = covers[k - 1], used[k - 1]
        edges[first], rises[first], rests[first], covers[first], used[first] = edge, 0.0, 0.0, 0, 0
        count += 1
    used[first] += uses
    if used[first] == 0:
        for k in range(first, count - 1):
            edges[k], rises[k], rests[k] = edges[k + 1], rises[k + 1], rests[k + 1]
            covers[k], used[k] = covers[k + 1], used[k + 1]
        return count - 1
    risen = rises[first] + share
    rests[first] += lost(rises[first], share, risen)
    rises[first] = risen
    covers[first] += bars
    return count


@compiled
def take_in(book, count, low, high, volume, t, tick, sign):  # type: ignore[no-untyped-def]
    """Let a bar come into the window or, with -1, leave it. Returns how many edges there are, and
    whether the bar is missing."""
    bottom, end, share = spread(low, high, volume, t, tick)
    if share != share:
        return count, 1
    count = step_by(book, count, bottom, sign * share, sign, sign)
    return step_by(book, count, end, -sign * share, -sign, sign), 0


@compiled
def heights(book, count, weights):  # type: ignore[no-untyped-def]
    """The volume at each price step between neighbouring edges; exactly none where no bar was."""
    _, rises, rests, covers, _ = book
    held, rest, bars = 0.0, 0.0, 0
    for k in range(count):
        risen = held + rises[k]
        rest += lost(held, rises[k], risen) + rests[k]
        held = risen
        bars += covers[k]
        weights[k] = held + rest if bars > 0 else 0.0


@compiled
def fullest(weights, count):  # type: ignore[no-untyped-def]
    """The stretch whose price steps hold most; the lowest of equals."""
    most = 0.0
    for k in range(count - 1):
        most = max(most, weights[k])
    for k in range(count - 1):
        if weights[k] >= most * (1.0 - 1e-12):
            return k
    return 0


@compiled
def stretch_end(edges, weights, count, first):  # type: ignore[no-untyped-def]
    """The first price step above a stretch and all that follow it with the same weight."""
    end = first + 1
    while end < count - 1 and abs(weights[end] - weights[first]) <= 1e-12 * weights[first]:
        end += 1
    return edges[end]


@compiled
def value_area(edges, weights, count, point, share):  # type: ignore[no-untyped-def]
    """From one price step outwards, always to the fuller neighbour (the upper of equals), until so
    much of all volume is within. Returns the lowest and highest step."""
    total = 0.0
    for k in range(count - 1):
        total += weights[k] * (edges[k + 1] - edges[k])
    here = 0
    while edges[here + 1] <= point:
        here += 1
    low = high = point
    up, down, within = here, here, weights[here]
    while within < share * total * (1.0 - 1e-12):
        while up < count - 1 and edges[up + 1] <= high + 1.0:
            up += 1
        while down > 0 and edges[down] > low - 1.0:
            down -= 1
        above = weights[up] if up < count - 1 else -1.0
        below = weights[down] if edges[0] <= low - 1.0 else -1.0
        if above < 0.0 and below < 0.0:
            break
        upward = above >= below * (1.0 - 1e-9)
        room = edges[up + 1] - 1.0 - high if upward else low - edges[down]
        each = above if upward else below
        steps = room
        if each > 0.0:
            steps = min(room, max(1.0, math.ceil((share * total - within) / each - 1e-9)))
        if upward:
            high += steps
        else:
            low -= steps
        within += steps * each
    return low, high


@volume.function(
    "profile",
    "Volume profile",
    synonyms=(
        "volume profile",
        "volume at price",
    ),
    reads=("high", "low", "volume", "_tick"),
    parameters=(length(default=20, low=2),),
    outputs=(
        Output(name="poc", said="price of most volume over {n} bars", unit=PRICE),
        Output(name="value_high", said="top of the value area of {n} bars", unit=PRICE),
        Output(name="value_low", said="bottom of the value area of {n} bars", unit=PRICE),
    ),
    formula="volume of the last n bars spread evenly over the price steps of each bar's range; .poc "
    "the step that holds most (the middle, where several neighbours do), .value_high and .value_low "
    "the ends of the area around it with 70 % of the volume",
    meaning="At which prices the volume of the last n bars was done.",
    reading="Price tends to rest at the point of control, and to move fast through empty steps.",
    pitfalls="Inside a bar nobody knows where the volume was: it is spread evenly.",
    source="J. P. Steidlmayer, 1984; the spread over the range is ours.",
)
@kernel(inputs=4, outputs=3, warmup=lambda n: n - 1)
def profile(spans, high, low, volume, tick, n, poc, value_high, value_low):  # type: ignore[no-untyped-def]
    weights = np.empty(2 * n + 1)
    numbers, counts = np.empty((3, 2 * n + 1)), np.empty((2, 2 * n + 1), np.int64)
    book = (numbers[0], numbers[1], numbers[2], counts[0], counts[1])
    edges = book[0]
    for s in spans:
        count, missing, step = 0, 0, np.nan
        for t in range(max(s.begin, s.first + n - 1), s.end):
            if step == tick[t]:
                count, gap = take_in(book, count, low, high, volume, t - n, step, -1)
                missing -= gap
            fresh = t if step == tick[t] else t - n + 1
            if step != tick[t]:
                count, missing, step = 0, 0, tick[t]
            for i in range(fresh, t + 1):
                count, gap = take_in(book, count, low, high, volume, i, step, 1)
                missing += gap
            if missing > 0 or step != step:
                continue
            heights(book, count, weights)
            best = fullest(weights, count)
            if weights[best] == 0.0:
                continue
            end = stretch_end(edges, weights, count, best)
            point = math.floor((edges[best] + end - 1.0) / 2.0)
            bottom, top = value_area(edges, weights, count, point, 0.7)
            poc[t], value_high[t], value_low[t] = point * step, top * step, bottom * step
