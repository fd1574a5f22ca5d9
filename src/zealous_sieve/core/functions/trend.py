"""Trend: whether price is going somewhere, where, and how directly."""

from __future__ import annotations

import math

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel, second
from zealous_sieve.core.functions.specification import (
    OF_CLOSE,
    Family,
    Output,
    factor,
    length,
    states,
)
from zealous_sieve.core.functions.units import NONE, PRICE, RATIO

trend = Family("Trend")
WILDER = "J. W. Wilder, New Concepts in Technical Trading Systems, 1978."


@kernel(inputs=2, outputs=2, warmup=1, dense=True)
def directional_movement(spans, high, low, plus, minus):  # type: ignore[no-untyped-def]
    """The larger of the two moves beyond the bar before, the other zero."""
    for s in spans:
        begin = max(second(s, plus), second(s, minus))
        top, bottom = high[begin : s.end], low[begin : s.end]
        top_before, bottom_before = high[begin - 1 : s.end - 1], low[begin - 1 : s.end - 1]
        ups, downs = plus[begin : s.end], minus[begin : s.end]
        for i in range(len(ups)):
            up, down = top[i] - top_before[i], bottom_before[i] - bottom[i]
            missing = 0.0 * (up + down)
            ups[i] = (up if (up > down) & (up > 0.0) else 0.0) + missing
            downs[i] = (down if (down > up) & (down > 0.0) else 0.0) + missing


trend.step(
    "directional_movement",
    inputs=2,
    outputs=(Output(name="plus", unit=PRICE), Output(name="minus", unit=PRICE)),
)
trend.add(
    "adx",
    "ADX",
    synonyms=(
        "trend strength",
        "directional index",
        "average directional index",
    ),
    parameters=(length(default=14),),
    outputs=(
        Output(name="adx", said="{n}-bar ADX", unit=NONE, span=(0, 100), levels=(20, 40)),
        Output(name="plus_di", said="upward line of the {n}-bar ADX", unit=NONE, span=(0, 100)),
        Output(name="minus_di", said="downward line of the {n}-bar ADX", unit=NONE, span=(0, 100)),
    ),
    body="""moves = _directional_movement(high, low)
up = wilder(moves.plus, n)
down = wilder(moves.minus, n)
still = true_range == 0
show adx = wilder(abs(_held(_balance(up, down), still)), n)
show plus_di = _held(_percent_of(up, atr(n), 0), still)
show minus_di = _held(_percent_of(down, atr(n), 0), still)""",
    formula="""up = the move above the high before, where it is the larger one, else 0; down likewise
plus_di = 100 · wilder(up, n) / atr(n), minus_di = 100 · wilder(down, n) / atr(n)
adx = wilder(100 · |plus_di - minus_di| / (plus_di + minus_di), n)
each quotient 0 where nothing moved""",
    meaning="How one-sided the movement is (adx), and the strength of each side (the two lines).",
    reading="Above 25 a trend is under way, below 20 there is none; the larger line has the say.",
    pitfalls="Says nothing of the direction by itself, and falls only well after a trend has ended.",
    source=WILDER,
)


@compiled
def tightened(top, bottom, now, side, roof, floor, before):  # type: ignore[no-untyped-def]
    """The side and bands of a bar with the bands ``top`` and ``bottom`` and the close ``now``, from those
    of the bar before. Where one is missing the bands are, and the side is up again."""
    missing = (top != top) | (bottom != bottom) | (now != now)
    top = roof if (top > roof) & (before <= roof) else top
    bottom = floor if (bottom < floor) & (before >= floor) else bottom
    stays, turns = -1.0 if now < bottom else 1.0, 1.0 if now > top else -1.0
    side = stays if side > 0.0 else turns
    top, bottom = math.nan if missing else top, math.nan if missing else bottom
    return 1.0 if missing else side, top, bottom


@kernel(inputs=3, outputs=3, reach=None, resume=2, dense=True)
def ratchet(spans, high, low, close, direction, upper, lower):  # type: ignore[no-untyped-def]
    """Bands that only tighten while price stays inside, and the side price last broke out of."""
    for s in spans:
        side, roof, floor, before = 1.0, math.nan, math.nan, math.nan
        if s.begin > s.first:
            t = s.begin - 1
            roof, floor, before = upper[t], lower[t], close[t]
            side = -1.0 if direction[t] < 0.0 else 1.0
        bars = slice(s.begin, s.end)
        high_, low_, close_ = high[bars], low[bars], close[bars]
        direction_, upper_, lower_ = direction[bars], upper[bars], lower[bars]
        for t in range(len(high_)):
            now = close_[t]
            side, roof, floor = tightened(high_[t], low_[t], now, side, roof, floor, before)
            upper_[t], lower_[t], before = roof, floor, now
            direction_[t] = side if roof == roof else math.nan


trend.step(
    "ratchet",
    inputs=3,
    outputs=(
        Output(name="direction", unit=NONE),
        Output(name="upper", unit=PRICE),
        Output(name="lower", unit=PRICE),
    ),
)
trend.add(
    "supertrend",
    "Range trend line",
    said="range trend line ({n}, {multiple})",
    parameters=(length(default=10), factor("multiple", 3)),
    outputs=(
        Output(name="line", said="range trend line ({n}, {multiple})", unit=PRICE),
        Output(
            name="direction",
            said="direction of the range trend line ({n}, {multiple})",
            states=states("the range trend line ({n}, {multiple})", "point", "up", "down"),
            unit=NONE,
            span=(-1, 1),
            levels=(0,),
        ),
    ),
    body="""width = multiple * atr(n)
bands = _ratchet(hl2 + width, hl2 - width, close)
show line = if_then(bands.direction > 0, bands.lower, bands.upper)
show direction = bands.direction""",
    formula="bands hl2 ± multiple · atr(n), each only tightening while price stays within; the "
    "direction turns on a close beyond the opposite band; line is the band on the trend's far side",
    meaning="A trailing line some multiples of the ATR from price, and the side price is on: +1 or -1.",
    reading="A line to trail a stop along; the direction is a plain filter.",
    pitfalls="Turns back and forth in a range; the multiple decides nearly everything.",
    source="O. Seban.",
)
trend.add(
    "donchian",
    "Range channel",
    said="{n}-bar channel",
    synonyms=(
        "range channel",
        "price channel",
    ),
    parameters=(length(default=20),),
    outputs=(
        Output(name="upper", said="top of the {n}-bar channel", unit=PRICE),
        Output(name="middle", unit=PRICE),
        Output(name="lower", said="bottom of the {n}-bar channel", unit=PRICE),
    ),
    body="""show upper = highest(high, n)
show lower = lowest(low, n)
show middle = (upper + lower) / 2""",
    meaning="The highest high and lowest low of n bars, and their middle.",
    reading="A close beyond the channel of the bar before is a breakout.",
    pitfalls="The present bar is inside: compare with prev(donchian(n).upper).",
    source="R. Donchian.",
)
trend.add(
    "aroon",
    "Aroon",
    parameters=(length(default=25),),
    outputs=(
        Output(name="up", said="{n}-bar Aroon up", unit=NONE, span=(0, 100), levels=(30, 70)),
        Output(name="down", said="{n}-bar Aroon down", unit=NONE, span=(0, 100), levels=(30, 70)),
        Output(
            name="oscillator",
            said="{n}-bar Aroon oscillator",
            unit=NONE,
            span=(-100, 100),
            levels=(0,),
        ),
    ),
    body="""show up = 100 * (n - highest_bars(high, n + 1)) / n
show down = 100 * (n - lowest_bars(low, n + 1)) / n
show oscillator = up - down""",
    meaning="How recent the highest high and the lowest low of n + 1 bars are: 100 is now.",
    reading="One line high and the other low is a trend; both low is a rest.",
    pitfalls="Jumps when an old extreme leaves the window.",
    source="T. S. Chande, 1995.",
)
trend.add(
    "efficiency",
    "Efficiency ratio",
    said="{n}-bar efficiency",
    inputs=(OF_CLOSE,),
    parameters=(length(default=10),),
    outputs=(Output(unit=RATIO, span=(0, 1), levels=(0.3,)),),
    body="min(abs(x - ago(x, n)) / sum(abs(change(x)), n), 1)",
    formula="abs(x - ago(x, n)) / sum(abs(change(x)), n)",
    meaning="How much of the path walked over n bars was ground gained: 1 is a straight line.",
    reading="Above 0.5 a clean trend, below 0.2 noise.",
    pitfalls="Depends strongly on n; missing when nothing moved.",
    source="P. J. Kaufman, Smarter Trading, 1995.",
)
trend.add(
    "choppiness",
    "Choppiness",
    said="{n}-bar choppiness",
    parameters=(length(default=14, low=2),),
    outputs=(Output(unit=NONE, span=(0, 100), levels=(38.2, 61.8)),),
    body="100 * log(sum(true_range, n) / (highest(high, n) - lowest(low, n))) / log(n)",
    meaning="How much ranges overlap: 100 when every bar covers the same ground.",
    reading="Above 61.8 price goes nowhere, below 38.2 it is on its way.",
    pitfalls="High values say nothing about which way it will end.",
    source="E. W. Dreiss.",
)
trend.add(
    "vortex",
    "Vortex",
    parameters=(length(default=14),),
    outputs=(
        Output(name="plus", said="{n}-bar upward vortex", unit=RATIO, levels=(1,)),
        Output(name="minus", said="{n}-bar downward vortex", unit=RATIO),
    ),
    body="""reach = sum(true_range, n)
show plus = sum(abs(high - prev(low)), n) / reach
show minus = sum(abs(low - prev(high)), n) / reach""",
    meaning="The way from low to next high, and from high to next low, over the true range.",
    reading="The larger line has the say; their crossing is a change of direction.",
    pitfalls="Crosses often in a range.",
    source="E. Botes and D. Siepman, 2010.",
)


@kernel(inputs=2, outputs=4, warmup=1, reach=None, resume=3)
def parabolic(spans, high, low, step, cap, value, direction, extreme, pace):  # type: ignore[no-untyped-def]
    """A stop that draws nearer with every new extreme, and turns over when it is touched."""
    for s in spans:
        for t in range(max(s.begin, s.first + 1), s.end):
            h, lo, h1, lo1 = high[t], low[t], high[t - 1], low[t - 1]
            if h != h or lo != lo or h1 != h1 or lo1 != lo1:
                continue
            if direction[t - 1] != direction[t - 1]:
                up = h + lo >= h1 + lo1
                direction[t] = 1.0 if up else -1.0
                value[t] = min(lo, lo1) if up else max(h, h1)
                extreme[t] = max(h, h1) if up else min(lo, lo1)
                pace[t] = step
                continue
            side, stop = direction[t - 1], value[t - 1]
            best, speed = extreme[t - 1], pace[t - 1]
            stop += speed * (best - stop)
            two = t - 2 >= s.first and high[t - 2] == high[t - 2]
            if side > 0.0:
                stop = min(stop, lo1)
                if two:
                    stop = min(stop, low[t - 2])
                if lo <= stop:
                    side, stop, best, speed = -1.0, max(best, h), lo, step
                elif h > best:
                    best, speed = h, min(cap, speed + step)
            else:
                stop = max(stop, h1)
                if two:
                    stop = max(stop, high[t - 2])
                if h >= stop:
                    side, stop, best, speed = 1.0, min(best, lo), h, step
                elif lo < best:
                    best, speed = lo, min(cap, speed + step)
            value[t], direction[t], extreme[t], pace[t] = stop, side, best, speed


trend.step(
    "parabolic",
    inputs=2,
    parameters=(factor("step", 0.02), factor("cap", 0.2)),
    outputs=(
        Output(name="value", unit=PRICE),
        Output(name="direction", unit=NONE),
        Output(name="extreme", unit=PRICE),
        Output(name="pace", unit=NONE),
    ),
)
trend.add(
    "sar",
    "Parabolic stop",
    parameters=(factor("step", 0.02, low=0.001, high=1), factor("cap", 0.2, low=0.001, high=1)),
    outputs=(
        Output(name="value", said="parabolic stop", unit=PRICE),
        Output(
            name="direction",
            said="direction of the parabolic stop",
            states=states("the parabolic stop", "point", "up", "down"),
            unit=NONE,
            span=(-1, 1),
            levels=(0,),
        ),
    ),
    body="""stop = _parabolic(high, low, step, cap)
show value = stop.value
show direction = stop.direction""",
    formula="stop + pace · (extreme - stop), never inside the last two bars; pace grows by step with "
    "each new extreme, up to cap; a touch turns it over to the extreme, this bar's included",
    meaning="A stop that accelerates towards price, and the side price is on.",
    reading="A place for a trailing stop in a trend.",
    pitfalls="Turns over on every touch: in a range it loses steadily.",
    source=WILDER,
)
trend.add(
    "ichimoku",
    "Cloud",
    parameters=(length("short", 9), length("middle", 26), length("long", 52)),
    outputs=(
        Output(name="conversion", said="conversion line of {short} bars", unit=PRICE),
        Output(name="base", said="base line of {middle} bars", unit=PRICE),
        Output(name="span_a", said="first edge of the cloud", unit=PRICE),
        Output(name="span_b", said="second edge of the cloud", unit=PRICE),
        Output(name="lagging", said="lagging close", unit=PRICE),
    ),
    body="""show conversion = (highest(high, short) + lowest(low, short)) / 2
show base = (highest(high, middle) + lowest(low, middle)) / 2
show span_a = ago((conversion + base) / 2, middle)
show span_b = ago((highest(high, long) + lowest(low, long)) / 2, middle)
show lagging = close""",
    meaning="Middles of three ranges; the spans are those that stand at the bar, computed earlier.",
    reading="Above both spans is strong, below both weak, between them undecided.",
    pitfalls="The lagging line is the close itself: compare it with ago(close, middle), as no bar "
    "may see what comes after it.",
    source="G. Hosoda, 1969.",
)
