"""The sieves that come with the demo."""

from __future__ import annotations

from zealous_sieve.core.sieve.definition import Condition, Role, Side, Sieve

STRETCHED = Sieve(
    name="Overstretched rise",
    note="A close far above a quick average tends to come back to it. Floors on price and turnover "
    "keep out what can't be sold in size.",
    universe="All shares",
    side=Side.SHORT,
    fired_within=3,
    conditions=(
        Condition(formula="close > tema(close, 20) + 1.3 * atr(14)"),
        Condition(formula="close > sma(close, 20) by 9%"),
        Condition(formula="close >= 5"),
        Condition(formula="dollar_volume(20) >= 1000000"),
        Condition(role=Role.BOOST, formula="rsi(close, 14) > 75", weight=2),
        Condition(role=Role.BOOST, formula="rel_volume(20) > 1.5"),
        Condition(role=Role.VETO, formula="abs(gap_percent) > 6"),
    ),
    rank="100 * (close / sma(close, 20) - 1)",
)
WAKING = Sieve(
    name="Waking range",
    note="A band that was narrow by its own past, a close beyond the range of the days before, and "
    "two averages still close together: the move, if it is one, is young.",
    universe="All shares",
    side=Side.LONG,
    fired_within=3,
    conditions=(
        Condition(formula="percentile(bollinger(close, 20, 2).bandwidth, 120) < 20 in last 5 bars"),
        Condition(formula="close > prev(highest(high, 20)) by 0.3%"),
        Condition(formula="ema(close, 12) within 3% of ema(close, 40)"),
        Condition(role=Role.BOOST, formula="rel_volume(20) > 1.5", weight=2),
        Condition(role=Role.BOOST, formula="close > sma(close, 200)"),
        Condition(role=Role.VETO, formula="dollar_volume(20) < 500000"),
    ),
    rank="rel_volume(20)",
)
AGREED = Sieve(
    name="Agreed uptrend",
    note="Three measures that look at different things agree: strength of direction, the trailing "
    "line by average range, and the order of two averages.",
    universe="All shares",
    side=Side.LONG,
    fired_within=1,
    conditions=(
        Condition(formula="adx(14).adx > 25 and adx(14).plus_di > adx(14).minus_di"),
        Condition(formula="supertrend(10, 3).direction == 1 for 5 bars"),
        Condition(formula="tema(close, 30) > sma(close, 100) by 2%"),
        Condition(role=Role.BOOST, formula="rising(sma(close, 50), 10)"),
        Condition(role=Role.BOOST, formula="volume > sma(volume, 50) by 20%"),
        Condition(role=Role.VETO, formula="rsi(close, 14) > 80"),
    ),
    rank="adx(14).adx",
)
FORMULAS = {
    "my_bands": (
        "Bands by deviation, with a width to tune.",
        """input length = 20 between 5 and 200
input width = 2 between 0.5 and 5
middle = sma(close, length)
spread = width * stdev(close, length)
show upper = middle + spread
show lower = middle - spread""",
    ),
    "stretch": (
        "How many average ranges the close stands from a quick average.",
        """input length = 20 between 5 and 100
(close - tema(close, length)) / atr(14)""",
    ),
    "agreement": (
        "A rating from four signs of direction, -2 to 2.",
        """lean(close > sma(close, 50), close < sma(close, 50), rsi(14) > 55, rsi(14) < 45)""",
    ),
}
"""Formulas of the desk that come with the demo: name, note and text."""
EXAMPLES = (STRETCHED, WAKING, AGREED)
