"""Structure: swings and what is built on them. Everything exists from its confirming bar only."""

from __future__ import annotations

import math
import re

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import (
    OF_CLOSE,
    Family,
    Input,
    Kind,
    Output,
    Parameter,
    factor,
    length,
    states,
)
from zealous_sieve.core.functions.units import BARS, NONE, PERCENT, PRICE

structure = Family("Structure")
OURS = "Our own definition, of a measure common in the trade."
SWING = length(default=3)
MOST_SWINGS = 60
"""So many of the latest swings are looked at for levels."""


@compiled
def is_swing(x, first, bar, n, sign):  # type: ignore[no-untyped-def]
    """True when sign·x at a bar is strictly beyond n bars on both sides."""
    if bar - n < first or x[bar] != x[bar]:
        return False
    for k in range(1, n + 1):
        for other in (x[bar - k], x[bar + k]):
            if other != other or sign * other >= sign * x[bar]:
                return False
    return True


@kernel(
    inputs=2, outputs=4, warmup=lambda n, sign: 2 * n, reach=None, resume=lambda n, sign: 2 * n + 1
)
def swings(spans, x, y, n, sign, price, bars, price_before, bars_before):  # type: ignore[no-untyped-def]
    """The last two confirmed swings of x: y at them, and how many bars ago they stood."""
    for s in spans:
        for t in range(s.begin, s.end):
            if t > s.first:
                price[t], bars[t] = price[t - 1], bars[t - 1] + 1.0
                price_before[t], bars_before[t] = price_before[t - 1], bars_before[t - 1] + 1.0
            if t - n >= s.first and is_swing(x, s.first, t - n, n, sign):
                price_before[t], bars_before[t] = price[t], bars[t]
                price[t], bars[t] = y[t - n], float(n)


_SIGN_PARAMETER = factor("sign", 1, low=-1, high=1)
structure.step(
    "swings",
    inputs=2,
    parameters=(length(), _SIGN_PARAMETER),
    outputs=(
        Output(name="price", unit="x1"),
        Output(name="bars", unit=BARS),
        Output(name="price_before", unit="x1"),
        Output(name="bars_before", unit=BARS),
    ),
)


_SWINGS = """turn = _swings({source}, {source}, n, {sign})
show price = turn.price
show bars = turn.bars
show before = turn.price_before
show bars_before = turn.bars_before"""


def _on_x(body: str) -> str:
    """A body on the bars' prices as one on a series ``x``."""
    return re.sub(r"(?<!show )\b(?:high|low|close)\b(?! =)", "x", body)


def _swing(name: str, label: str, source: str, sign: int, words: tuple[str, str]) -> None:
    word, other = words
    structure.add(
        name,
        label,
        said=f"last swing {word}",
        synonyms=(f"last swing {word}", other),
        parameters=(SWING,),
        outputs=(
            Output(name="price", unit=PRICE, said=f"last swing {word}"),
            Output(name="bars", unit=BARS, said=f"number of bars since the last swing {word}"),
            Output(name="before", unit=PRICE, said=f"swing {word} before the last"),
            Output(
                name="bars_before",
                unit=BARS,
                said=f"number of bars since the swing {word} before the last",
            ),
        ),
        body=_SWINGS.format(source=source, sign=sign),
        line=_SWINGS.format(source="x", sign=sign),
        formula=f"the last {source} strictly beyond the {source}s of n bars on both sides, from "
        "the bar that confirms it; .before the one before it; of another series where one is given",
        meaning=f"The last confirmed swing {word}: its price, and how many bars ago it stood.",
        reading="Where price turned before is where it may turn again; stops lie beyond it.",
        pitfalls="Known only n bars after it stood. Equal extremes side by side are no swing.",
        source=OURS,
    )


_swing("swing_high", "Swing high", "high", 1, ("high", "peak"))
_swing("swing_low", "Swing low", "low", -1, ("low", "trough"))
structure.add(
    "fractal_bands",
    "Swing bands",
    parameters=(length(default=2),),
    outputs=(
        Output(name="upper", said="line of the last swing high", unit=PRICE),
        Output(name="lower", said="line of the last swing low", unit=PRICE),
    ),
    body="show upper = swing_high(n).price\nshow lower = swing_low(n).price",
    meaning="The last confirmed swing high and swing low as two lines.",
    reading="A close beyond a line breaks the last structure.",
    pitfalls="The lines jump when a new swing is confirmed.",
    source=OURS,
)
_SWING_TREND = """top = _swings(high, high, n, 1)
bottom = _swings(low, low, n, -1)
up = top.price > top.price_before and bottom.price > bottom.price_before
down = top.price < top.price_before and bottom.price < bottom.price_before
if_then(up, 1, if_then(down, -1, 0))"""
structure.add(
    "swing_trend",
    "Swing trend",
    said="trend of the swings",
    parameters=(SWING,),
    outputs=(
        Output(
            unit=NONE,
            span=(-1, 1),
            levels=(0,),
            states=states("the trend of the swings", "point", "up", "down"),
        ),
    ),
    body=_SWING_TREND,
    line=_on_x(_SWING_TREND),
    meaning="1 while the last swings make higher highs and higher lows, -1 for lower ones, else 0.",
    reading="The plainest definition of a trend.",
    pitfalls="Turns late, since swings are confirmed late.",
    source="After C. H. Dow.",
)
_RETRACEMENT = """top = _swings(high, high, n, 1)
bottom = _swings(low, low, n, -1)
rose = top.bars < bottom.bars
end = if_then(rose, top.price, bottom.price)
leg = end - if_then(rose, bottom.price, top.price)
show percent = 100 * (end - close) / leg
show r236 = end - 0.236 * leg
show r382 = end - 0.382 * leg
show r50 = end - 0.5 * leg
show r618 = end - 0.618 * leg"""
structure.add(
    "retracement",
    "Retracement",
    parameters=(SWING,),
    outputs=(
        Output(
            name="percent",
            said="share of the last swing given back",
            unit=PERCENT,
            levels=(38.2, 50, 61.8),
        ),
        *(
            Output(
                name=f"r{level}",
                said=f"price with {share} % of the last swing given back",
                unit=PRICE,
            )
            for level, share in ((236, 23.6), (382, 38.2), (50, 50), (618, 61.8))
        ),
    ),
    body=_RETRACEMENT,
    line=_on_x(_RETRACEMENT),
    meaning="How much of the last swing leg has been given back, and the prices of usual shares.",
    reading="Shallow pullbacks speak for the leg's direction; beyond 61.8 it is in doubt.",
    pitfalls="Which leg is the last depends on n.",
    source="Shares after the ratios of Fibonacci numbers, in trading use since the 1930s.",
)


@kernel(inputs=1, outputs=2, warmup=lambda n, sign: 2 * n, reach=None)
def line_through(spans, x, n, sign, value, slope):  # type: ignore[no-untyped-def]
    """The line through the last two confirmed swings of x, carried forward."""
    for s in spans:
        last = before = -1
        for t in range(s.first, s.end):
            if t - n >= s.first and is_swing(x, s.first, t - n, n, sign):
                before, last = last, t - n
            if before >= 0:
                slope[t] = (x[last] - x[before]) / (last - before)
                value[t] = x[last] + slope[t] * (t - last)


structure.step(
    "line_through",
    inputs=1,
    parameters=(length(), _SIGN_PARAMETER),
    outputs=(Output(unit="x0"), Output(name="slope", unit="x0")),
)
_TREND_LINE = """floor_line = _line_through(low, n, -1)
roof_line = _line_through(high, n, 1)
show up = floor_line.value
show down = roof_line.value
show up_slope = floor_line.slope
show down_slope = roof_line.slope"""
structure.add(
    "trend_line",
    "Trend line",
    parameters=(SWING,),
    outputs=(
        Output(name="up", said="rising line under the swing lows", unit=PRICE),
        Output(name="down", said="falling line over the swing highs", unit=PRICE),
        Output(name="up_slope", said="slope of the line under the swing lows", unit=PRICE),
        Output(name="down_slope", said="slope of the line over the swing highs", unit=PRICE),
    ),
    body=_TREND_LINE,
    line=_on_x(_TREND_LINE),
    formula="up: through the last two confirmed swing lows; down: through the last two swing highs; "
    "both carried forward; slopes in price a bar",
    meaning="Straight lines through the last two swing lows (up) and swing highs (down).",
    reading="A close through the line against its slope is taken as the end of the move.",
    pitfalls="Two points always make a line; its worth is in the touches that follow.",
    source=OURS,
)


@kernel(inputs=4, outputs=5, warmup=lambda n, most: 2 * n, reach=None)
def diverging(  # type: ignore[no-untyped-def]
    spans,
    high,
    low,
    at_top,
    at_bottom,
    n,
    most,
    bearish,
    bullish,
    hidden_bearish,
    hidden_bullish,
    bars,
):
    """Swings of price against another series at the same bars, on the confirming bar."""
    for s in spans:
        top = bottom = -1
        begins = False
        for t in range(s.first + 2 * n, s.end):
            if t > s.first:
                bars[t] = bars[t - 1]
            both = at_top[t - 2 * n] + at_bottom[t - 2 * n]
            begins |= both == both
            if begins:
                bearish[t] = bullish[t] = hidden_bearish[t] = hidden_bullish[t] = 0.0
            bar = t - n
            if is_swing(high, s.first, bar, n, 1.0):
                if top >= 0 and bar - top <= most:
                    further = 1.0 if high[bar] > high[top] else -1.0 * (high[bar] < high[top])
                    bearish[t], hidden_bearish[t] = apart(further, at_top[bar] - at_top[top])
                    if bearish[t] + hidden_bearish[t] > 0.0:
                        bars[t] = bar - top
                top = bar
            if is_swing(low, s.first, bar, n, -1.0):
                if bottom >= 0 and bar - bottom <= most:
                    further = 1.0 if low[bar] < low[bottom] else -1.0 * (low[bar] > low[bottom])
                    bullish[t], hidden_bullish[t] = apart(
                        further, at_bottom[bottom] - at_bottom[bar]
                    )
                    if bullish[t] + hidden_bullish[t] > 0.0:
                        bars[t] = bar - bottom
                bottom = bar


@compiled
def apart(further, other):  # type: ignore[no-untyped-def]
    """Whether price went further (1) while the other series fell behind, and less far (-1) while the
    other went further; missing where the other is."""
    if other != other:
        return math.nan, math.nan
    return 1.0 * (further > 0.0 and other < 0.0), 1.0 * (further < 0.0 and other > 0.0)


_DIVERGENCES = tuple(
    Output(
        name=name,
        said=f"a {name.replace('_', ' ')} divergence from {{the_x}} shows"
        f"|no {name.replace('_', ' ')} divergence from {{the_x}} shows",
        kind=Kind.TRUTH,
    )
    for name in ("bearish", "bullish", "hidden_bearish", "hidden_bullish")
)
structure.step(
    "diverging",
    inputs=4,
    parameters=(length(), length("most")),
    outputs=(*_DIVERGENCES, Output(name="bars", unit=BARS)),
)
structure.add(
    "divergence",
    "Divergence",
    inputs=(OF_CLOSE,),
    parameters=(length(default=5), length("max_bars", 60)),
    outputs=(
        *_DIVERGENCES,
        Output(name="bars", said="number of bars between the swings of the divergence", unit=BARS),
        *(
            Output(
                name=f"{side}_holds",
                said=f"a {side} divergence from {{the_x}} still holds"
                f"|no {side} divergence from {{the_x}} holds",
                kind=Kind.TRUTH,
            )
            for side in ("bearish", "bullish")
        ),
    ),
    body="""found = _diverging(high, low, x, x, n, max_bars)
show bearish = found.bearish
show bullish = found.bullish
show hidden_bearish = found.hidden_bearish
show hidden_bullish = found.hidden_bullish
show bars = found.bars
show bearish_holds = found.bearish until high > _swings(high, high, n, 1).price
show bullish_holds = found.bullish until low < _swings(low, low, n, -1).price""",
    formula="bearish: a swing high above the one before, with x lower at it; bullish: a swing low "
    "below the one before, with x higher; hidden: the other way round; on the confirming bar; "
    ".bearish_holds and .bullish_holds: from there until price goes beyond the swing",
    meaning="Price makes a further swing that x does not follow; .bars is the distance of the two.",
    reading="divergence(rsi(14), 5, 60).bearish in last 3 bars: momentum did not confirm the high.",
    pitfalls="In a strong trend it comes again and again, and is wrong until the last time.",
    source=OURS,
)


@kernel(inputs=2, warmup=lambda n, sign: 2 * n, reach=None)
def pushing(spans, x, y, n, sign, out):  # type: ignore[no-untyped-def]
    """How many swings of x in a row went further with y falling behind."""
    for s in spans:
        last, count, begins = -1, 0.0, False
        for t in range(s.first + 2 * n, s.end):
            bar = t - n
            if is_swing(x, s.first, bar, n, sign) and y[bar] == y[bar]:
                further = last >= 0 and sign * x[bar] > sign * x[last]
                weaker = last >= 0 and sign * y[bar] < sign * y[last]
                count = count + 1.0 if further and weaker else 1.0
                last = bar
            begins |= y[t - 2 * n] == y[t - 2 * n]
            if begins:
                out[t] = count


structure.step(
    "pushing", inputs=2, parameters=(length(), _SIGN_PARAMETER), outputs=(Output(unit=NONE),)
)
structure.add(
    "pushes",
    "Pushes",
    inputs=(Input(name="x", default="bollinger(close, 20, 2).percent_b"),),
    parameters=(SWING,),
    outputs=(
        Output(name="high", said="number of pushes to new highs", unit=NONE),
        Output(name="low", said="number of pushes to new lows", unit=NONE),
    ),
    body="""show high = _pushing(high, x, n, 1)
show low = _pushing(low, x, n, -1)""",
    formula="swing highs in a row, each higher than the last with x lower at it; swing lows in a row, each "
    "lower with x higher",
    meaning="How many times in a row price went further while x fell behind: by default its place within "
    "the Bollinger bands, else any oscillator, or the place within any bands.",
    reading="Three pushes with a falling bandwidth are the classic tired top or bottom.",
    pitfalls="Left out, x is the place in the bands of 20 bars and two deviations, whatever n is.",
    source="After J. Bollinger.",
)


@kernel(inputs=3, outputs=3, warmup=lambda n, tolerance: 2 * n, reach=None)
def clusters(spans, high, low, close, n, tolerance, resistance, support, touches):  # type: ignore[no-untyped-def]
    """Swing prices that lie together: the nearest group above and below the close."""
    prices = np.empty(MOST_SWINGS)
    for s in spans:
        count = 0
        for t in range(s.first + 2 * n, s.end):
            for sign in (1.0, -1.0):
                x = high if sign > 0.0 else low
                if is_swing(x, s.first, t - n, n, sign):
                    prices[count % MOST_SWINGS] = x[t - n]
                    count += 1
            if close[t] != close[t]:
                continue
            above, below = math.inf, -math.inf
            size = min(count, MOST_SWINGS)
            for i in range(size):
                if prices[i] > close[t]:
                    above = min(above, prices[i])
                elif prices[i] < close[t]:
                    below = max(below, prices[i])
            up = down = 0
            total_up = total_down = 0.0
            for i in range(size):
                if abs(prices[i] - above) <= tolerance / 100.0 * above and prices[i] > close[t]:
                    up += 1
                    total_up += prices[i]
                if abs(prices[i] - below) <= tolerance / 100.0 * below and prices[i] < close[t]:
                    down += 1
                    total_down += prices[i]
            if up > 0:
                resistance[t] = total_up / up
            if down > 0:
                support[t] = total_down / down
            nearer_up = up > 0 and (down == 0 or above - close[t] < close[t] - below)
            touches[t] = up if nearer_up else down


structure.step(
    "clusters",
    inputs=3,
    parameters=(length(), factor("tolerance", 1)),
    outputs=(
        Output(name="resistance", unit=PRICE),
        Output(name="support", unit=PRICE),
        Output(name="touches", unit=NONE),
    ),
)
_NEAR = """near = _clusters(high, low, close, n, tolerance)
show resistance = near.resistance
show support = near.support
show touches = near.touches"""
structure.add(
    "levels",
    "Levels",
    parameters=(length(default=5), factor("tolerance", 1, low=0.01, high=20)),
    outputs=(
        Output(name="resistance", said="nearest resistance", unit=PRICE),
        Output(name="support", said="nearest support", unit=PRICE),
        Output(name="touches", said="number of touches of the nearest level", unit=NONE),
    ),
    body=_NEAR,
    line=_on_x(_NEAR),
    formula=f"of the last {MOST_SWINGS} swing prices: the mean of those above the close that lie "
    "within tolerance percent of the nearest one; support likewise below; touches of the nearer",
    meaning="The nearest groups of swing prices above and below, and how many swings made the nearer.",
    reading="Room to the next level is room for the trade.",
    pitfalls="A level is an area; a tolerance too small makes a level of every swing.",
    source=OURS,
)
structure.add(
    "round_level",
    "Round level",
    parameters=(factor("step", 10, low=0.0001, high=1_000_000),),
    outputs=(
        Output(name="above", said="round level above", unit=PRICE),
        Output(name="below", said="round level below", unit=PRICE),
    ),
    body="""show above = close * 0 + (floor(close / step) + 1) * step
show below = close * 0 + (ceil(close / step) - 1) * step""",
    formula="the next multiples of step strictly above and below the close",
    meaning="The nearest round prices above and below.",
    reading="Orders gather there.",
    pitfalls="What is round depends on the instrument.",
    source="Plain arithmetic.",
)


@kernel(inputs=3, warmup=lambda n, tolerance, sign: 2 * n, reach=None)
def doubled(spans, far, near, close, n, tolerance, sign, out):  # type: ignore[no-untyped-def]
    """Two swings of like price, and the first close beyond the turn between them."""
    for s in spans:
        last = before = -1
        neck = math.nan
        for t in range(s.first + 2 * n, s.end):
            out[t] = 0.0
            if is_swing(far, s.first, t - n, n, sign):
                before, last = last, t - n
                neck = math.nan
                if before >= 0 and abs(far[last] - far[before]) <= tolerance / 100.0 * far[before]:
                    neck = near[before]
                    for u in range(before, last + 1):
                        if sign * near[u] < sign * neck:
                            neck = near[u]
            if neck == neck and sign * close[t] < sign * neck:
                out[t] = 1.0
                neck = math.nan


structure.step(
    "doubled",
    inputs=3,
    parameters=(length(), factor("tolerance", 1), _SIGN_PARAMETER),
    outputs=(Output(kind=Kind.TRUTH),),
)


def _double(name: str, label: str, body: str, words: tuple[str, str]) -> None:
    what, turn = words
    structure.add(
        name,
        label,
        parameters=(factor("tolerance", 1.5, low=0.01, high=20), length(default=5)),
        outputs=(Output(kind=Kind.TRUTH),),
        body=body,
        line=_on_x(body),
        said=f"a {label.lower()} is complete|no {label.lower()} is complete",
        formula=f"two swing {what}s in a row within tolerance percent, then the first close beyond "
        f"the {turn} between them",
        meaning=f"Two {what}s at one price, and now a close beyond the {turn} between them.",
        reading="A level held twice and the move away from it has begun.",
        pitfalls="Yes on one bar only; in a range it comes often.",
        source=OURS,
    )


_double("double_top", "Double top", "_doubled(high, low, close, n, tolerance, 1)", ("high", "low"))
_double(
    "double_bottom",
    "Double bottom",
    "_doubled(low, high, close, n, tolerance, -1)",
    ("low", "high"),
)


_LEVELS = """show p = l + ((h - l) + (c - l)) / 3
show r1 = 2 * p - l
show s1 = 2 * p - h
show r2 = p + h - l
show s2 = p - (h - l)
show r3 = h + 2 * (p - l)
show s3 = l - 2 * (h - p)"""
_PERIODS = {"day": "1d", "week": "1w", "month": "1mo"}
_ORDINALS = {"1": "first", "2": "second", "3": "third"}
_PIVOTS = {"p": "pivot"} | {
    f"{side}{n}": f"{ordinal} {'resistance' if side == 'r' else 'support'}"
    for n, ordinal in _ORDINALS.items()
    for side in "rs"
}
structure.add(
    "pivots",
    "Pivots",
    parameters=(Parameter(name="period", text=True, choices=tuple(_PERIODS)),),
    outputs=tuple(
        Output(name=name, said=f"{said} of the {{period}} before", unit=PRICE)
        for name, said in _PIVOTS.items()
    ),
    bodies={
        period: "".join(
            f'{name} = _before({source}, "{frame}")\n'
            for name, source in (("h", "high"), ("l", "low"), ("c", "close"))
        )
        + _LEVELS
        for period, frame in _PERIODS.items()
    },
    formula="of the last period that was over when this bar began:\n"
    "p = (high + low + close) / 3, "
    + _LEVELS.replace("show ", "").split("\n", 1)[1].replace("\n", ", "),
    meaning="The middle of the period before, and levels at its ranges above and below.",
    reading="Levels that many look at, so that price often rests there.",
    pitfalls="On daily bars take week or month: a day's levels need bars within the day.",
    source="Floor traders' classic formula.",
)
