"""Forming bars have one meaning: at every bar of the past the slower bar as it stood at its close."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.bars import example_calls, market_of
from zealous_sieve.core.engine.build import UNFINISHED, seen_at
from zealous_sieve.core.engine.local import LOCAL, evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan

MARKET = market_of(days=6, seed=4)
END = int(MARKET.bases[1].times[-1]) + 60
SLOWER = ["close", "high - low", "volume", "sma(close, 3)", "ema(close, 2)", "rsi(close, 3)", "atr(2)",
          "close > prev(high)", "highest(high, 2)", "swing_high(1).price", "first_bar", "bar_time",
          'close of "A1"', 'sma(close, 2) of "A1"', "rank(close)", "(close on 2d)", 'fact("size")',
          "trades", "close crosses above open", 'pivots("week").p', "bars_since(close > open)"]  # fmt: skip
FRAMES = {
    "15m": ("1d", "80m", "1w", "brick(5, 10)", "range(20)"),
    "brick(5, 10)": ("1d",),
    "1d": ("1w",),
}
APART = {
    "rank(close)": ("brick(5, 10)", "range(20)"),  # others count with bricks that have been laid
    "trades": ("brick(5, 10)",),  # those of the very second in which a brick is laid
}
CASES = [(fast, frame) for fast, frames in FRAMES.items() for frame in frames]


def forming(moment: int, rule: str) -> Panel:
    return seen_at(MARKET, moment, timeframe(rule), forming=True)


@pytest.mark.parametrize(("fast", "frame"), CASES)
def test_a_slower_value_of_the_past_is_the_one_that_was_seen_then(fast: str, frame: str) -> None:
    left_out = {text for text, frames in APART.items() if fast in frames or frame in frames}
    texts = [f"({text} on {frame})" for text in SLOWER if text not in left_out]
    terms = {text: next(iter(check(text).outputs.values())).term for text in texts}
    last = forming(END, fast)
    whole = evaluate(terms, last)
    tail = evaluate(terms, last, last=3)
    for position in range(len(last)):
        rows = last.rows(position)
        closes = last.close_times(rows)
        for bar in np.linspace(0, len(closes) - 1, 23).astype(int):
            then = forming(int(closes[bar]), fast)
            seen = evaluate(terms, then, last=1)
            assert int(then.ends[position] - then.starts[position]) >= bar + 1
            newest = int(then.ends[position] - then.starts[position]) == bar + 1
            for text in texts if newest else ():
                expected = seen[text][position, 0]
                found = whole[text][rows][bar]
                np.testing.assert_allclose(found, expected, rtol=1e-12, err_msg=f"{text} {bar}")
        for text in texts:
            np.testing.assert_array_equal(tail[text][position], whole[text][rows][-3:], text)


def test_every_function_on_slower_bars_of_the_past_is_what_was_seen_then() -> None:
    texts = [f"({call} on 80m)" for call in example_calls()]
    terms = {text: next(iter(check(text).outputs.values())).term for text in texts}
    last = forming(END, "15m")
    whole = evaluate(terms, last)
    rows = last.rows(1)
    closes = last.close_times(rows)
    for bar in (90, 131, 177, len(closes) - 1):
        seen = evaluate(terms, forming(int(closes[bar]), "15m"), last=1)
        for text in texts:
            expected = seen[text][1, 0]
            np.testing.assert_allclose(whole[text][rows][bar], expected, rtol=1e-9, err_msg=text)


def test_a_setup_that_stood_in_the_morning_is_found_in_the_afternoon_as_it_was() -> None:
    """One that went away again too: its age, and the bar on which it fired."""
    sieve = Sieve(
        name="Test", universe="any", timeframes=("15m",), forming=True, fired_within=12,
        conditions=(Condition(formula="(close on 1d) > (prev(high) on 1d)"),),
    )  # fmt: skip
    prepared = prepare(sieve)
    later = {hit.code: hit for hit in scan(prepared, forming(END, "15m"), LOCAL).hits}
    last = forming(END, "15m")
    found = 0
    for back in range(1, 12):
        for position, code in enumerate(last.codes):
            moment = int(last.close_times(last.rows(position))[-1 - back])
            then = scan(prepared, forming(moment, "15m"), LOCAL).hits
            hit = next((h for h in then if h.code == code and h.bar_at == moment - 900), None)
            if hit is not None:
                found += 1
                assert later[code].bar_at >= hit.bar_at
    assert found


@pytest.mark.parametrize("rule", ["1d", "1w", "80m", "1mo"])
@pytest.mark.parametrize("back", [0, 3 * 60, 7 * 3600, 30 * 3600])
def test_unfinished_bars_are_those_of_an_instrument_that_is_all_there_is(
    rule: str, back: int
) -> None:
    """Whose bars stand beside it changes nothing, whatever each has last."""
    shorter = [
        replace(base, ends=base.ends - np.array([0, 40, 400]) * (base.duration == 60))
        for base in MARKET.bases
    ]
    market = replace(MARKET, ends=MARKET.ends, bases=tuple(shorter))
    together = seen_at(market, END - back, timeframe(rule), forming=True)
    for position, code in enumerate(market.codes):
        bases = [
            Panel.of({code: base.series(code)}).with_background([base.known(position)])
            for base in market.bases
        ]
        bases = [
            replace(own, duration=base.duration)
            for own, base in zip(bases, market.bases, strict=True)
        ]
        alone = replace(bases[-1], bases=tuple(bases), five_day=market.five_day)
        single = seen_at(alone, END - back, timeframe(rule), forming=True)
        times, columns = together.series(code)
        own_times, own_columns = single.series(code)
        np.testing.assert_array_equal(times, own_times)
        for name, column in own_columns.items():
            np.testing.assert_array_equal(columns[name], column, err_msg=f"{name} of {code}")
        seconds, prices = market.bases[1].series(code)
        seen = (seconds + 60 <= END - back) & (seconds >= times[-1])
        if rule == "1d" and columns[UNFINISHED][-1:] == [1] and code != "A0":
            assert columns["open"][-1] == prices["open"][seen][0]
            assert columns["high"][-1] == prices["high"][seen].max()
            assert columns["volume"][-1] == prices["volume"][seen].sum()
