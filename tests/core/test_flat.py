"""Equal input gives exact output: no value is made of what rounding left over."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.bars import DAY, background, example_calls, one, values, walk
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.terms import Apply, in_order
from zealous_sieve.core.functions.kernel import KERNELS

CALLS = example_calls()
MOVED, STILL = 119, 400
PRICES = (18.6, 0.1, 1 / 3, 70_000.07)


def still(price: float, moved: int = 0, volume: float | None = None) -> Panel:
    """Wild bars, then bars of one price, each of the same volume."""
    _, columns = walk(moved, seed=5)
    rng = np.random.default_rng(3)
    wild = {n: c * (1e6 if n == "volume" else price / 100) for n, c in columns.items()}
    flat = dict.fromkeys(columns, np.full(STILL, price))
    flat["volume"] = np.full(STILL, volume) if volume is not None else rng.integers(1, 99, STILL)
    joined = {n: np.concatenate([wild[n], flat[n]]).astype(float) for n in columns}
    times = (np.arange(moved + STILL, dtype=np.int64) - moved) * DAY
    return Panel.of({"A0": (times, joined)}).with_background([background(0)])


def series_of(columns: dict[str, list[float]]) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    panel = one(columns)
    return panel.times, dict(panel.columns)


def reaches_back_for_ever(call: str) -> bool:
    term = next(iter(check(call).outputs.values())).term
    kernels = [t.kernel for t in in_order([term]) if isinstance(t, Apply)]
    return any(KERNELS[name].reach is None for name in kernels)


@pytest.mark.parametrize("price", PRICES)
def test_averages_of_equal_prices_are_that_price_and_deviations_are_nothing(price: float) -> None:
    panel = still(price)
    for name in ("sma", "ema", "wilder", "wma", "vwma", "dema", "tema", "hma", "kama", "linreg"):
        column = values(f"{name}(close, 7)", panel)
        assert np.unique(column[~np.isnan(column)]).tolist() == [price], name
    for text in ("hl2", "hlc3", "ohlc4", "vwap", "anchored_vwap(close > 0)"):
        column = values(text, panel)
        assert np.unique(column[~np.isnan(column)]).tolist() == [price], text
    for text in (
        "stdev(close, 7)",
        "slope(close, 7)",
        "bollinger(close, 7, 2).bandwidth",
        "atr(7)",
    ):
        column = values(text, panel)
        assert np.unique(column[~np.isnan(column)]).tolist() == [0.0], text


@pytest.mark.parametrize("name", ["sma", "wma", "vwma", "ema", "linreg", "hma"])
def test_no_length_leaves_a_residue(name: str) -> None:
    for price in (0.1, 0.7, 18.6, 1 / 3):
        panel = one({"close": [price] * 70, "volume": [3.0] * 70})
        for n in range(2, 60):
            column = values(f"{name}({n})", panel)
            assert set(column[~np.isnan(column)]) == {price}, n


def test_a_sum_is_right_to_the_last_digit_whatever_has_left_its_window() -> None:
    rng = np.random.default_rng(8)
    volume = np.round(rng.random(300) * 100) / 7
    volume[rng.random(300) < 0.1] *= 1e13
    panel = one({"close": volume * 0 + 1, "volume": volume})
    found = values("sum(volume, 6)", panel)
    exact = [math.fsum(volume[t - 5 : t + 1]) for t in range(5, 300)]
    np.testing.assert_array_equal(found[5:], exact)


@pytest.mark.parametrize("call", [c for c in CALLS if not reaches_back_for_ever(c)])
def test_a_window_forgets_what_has_left_it_to_the_last_bit(call: str) -> None:
    """After any movement, a still market gives what it gives where nothing ever moved."""
    for price in PRICES[:2]:
        for volume in (1.0, 0.0):
            never, once = still(price, 0, volume), still(price, MOVED, volume)
            expected, found = values(call, never)[-STILL // 2 :], values(call, once)[-STILL // 2 :]
            np.testing.assert_array_equal(found, expected)


@pytest.mark.parametrize("call", CALLS)
def test_outputs_keep_their_bounds_and_come_to_rest_in_a_still_market(call: str) -> None:
    spec = next(iter(check(call).outputs.values())).spec
    for volume in (None, 0.0, 5.0):
        column = values(call, still(18.6, MOVED, volume))
        known = column[~np.isnan(column)]
        if spec is not None and spec.span is not None and len(known):
            assert spec.span[0] <= known.min()
            assert known.max() <= spec.span[1]
        rest = column[-STILL // 4 :]
        rest = rest[~np.isnan(rest)]
        turns = np.diff(np.sign(np.diff(rest)))
        wiggle = np.abs(np.diff(rest)).max(initial=0.0)
        assert not (np.abs(turns) == 2).any() or wiggle > 1e-6 * np.abs(rest).max(), call


def test_equal_values_across_the_universe_have_their_own_mean_and_no_deviation() -> None:
    bars = {"close": [18.6, 0.1, 0.7]}
    panel = Panel.of({f"A{n}": series_of(bars) for n in range(7)})
    np.testing.assert_array_equal(values("mean_across(close)", panel), panel.columns["close"])
    assert np.isnan(values("zscore_across(close)", panel)).all()
