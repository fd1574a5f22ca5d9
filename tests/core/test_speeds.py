"""How well a formula holds through a stretch."""

from __future__ import annotations

import numpy as np

from zealous_sieve.core.formula.check import check
from zealous_sieve.core.sieve.speeds import held_through, sides

RISES = np.array([10.0, 11.0, 12.0, 11.5, 13.0, 14.0])


def test_turns_and_bars_against_the_way_are_counted() -> None:
    side = np.array([1.0, 0.0, 1.0, -1.0, -1.0, 1.0])
    own = held_through(side, RISES)
    assert (own.reversals, own.against, own.bars) == (2, 2, 5)
    falls = held_through(side, RISES[::-1])
    assert (falls.reversals, falls.against) == (2, 3)
    assert held_through(side, np.full(6, 5.0)).against == 0
    assert held_through(np.zeros(6), RISES) == held_through(np.array([]), np.array([]))


def test_a_side_is_that_of_the_close_the_middle_of_a_scale_or_a_sign() -> None:
    def of(text: str, values: list[float]) -> list[float]:
        value = check(text).outputs["value"]
        return sides(value, np.array(values), np.full(len(values), 12.0)).tolist()

    assert of("sma(close, 3)", [11.0, 12.0, 13.0, np.nan]) == [1, 0, -1, 0]
    assert of("rsi(close, 9)", [60.0, 50.0, 40.0]) == [1, 0, -1]
    assert of("roc(close, 9)", [2.0, 0.0, -2.0]) == [1, 0, -1]
    assert of("sar.direction", [1.0, -1.0]) == [1, -1]
    assert of("close > open", [1.0, 0.0, np.nan]) == [1, -1, 0]
