"""Ready formulas and sieves, one for each way of working: to be looked at, tuned and kept by whoever likes
them. Lengths and thresholds were chosen so that each leaves a handful on the demo market."""

from __future__ import annotations

from zealous_sieve.core.market.universes import EVERYTHING
from zealous_sieve.core.sieve.definition import Condition, NamedFormula, Role, Side, Sieve

READY_FORMULAS: dict[str, tuple[str, str]] = {
    "swing_bands": (
        "The last confirmed swing high and swing low as two lines: a close beyond one breaks it, the other "
        "one is where the idea ends.",
        """input reach = 4 between 2 and 30
show upper = fractal_bands(reach).upper
show lower = fractal_bands(reach).lower""",
    ),
    "bands_broken": (
        "How many times the upper swing band was broken since the lower one was: each further break is a "
        "place to add.",
        """input reach = 4 between 2 and 30
broke = close crosses above fractal_bands(reach).upper
fell = close crosses below fractal_bands(reach).lower
count(broke) since fell""",
    ),
    "activity": (
        "Volume of the session so far against what is usual by this time of it.",
        """input sessions = 17 between 3 and 60
so_far = sum(volume) since first_bar
so_far / same_time(so_far, sessions)""",
    ),
    "out_of_ordinary": (
        "How many of body, range, volume, bought and sold volume are the largest of so many bars.",
        """input length = 34 between 5 and 200
tally(largest(abs(body), length), largest(bar_range, length), largest(volume, length), \
largest(buy_volume, length), largest(sell_volume, length))""",
    ),
    "cloud_rating": (
        "A rating of four signs, -4 to 4: the close against the cloud, its two quick lines, the cloud's "
        "own order, and the close against that of a cloud's length ago.",
        """input short = 8 between 3 and 40
input middle = 23 between 8 and 90
input long = 47 between 16 and 200
cloud = ichimoku(short, middle, long)
top = max(cloud.span_a, cloud.span_b)
foot = min(cloud.span_a, cloud.span_b)
lean(close > top, close < foot, cloud.conversion > cloud.base, cloud.conversion < cloud.base, \
cloud.span_a > cloud.span_b, cloud.span_a < cloud.span_b, close > ago(close, middle), \
close < ago(close, middle))""",
    ),
    "states_agree": (
        "Five states added up, -5 to 5, each up, down or flat: averages apart, momentum beyond its regime "
        "lines, the range trend line, the flow of money, the order of swings.",
        """input quick = 11 between 3 and 60
input slow = 37 between 10 and 200
fast = ema(close, quick)
slower = ema(close, slow)
averages = if_then(fast > slower by 0.4%, 1, if_then(fast < slower by 0.4%, -1, 0))
regime = if_then(rsi(close, 17) > 57, 1, if_then(rsi(close, 17) < 43, -1, 0))
flow = if_then(cmf(23) > 0.06, 1, if_then(cmf(23) < -0.06, -1, 0))
averages + regime + supertrend(12, 2.7).direction + flow + swing_trend(4)""",
    ),
}
"""Formulas by name: a note and the text."""


def _must(formula: str) -> Condition:
    return Condition(formula=formula)


def _boost(formula: str, weight: float = 1.0) -> Condition:
    return Condition(role=Role.BOOST, formula=formula, weight=weight)


def _veto(formula: str) -> Condition:
    return Condition(role=Role.VETO, formula=formula)


def _named(*names: str) -> tuple[NamedFormula, ...]:
    return tuple(NamedFormula(name=name, text=READY_FORMULAS[name][1]) for name in names)


SIEVES = (
    Sieve(
        name="Swing band broken",
        note="A close beyond the last confirmed swing high. Each further break without one of the lower "
        "band adds to the score, and is a place to add to the position; the idea ends on a close below the "
        "lower band.",
        universe="All shares",
        fired_within=2,
        formulas=_named("swing_bands", "bands_broken"),
        conditions=(
            _must("close crosses above swing_bands.upper in last 2 bars"),
            _must("rel_volume(18) > 1.1"),
            _boost("bands_broken >= 2", 2),
            _boost("bands_broken >= 3", 2),
            _veto("close < swing_bands.lower in last 3 bars"),
        ),
        rank="bands_broken",
    ),
    Sieve(
        name="Busier than usual",
        note="Activity against its own average at this time of the session comes first, direction second.",
        universe="All shares",
        timeframes=("15m",),
        fired_within=2,
        formulas=_named("activity"),
        conditions=(
            _must("activity > 1.4"),
            _must("session_change > 0.8"),
            _must("close > vwap"),
            _boost("rel_volume(26) > 1.5"),
        ),
        rank="activity",
    ),
    Sieve(
        name="Bar out of the ordinary",
        note="Body, range, volume, bought and sold volume at their largest of 34 bars together, in one "
        "direction.",
        universe=EVERYTHING,
        timeframes=("15m",),
        fired_within=8,
        formulas=_named("out_of_ordinary"),
        conditions=(
            _must("out_of_ordinary >= 2"),
            _must("up_bar and delta > 0"),
            _boost("largest(buy_volume, 34)", 2),
        ),
        rank="out_of_ordinary",
    ),
    Sieve(
        name="Regime held on two timeframes",
        note="Momentum stays beyond its regime line for some bars, on days and on weeks, and is not yet "
        "worn out.",
        universe="All shares",
        conditions=(
            _must("rsi(close, 17) > 57 for 4 bars"),
            _must("rsi(close, 17) > 54 for 3 bars on 1w"),
            _veto("rsi(close, 17) > 76 in last 3 bars"),
        ),
        rank="rsi(close, 17)",
    ),
    Sieve(
        name="Divergence, regular or hidden",
        note="A regular divergence speaks of a turn, a hidden one of a trend that goes on: here both, with "
        "the first sign that price follows. Write other bars to see them on another timeframe.",
        universe="All shares",
        conditions=(
            _must(
                "divergence(rsi(close, 17), 4, 45).bullish in last 3 bars or "
                "divergence(rsi(close, 17), 4, 45).hidden_bullish in last 3 bars"
            ),
            _must("close > prev(high)"),
            _boost(
                "divergence(rsi(close, 17), 4, 45).hidden_bullish in last 3 bars and "
                "close > sma(close, 90)",
                2,
            ),
        ),
        rank="rel_volume(18)",
    ),
    Sieve(
        name="Tight on two timeframes",
        note="Price rests inside its range bands by day while the week is narrow by its own past; trend, "
        "structure and momentum agree on the side.",
        universe="All shares",
        fired_within=2,
        conditions=(
            _must("compression(24, 1.8, 1.6).bars >= 3 in last 4 bars"),
            _must("percentile(bollinger(close, 13, 1.8).bandwidth, 52) < 55 on 1w"),
            _must("tema(close, 28) > sma(close, 90)"),
            _must("swing_trend(4) >= 0"),
            _boost("macd(9, 31, 7).histogram > 0", 2),
        ),
        rank="tightness(15)",
    ),
    Sieve(
        name="Tired pushes",
        note="Price pushed to new highs several times, each time closing less far out in its bands.",
        universe="All shares",
        sides=(Side.SHORT,),
        conditions=(
            _must("pushes(4).high >= 2"),
            _must(
                "bollinger(close, 24, 1.8).percent_b < highest(bollinger(close, 24, 1.8).percent_b, 40) "
                "by 0.1"
            ),
            _must("close within 3% of highest(high, 40)"),
            _boost("pushes(4).high >= 3", 2),
        ),
        rank="pushes(4).high",
    ),
    Sieve(
        name="Cloud rating turned",
        note="Four signs about the cloud add up to 3 or more, and did not a few bars ago.",
        universe="All shares",
        formulas=_named("cloud_rating"),
        conditions=(
            _must("cloud_rating >= 3 for 2 bars"),
            _must("cloud_rating < 3 in last 8 bars"),
        ),
        rank="cloud_rating",
    ),
    Sieve(
        name="Pullback within a rise",
        note="Higher highs and lows, a leg of which a third to two thirds was given back, and the first "
        "close above the bar before.",
        universe="All shares",
        fired_within=3,
        conditions=(
            _must("swing_trend(4) == 1"),
            _must("close > sma(close, 90)"),
            _must("retracement(4).percent between 33 and 64"),
            _must("close > prev(high)"),
        ),
        rank="roc(close, 60)",
    ),
    Sieve(
        name="Bricks turn with the larger trend",
        note="The first rising brick after falling ones, in the direction of the day's trend; not while "
        "trades skip levels of a thin book or the feed is late, nor for some bricks after.",
        universe="Currencies",
        timeframes=("brick(20, 40)",),
        fired_within=3,
        conditions=(
            _must("close > prev(close) and prev(close) < ago(close, 2)"),
            _must("close > ema(close, 21) on 1d"),
            _veto("skipped_levels > 3 in last 5 bars"),
            _veto("feed_lag_ms > 900 in last 5 bars"),
        ),
    ),
    Sieve(
        name="Premium leads the future",
        note="The premium of the index future over its cash index is at its highest of some bars, and the "
        "future has begun to follow.",
        universe="Pairs",
        timeframes=("15m",),
        fired_within=4,
        conditions=(
            _must("close >= highest(close, 11) in last 3 bars"),
            _must('(roc(close, 5) of "LANTFU") > 0.1'),
        ),
        rank='roc(close, 5) of "LANTFU"',
    ),
    Sieve(
        name="Many states agree",
        note="Five states, each up, down or flat, add up to 4 or more and did not a few bars ago; the week "
        "is not against it.",
        universe="All shares",
        formulas=_named("states_agree"),
        conditions=(
            _must("states_agree >= 4"),
            _must("states_agree < 4 in last 6 bars"),
            _must("(states_agree on 1w) >= 0"),
        ),
        rank="states_agree",
    ),
)
"""Sieves that stand alone: what they call is among their own formulas."""
