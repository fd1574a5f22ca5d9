"""What is kept from bar to bar: since a condition, until one, recursions, lengths that differ."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.bars import one, panel_of, values
from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.functions.specification import CATALOGUE, Function

OVER: dict[str, Callable[[Column], float]] = {
    "highest": np.max,
    "lowest": np.min,
    "sum": np.sum,
    "mean": np.mean,
    "sma": np.mean,
    "first": lambda x: x[0],
    "change": lambda x: x[-1] - x[0],
    "highest_bars": lambda x: len(x) - 1 - np.flatnonzero(x == x.max())[-1],
    "lowest_bars": lambda x: len(x) - 1 - np.flatnonzero(x == x.min())[-1],
    "max_drawdown": lambda x: max(
        100 * (x[: n + 1].max() - v) / x[: n + 1].max() for n, v in enumerate(x)
    ),
}
"""What a function over bars gives for those bars."""


@pytest.mark.parametrize("name", OVER)
def test_since_a_condition_looks_at_the_bars_from_its_last_yes(name: str) -> None:
    panel = panel_of(120)
    close = panel.columns["close"]
    begun = values("low < prev(low)", panel) == 1.0
    told = values(f"{name}(close) since (low < prev(low))", panel)
    started = np.flatnonzero(begun)
    assert np.isnan(told[: started[0]]).all()
    for t in range(started[0], 120):
        first = started[started <= t][-1]
        assert told[t] == pytest.approx(OVER[name](close[first : t + 1]), rel=1e-12), t


@pytest.mark.parametrize("name", ["highest", "lowest", "sum", "mean", "sma", "ago", "count"])
def test_a_length_that_happens_to_stay_the_same_gives_the_same(name: str) -> None:
    panel = panel_of(120, missing=0.03)
    x = "up_bar" if name == "count" else "close"
    varying = values(
        f"{name}({x}, if_then(known(close), 7, 7) + 0 * bars_since(volume > 0))", panel
    )
    fixed = values(f"{name}({x}, 7)", panel)
    both = ~np.isnan(varying) & ~np.isnan(fixed)
    assert both.sum() > 60
    np.testing.assert_allclose(varying[both], fixed[both], rtol=1e-12)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("sum(close) since (open == 1)", [np.nan, 3, 7, np.nan, np.nan, 7, 14]),
        ("highest(close) since (open == 1)", [np.nan, 3, 4, np.nan, np.nan, 7, 7]),
        ("count(close > 3) since (open == 1)", [np.nan, 0, 1, np.nan, np.nan, 1, 2]),
        ("first(close > 3) since (open == 1)", [np.nan, 0, 0, np.nan, np.nan, 1, 1]),
        ("ago(close > 5, bars_since(open == 1))", [np.nan, 0, 0, np.nan, np.nan, 1, 1]),
    ],
)
def test_since_is_missing_before_the_first_yes_and_from_what_is_unknown(
    text: str, told: list[float]
) -> None:
    panel = one({"close": [9, 3, 4, 5, 6, 7, 7], "open": [0, 1, 0, np.nan, 0, 1, 0]})
    np.testing.assert_array_equal(values(text, panel), told)


def until(a: list[float], b: list[float]) -> list[float]:
    """By cases: every way the unknown ones may be is tried, from the first bar on which one is yes."""
    told, begun, states = [], False, {0.0}
    for here, end in zip(a, b, strict=True):
        begun = begun or 1.0 in (here, end)
        starts, ends = ((0.0, 1.0) if v != v else (v,) for v in (here, end))
        states = {0.0 if e else max(state, s) for state in states for s in starts for e in ends}
        known = len(states) == 1 if begun else here == here and end == end
        told.append(max(states) if known else np.nan)
        states = states if begun else {0.0}
    return told


@settings(deadline=None)
@given(st.lists(st.tuples(*[st.sampled_from([0.0, 1.0, np.nan])] * 2), min_size=1, max_size=12))
def test_until_holds_up_to_the_bar_before_its_end(bars: list[tuple[float, float]]) -> None:
    a, b = [list(column) for column in zip(*bars, strict=True)]
    panel = one({"close": [1.0] * len(a), "open": a, "high": b})
    np.testing.assert_array_equal(values("open == 1 until high == 1", panel), until(a, b))


@pytest.mark.parametrize(
    "function", [f for f in CATALOGUE.values() if f.line], ids=lambda f: f.name
)
def test_structure_on_a_line_is_that_of_bars_that_are_one(function: Function) -> None:
    rng = np.random.default_rng(4)
    panel = one({"close": 100 + np.cumsum(rng.integers(-3, 4, 300)).astype(float)})
    if function.inputs:  # from so many bars ago, and not of another series
        bars = values("swing_low(3).bars", panel)
        told = values(f"{function.name}(swing_low(3).bars)", panel)
        for t in np.flatnonzero(~np.isnan(bars)):
            first = int(t - bars[t])
            assert told[t] == pytest.approx(panel.columns["close"][first : t + 1].mean(), rel=1e-12)
        np.testing.assert_array_equal(values(f"{function.name}(0)", panel), panel.columns["close"])
        return
    for output in function.outputs:
        pick = f".{output.name}" if len(function.outputs) > 1 else ""
        own = values(f"{function.name}(n=4){pick}" if "n" in function.signature else "close", panel)
        line = values(f"{function.name}(close, n=4){pick}", panel)
        assert (~np.isnan(line)).sum() > 50
        np.testing.assert_array_equal(line, own)
        assert (
            str(check(f"{function.name}(rsi(close, 5), n=4){pick}").outputs["value"].unit)
            != "price"
        )


def test_a_divergence_holds_until_price_goes_beyond_its_swing() -> None:
    panel = panel_of(400, seed=9)
    for side, beyond in (
        ("bearish", "high > swing_high(3).price"),
        ("bullish", "low < swing_low(3).price"),
    ):
        told = values(f"divergence(rsi(close, 5), 3, 60).{side}_holds", panel)
        began = values(f"divergence(rsi(close, 5), 3, 60).{side}", panel)
        ended = values(beyond, panel)
        assert (told == 1).sum() > (began == 1).sum() > 2
        assert (told[began == 1] == 1).all()
        assert not (told[ended == 1] == 1).any()


def test_recursions_begin_with_the_first_value_and_anew_after_a_gap() -> None:
    panel = one(
        {"close": [8, 4, 6, np.nan, 3, 5], "open": [0.5, 0.5, 1, 1, np.nan, 0.5]}
        | {"high": [1] * 6}
    )
    np.testing.assert_array_equal(values("accumulate(close)", panel), [8, 12, 18, np.nan, 3, 8])
    np.testing.assert_array_equal(
        values("accumulate(close, open / high)", panel), [8, 8, 14, np.nan, np.nan, 5]
    )
    np.testing.assert_array_equal(
        values("smooth(close, open / high)", panel), [8, 6, 6, np.nan, np.nan, 5]
    )
    same = one({"close": [0.1] * 40})
    np.testing.assert_array_equal(values("smooth(close, 0.3)", same), same.columns["close"])
    growing = values("accumulate(close, 1000)", one({"close": [1.0] * 200}))
    known = ~np.isnan(growing)
    assert known[:100].all()
    assert not known[110:].any()


def test_what_is_known_decides_a_count() -> None:
    """One yes, one no, one unknown."""
    panel = one({"close": [1.0]})
    given = "close > 0, close > 2, known(close) and close > ago(close, 5)"
    expected = {
        ">= 1": 1,
        ">= 2": np.nan,
        ">= 3": 0,
        "== 3": 0,
        "!= 0": 1,
        "< 3": 1,
        "<= 0": 0,
        "== 1": np.nan,
    }
    for asked, truth in expected.items():
        np.testing.assert_array_equal(values(f"tally({given}) {asked}", panel), [truth], asked)
    for least, truth in ((1, 1.0), (2, np.nan), (3, 0.0)):
        np.testing.assert_array_equal(values(f"at least {least} of ({given})", panel), [truth])
    np.testing.assert_array_equal(values(f"lean({given}) > 1", panel), [np.nan])
    np.testing.assert_array_equal(values(f"lean({given}) > 2", panel), [0])
    later = one({"close": [1.0, 3.0, 3.0, 3.0]})
    counted = values("count(close > ago(close, 1) or close > 2, 4) >= 2", later)
    np.testing.assert_array_equal(counted, [np.nan, np.nan, 1, 1])


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("rsi since up_bar", "no_since"),
        ("close since up_bar", "no_since"),
        ("highest(high, 5) since up_bar", "wrong_arguments"),
        ("highest(high) since close", "wrong_kind"),
        ("highest(high, volume)", "unit_clash"),
        ("at least 4 of (up_bar, down_bar)", "out_of_bounds"),
        ("up_bar until close", "wrong_kind"),
    ],
)
def test_what_makes_no_sense_is_told(text: str, code: str) -> None:
    with pytest.raises(FormulaError) as refused:
        check(text)
    assert [problem.code for problem in refused.value.problems] == [code]
