"""The sieves that come with the demo."""

from __future__ import annotations

from zealous_sieve.core.sieve.definition import Condition, Role, Side, Sieve

STRETCHED = Sieve(
    name="Overstretched rise",
    note="A close far above a quick average tends to come back to it. Floors on price and turnover "
    "keep out what can't be sold in size.",
    universe="All shares",
    sides=(Side.SHORT,),
    fired_within=3,
    conditions=(
        Condition(formula="close > tema(close, 17) + 1.1 * atr(11)"),
        Condition(formula="close > sma(close, 23) by 8%"),
        Condition(formula="close >= 5"),
        Condition(formula="dollar_volume(18) >= 900000"),
        Condition(role=Role.BOOST, formula="rsi(close, 11) > 77", weight=2),
        Condition(role=Role.BOOST, formula="rel_volume(18) > 1.6"),
        Condition(role=Role.VETO, formula="abs(gap_percent) > 5.5"),
    ),
    rank="100 * (close / sma(close, 23) - 1)",
)
WAKING = Sieve(
    name="Waking range",
    note="A band that was narrow by its own past, a close beyond the range of the days before, and "
    "two averages still close together: the move, if it is one, is young.",
    universe="All shares",
    sides=(Side.LONG,),
    fired_within=3,
    conditions=(
        Condition(
            formula="percentile(bollinger(close, 24, 1.8).bandwidth, 130) < 22 in last 6 bars"
        ),
        Condition(formula="close > prev(highest(high, 24)) by 0.3%"),
        Condition(formula="ema(close, 11) within 3% of ema(close, 37)"),
        Condition(role=Role.BOOST, formula="rel_volume(18) > 1.6", weight=2),
        Condition(role=Role.BOOST, formula="close > sma(close, 170)"),
        Condition(role=Role.VETO, formula="dollar_volume(18) < 450000"),
    ),
    rank="rel_volume(18)",
)
AGREED = Sieve(
    name="Agreed uptrend",
    note="Three measures that look at different things agree: strength of direction, the trailing "
    "line by the ATR, and the order of two averages.",
    universe="All shares",
    sides=(Side.LONG,),
    fired_within=1,
    conditions=(
        Condition(formula="adx(17).adx > 22 and adx(17).plus_di > adx(17).minus_di"),
        Condition(formula="supertrend(12, 2.7).direction == 1 for 4 bars"),
        Condition(formula="tema(close, 28) > sma(close, 90) by 2%"),
        Condition(role=Role.BOOST, formula="rising(sma(close, 45), 8)"),
        Condition(role=Role.BOOST, formula="volume > sma(volume, 45) by 15%"),
        Condition(role=Role.VETO, formula="rsi(close, 11) > 84"),
    ),
    rank="adx(17).adx",
)
FORMULAS = {
    "my_bands": (
        "Bollinger bands with a width to tune.",
        """input length = 24 between 5 and 200
input width = 1.8 between 0.5 and 5
middle = sma(close, length)
spread = width * stdev(close, length)
show upper = middle + spread
show lower = middle - spread""",
    ),
    "stretch": (
        "How many times the ATR the close stands from a quick average.",
        """input length = 17 between 5 and 100
(close - tema(close, length)) / atr(11)""",
    ),
    "agreement": (
        "A rating from four signs of direction, -2 to 2.",
        """lean(close > sma(close, 45), close < sma(close, 45), rsi(11) > 54, rsi(11) < 46)""",
    ),
}
"""Formulas of the desk that come with the demo: name, note and text."""
EXAMPLES = (STRETCHED, WAKING, AGREED)
