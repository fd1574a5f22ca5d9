"""Momentum: how fast, and how evenly, price has moved."""

from __future__ import annotations

from zealous_sieve.core.functions.kernel import kernel, second
from zealous_sieve.core.functions.specification import (
    OF_CLOSE,
    Family,
    Output,
    length,
)
from zealous_sieve.core.functions.units import NONE, PERCENT

momentum = Family("Momentum")
OSCILLATOR = Output(unit=NONE, span=(0, 100), levels=(30, 70))


@kernel(outputs=2, warmup=1, dense=True)
def moves(spans, x, up, down):  # type: ignore[no-untyped-def]
    """How far x rose and how far it fell since the bar before, the other zero."""
    for s in spans:
        begin = max(second(s, up), second(s, down))
        now, before = x[begin : s.end], x[begin - 1 : s.end - 1]
        ups, downs = up[begin : s.end], down[begin : s.end]
        for i in range(len(now)):
            move = now[i] - before[i]
            ups[i] = 0.0 if move < 0.0 else move
            downs[i] = 0.0 if move > 0.0 else -move


momentum.step(
    "moves", inputs=1, outputs=(Output(name="up", unit="x0"), Output(name="down", unit="x0"))
)
momentum.add(
    "rsi",
    "RSI",
    said="{n}-bar RSI",
    synonyms=("relative strength index",),
    inputs=(OF_CLOSE,),
    parameters=(length(default=14),),
    outputs=(OSCILLATOR,),
    body="""gain = wilder(_moves(x).up, n)
loss = wilder(_moves(x).down, n)
_held(_percent_of(gain, gain + loss, 50), change(x) == 0)""",
    formula="""gain = wilder(max(change(x), 0), n), loss = wilder(max(-change(x), 0), n)
100 · gain / (gain + loss), 50 where nothing moved""",
    meaning="The share of the gains in all movement of the last bars, 0 to 100.",
    reading="Above 70 the rise has been one-sided, below 30 the fall; in trends the bounds shift to "
    "40–80 and 20–60.",
    pitfalls="Stays beyond its bounds for weeks in a strong trend: high is not a reason to sell.",
    source="J. W. Wilder, New Concepts in Technical Trading Systems, 1978.",
)
momentum.add(
    "roc",
    "Rate of change",
    said="{n}-bar change",
    synonyms=(
        "rate of change",
        "percent change",
        "percentage change",
        "return",
        "performance",
    ),
    inputs=(OF_CLOSE,),
    parameters=(length(default=12),),
    outputs=(Output(unit=PERCENT, levels=(0,)),),
    body="100 * (x / ago(x, n) - 1)",
    meaning="How far x moved over n bars, in percent.",
    reading="Ranks instruments by strength over a span.",
    pitfalls="Moves as much from the old bar that drops out as from the new one.",
    source="Plain arithmetic.",
)
momentum.add(
    "momentum",
    "Momentum",
    said="{n}-bar change",
    inputs=(OF_CLOSE,),
    parameters=(length(default=10),),
    outputs=(Output(unit="x", levels=(0,)),),
    body="x - ago(x, n)",
    meaning="How far x moved over n bars, in its own unit.",
    reading="Crossing zero, x stands where it stood n bars ago.",
    pitfalls="Not comparable between instruments; use roc.",
    source="Plain arithmetic.",
)
momentum.add(
    "macd",
    "MACD",
    synonyms=("moving average convergence divergence",),
    inputs=(OF_CLOSE,),
    parameters=(length("fast", 12), length("slow", 26), length("smooth", 9)),
    outputs=(
        Output(name="line", said="MACD line ({fast}, {slow})", unit="x", levels=(0,)),
        Output(name="signal", said="MACD signal line ({fast}, {slow}, {smooth})", unit="x"),
        Output(
            name="histogram",
            said="MACD histogram ({fast}, {slow}, {smooth})",
            unit="x",
            levels=(0,),
        ),
    ),
    body="""show line = ema(x, fast) - ema(x, slow)
show signal = ema(line, smooth)
show histogram = line - signal""",
    meaning="A short exponential average less a long one, with an average of that difference.",
    reading="The histogram turns before the lines cross, the lines cross before price turns over.",
    pitfalls="In price units; use ppo to compare instruments. Crosses often in a range.",
    source="G. Appel, The Moving Average Convergence-Divergence Method, 1979.",
)
momentum.add(
    "ppo",
    "PPO",
    inputs=(OF_CLOSE,),
    parameters=(length("fast", 12), length("slow", 26), length("smooth", 9)),
    outputs=(
        Output(name="line", said="PPO line ({fast}, {slow})", unit=PERCENT, levels=(0,)),
        Output(name="signal", said="PPO signal line ({fast}, {slow}, {smooth})", unit=PERCENT),
        Output(
            name="histogram",
            said="PPO histogram ({fast}, {slow}, {smooth})",
            unit=PERCENT,
            levels=(0,),
        ),
    ),
    body="""show line = 100 * (ema(x, fast) / ema(x, slow) - 1)
show signal = ema(line, smooth)
show histogram = line - signal""",
    meaning="The distance between two exponential averages in percent of the longer.",
    reading="As macd, comparable between instruments.",
    pitfalls="Crosses often in a range.",
    source="G. Appel.",
)
momentum.add(
    "trix",
    "TRIX",
    said="{n}-bar TRIX",
    inputs=(OF_CLOSE,),
    parameters=(length(default=15),),
    outputs=(Output(unit=PERCENT, levels=(0,)),),
    body="roc(ema(ema(ema(x, n), n), n), 1)",
    meaning="The change from bar to bar of a thrice smoothed average, in percent.",
    reading="The sign is the direction with short waves filtered out.",
    pitfalls="Late at turns.",
    source="J. K. Hutson, 1983.",
)
momentum.add(
    "stoch",
    "Stochastic",
    synonyms=(
        "stochastic",
        "stochastics",
    ),
    parameters=(length(default=14), length("smooth", 3), length("slow", 3)),
    outputs=(
        Output(name="k", said="{n}-bar stochastic", unit=NONE, span=(0, 100), levels=(20, 80)),
        Output(
            name="d", said="smoothed {n}-bar stochastic", unit=NONE, span=(0, 100), levels=(20, 80)
        ),
    ),
    body="""top = highest(high, n)
bottom = lowest(low, n)
show k = sma(_percent_between(close, bottom, top), smooth)
show d = sma(k, slow)""",
    formula="""top = highest(high, n), bottom = lowest(low, n)
k = sma(100 · (close - bottom) / (top - bottom), smooth), each quotient 50 on a flat range
d = sma(k, slow)""",
    meaning="Where the close stands in the range of n bars, smoothed: 0 bottom, 100 top.",
    reading="Turns from beyond 80 or 20 mark the ends of swings in a range.",
    pitfalls="In a trend it stays at one end.",
    source="G. C. Lane.",
)
momentum.add(
    "williams_r",
    "Percent R",
    said="{n}-bar percent R",
    parameters=(length(default=14),),
    outputs=(Output(unit=NONE, span=(-100, 0), levels=(-80, -20)),),
    body="""top = highest(high, n)
bottom = lowest(low, n)
-100 * (top - close) / (top - bottom)""",
    meaning="How far the close lies below the top of the n-bar range, -100 to 0.",
    reading="As the stochastic, unsmoothed and upside down.",
    pitfalls="Missing when the range is flat.",
    source="L. Williams, 1973.",
)
momentum.add(
    "tsi",
    "True strength",
    said="true strength ({slow}, {fast})",
    inputs=(OF_CLOSE,),
    parameters=(length("slow", 25), length("fast", 13)),
    outputs=(Output(unit=NONE, span=(-100, 100), levels=(-25, 0, 25)),),
    body="""move = change(x)
share = _percent_of(ema(ema(move, slow), fast), ema(ema(abs(move), slow), fast), 0)
_held(share, move == 0)""",
    formula="100 · ema(ema(change(x), slow), fast) / ema(ema(abs(change(x)), slow), fast), 0 where "
    "nothing moved",
    meaning="Twice smoothed change over twice smoothed size of change, -100 to 100.",
    reading="Its sign is the direction, its turns come before those of price.",
    pitfalls="Slow to begin: it needs both lengths and a bar.",
    source="W. Blau, Momentum, Direction, and Divergence, 1995.",
)
momentum.add(
    "stoch_rsi",
    "Stochastic RSI",
    inputs=(OF_CLOSE,),
    parameters=(length(default=14), length("window", 14), length("smooth", 3), length("slow", 3)),
    outputs=(
        Output(
            name="k",
            said="stochastic of the {n}-bar RSI",
            unit=NONE,
            span=(0, 100),
            levels=(20, 80),
        ),
        Output(
            name="d",
            said="smoothed stochastic of the {n}-bar RSI",
            unit=NONE,
            span=(0, 100),
            levels=(20, 80),
        ),
    ),
    body="""strength = rsi(x, n)
top = highest(strength, window)
bottom = lowest(strength, window)
show k = sma(_percent_between(strength, bottom, top), smooth)
show d = sma(k, slow)""",
    formula="""strength = rsi(x, n)
top = highest(strength, window), bottom = lowest(strength, window)
k = sma(100 · (strength - bottom) / (top - bottom), smooth), each quotient 50 on a flat range
d = sma(k, slow)""",
    meaning="Where relative strength stands in its own recent range, 0 to 100.",
    reading="Quicker than relative strength itself; for timing inside a direction given otherwise.",
    pitfalls="Runs from end to end all the time: alone it is noise.",
    source="T. S. Chande and S. Kroll, The New Technical Trader, 1994.",
)
momentum.add(
    "cci",
    "CCI",
    said="{n}-bar CCI",
    parameters=(length(default=20, low=2),),
    outputs=(Output(unit=NONE, levels=(-100, 0, 100)),),
    body="(hlc3 - sma(hlc3, n)) / (0.015 * _mean_deviation(hlc3, n))",
    meaning="How far the typical price is from its mean, in mean deviations.",
    reading="Beyond ±100 price has left its usual course.",
    pitfalls="Without bounds; missing on a flat window.",
    source="D. R. Lambert, 1980.",
)
momentum.add(
    "cmo",
    "Chande momentum",
    said="{n}-bar Chande momentum",
    inputs=(OF_CLOSE,),
    parameters=(length(default=14),),
    outputs=(Output(unit=NONE, span=(-100, 100), levels=(-50, 0, 50)),),
    body="""gain = sum(_moves(x).up, n)
loss = sum(_moves(x).down, n)
_balance(gain, loss)""",
    formula="""gain = sum(max(change(x), 0), n), loss = sum(max(-change(x), 0), n)
100 · (gain - loss) / (gain + loss), 0 where nothing moved""",
    meaning="Gains less losses over both together, of the last n bars.",
    reading="As relative strength, without smoothing and around zero.",
    pitfalls="Moves as much from the bar that drops out as from the new one.",
    source="T. S. Chande, 1994.",
)
momentum.add(
    "ultimate",
    "Ultimate oscillator",
    said="ultimate oscillator ({short}, {middle}, {long})",
    parameters=(length("short", 7), length("middle", 14), length("long", 28)),
    outputs=(Output(unit=NONE, span=(0, 100), levels=(30, 70)),),
    body="""bottom = min(low, prev(close))
pressure = close - bottom
reach = true_range
quick = sum(pressure, short) / sum(reach, short)
medium = sum(pressure, middle) / sum(reach, middle)
slow = sum(pressure, long) / sum(reach, long)
100 * (4 * quick + 2 * medium + slow) / 7""",
    meaning="Buying pressure in the true range over three spans, weighted 4, 2 and 1.",
    reading="Divergence from price beyond 30 or 70 is what its author looked for.",
    pitfalls="Crossing the levels alone means little.",
    source="L. Williams, 1985.",
)
