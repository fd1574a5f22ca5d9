"""Laws that hold whatever the bars are: units of measure, and identities between functions."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.bars import example_calls, name_of, panel_of, values
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.functions.units import Unit

CALLS = example_calls()
FIELDS = ("open", "high", "low", "close")
FINER, HEAVIER = 8.0, 4.0
"""Powers of two, so that scaling rounds nothing."""


def measured(panel: Panel, price: float, volume: float) -> Panel:
    """The same bars quoted in another money and counted in other lots."""
    columns = {name: panel.columns[name] * price for name in FIELDS}
    columns["volume"] = panel.columns["volume"] * volume
    return replace(panel, columns=columns)


PANELS = [panel_of(160, 120, 90), panel_of(160, 120, 90, seed=7, missing=0.03)]

YARDSTICK = "measures prices in steps of a size given apart from them"
CURVED = "no power of its argument, which has to be a plain number to mean anything"
ABSOLUTE = {
    "round_level": YARDSTICK,
    "profile": YARDSTICK,
    "strength": YARDSTICK,
    "round": "cuts at whole numbers",
    "floor": "cuts at whole numbers",
    "ceil": "cuts at whole numbers",
    "log": CURVED,
    "exp": CURVED,
}
"""Functions whose values do not scale with prices, and why."""


@pytest.mark.parametrize("call", [c for c in CALLS if name_of(c) not in ABSOLUTE])
def test_values_scale_as_their_unit_says(call: str) -> None:
    """A price in cents is a hundred times that in crowns; a percentage is the same in both."""
    unit: Unit = next(iter(check(call).outputs.values())).unit
    for panel in PANELS:
        before = values(call, panel)
        after = values(call, measured(panel, FINER, HEAVIER))
        factor = FINER**unit.price * HEAVIER**unit.volume
        np.testing.assert_allclose(after, before * factor, rtol=1e-9, atol=1e-9 * factor)


IDENTITIES = {
    "sma(close, 7)": "sum(close, 7) / 7",
    "sma(high + low, 9)": "sma(high, 9) + sma(low, 9)",
    "ema(2 * close - open, 9)": "2 * ema(close, 9) - ema(open, 9)",
    "wma(close, 2)": "(2 * close + prev(close)) / 3",
    "highest(close, 8)": "-lowest(-close, 8)",
    "highest_bars(close, 8)": "lowest_bars(-close, 8)",
    "highest(close, 8) - lowest(close, 8)": "highest(-close, 8) - lowest(-close, 8)",
    "rsi(close, 9)": "100 - rsi(-close, 9)",
    "cmo(close, 9)": "-cmo(-close, 9)",
    "stdev(close, 12)": "stdev(-close, 12)",
    "stdev(3 * close + 5, 12)": "3 * stdev(close, 12)",
    "zscore(close, 12)": "-zscore(-close, 12)",
    "percentile(close, 12)": "100 - percentile(-close, 12)",
    "correlation(close, volume, 12)": "correlation(volume, close, 12)",
    "linreg(close, 12)": "-linreg(-close, 12)",
    "slope(close, 12)": "-slope(-close, 12)",
    "roc(close, 3)": "100 * (close - ago(close, 3)) / ago(close, 3)",
    "bollinger(close, 9, 2).upper - bollinger(close, 9, 2).middle": "2 * stdev(close, 9)",
    "bollinger(close, 9, 2).upper + bollinger(close, 9, 2).lower": "2 * sma(close, 9)",
    "donchian(9).middle": "(highest(high, 9) + lowest(low, 9)) / 2",
    "macd(close, 4, 9, 3).histogram": "macd(close, 4, 9, 3).line - macd(close, 4, 9, 3).signal",
    "stoch(9, 1, 3).k": "100 + williams_r(9)",
    "adx(9).plus_di - adx(9).minus_di":
        "100 * (wilder(max(0, if_then(high - prev(high) > prev(low) - low, high - prev(high), 0)), 9)"
        " - wilder(max(0, if_then(prev(low) - low > high - prev(high), prev(low) - low, 0)), 9)) / atr(9)",
    "atr(9)": "wilder(max(high, prev(close)) - min(low, prev(close)), 9)",
    "true_range": "max(high - low, max(abs(high - prev(close)), abs(low - prev(close))))",
    "vwma(close, 9)": "sum(close * volume, 9) / sum(volume, 9)",
    "rel_volume(9)": "volume / sma(prev(volume), 9)",
    "dollar_volume(9)": "sma(close * volume, 9)",
    "rising(close, 3)": "close > prev(close) for 3 bars",
    "count(close > open, 6) == 6": "close > open for 6 bars",
    "count(close > open, 6) >= 1": "close > open in last 6 bars",
    "close > open for 4 bars": "not (close <= open in last 4 bars)",
    "close crosses below sma(close, 5)": "-close crosses above -sma(close, 5)",
    "close > sma(close, 5) by 1%": "close >= sma(close, 5) * 1.01",
    "close within 1% of sma(close, 5)": "abs(close - sma(close, 5)) <= abs(sma(close, 5)) * 0.01",
    "not (close > open and high > prev(high))": "not close > open or not high > prev(high)",
    "tally(close > open, high > prev(high)) == 2": "close > open and high > prev(high)",
    "tally(close > open, high > prev(high)) >= 1": "close > open or high > prev(high)",
    "lean(close > open, close < open)": "sign(close - open)",
    "bars_since(close > open) == 0": "close > open",
    "supertrend(9, 2).line < close": "supertrend(9, 2).direction > 0",
}  # fmt: skip
"""Formulas that mean the same."""


@pytest.mark.parametrize(("one", "other"), IDENTITIES.items())
def test_formulas_that_mean_the_same_agree(one: str, other: str) -> None:
    for panel in PANELS:
        left, right = values(one, panel), values(other, panel)
        known = ~(np.isnan(left) | np.isnan(right))
        assert known.sum() > 0.4 * len(panel.times)
        np.testing.assert_allclose(left[known], right[known], rtol=1e-9, atol=1e-9)
