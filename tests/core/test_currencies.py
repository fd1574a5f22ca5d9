"""Currencies over a span, by the plain definition."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import walk
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.market.currencies import (
    READY,
    Span,
    Unit,
    absent,
    strengths,
    without,
)

CURRENCIES = ("AAA", "BBB", "CCC", "DDD")


def crosses(lengths: dict[tuple[str, str], int], late: int = 60) -> Panel:
    """Pairs with so many daily bars up to a day; those of 0 are not there."""
    series, facts = {}, []
    for n, ((base, quote), bars) in enumerate(lengths.items()):
        times, columns = walk(max(bars, 1), seed=n)
        series[base + quote] = (times + (late - len(times)) * 86_400, columns)
        facts.append((base, quote))
    panel = Panel.of(series)
    both = {"base": [f[0] for f in facts], "quote": [f[1] for f in facts]}
    return panel.with_facts(both)


ALL = dict.fromkeys(combinations(CURRENCIES, 2), 60)


@given(
    st.dictionaries(st.sampled_from(list(ALL)), st.integers(1, 60), min_size=1),
    st.integers(1, 30),
    st.sampled_from(list(Unit)),
)
def test_strengths_are_sums_of_moves_and_cancel_out(
    lengths: dict[tuple[str, str], int], count: int, unit: Unit
) -> None:
    panel = crosses(lengths)
    found = strengths(panel, Span(bars="1d", count=count), unit)
    expected = {side: 0.0 for pair in lengths for side in pair}
    for (base, quote), bars in lengths.items():
        close = panel.columns["close"][panel.rows(panel.position(base + quote))]
        if bars <= count:
            assert base + quote in found.silent
            assert base + quote not in found.moves
            continue
        move = close[-1] - close[-1 - count]
        move = move / 0.01 if unit == Unit.STEPS else 100 * (close[-1] / close[-1 - count] - 1)
        np.testing.assert_allclose(found.moves[base + quote], move, rtol=1e-9, atol=1e-9)
        expected[base] += move
        expected[quote] -= move
    assert found.sum == 0
    for side, value in expected.items():
        alone = all(side not in code for code in found.moves)
        own = found.values[side]
        assert np.isnan(own) if alone else own == pytest.approx(value, rel=1e-9, abs=1e-9)


def test_a_pair_that_stopped_trading_counts_for_nobody() -> None:
    panel = crosses(ALL)
    ends = panel.ends.copy()
    ends[0] -= 3
    found = strengths(replace(panel, ends=ends), Span(bars="1d", count=2), Unit.PERCENT)
    assert found.silent == ("AAABBB",)
    assert found.sum == 0


def test_currencies_are_left_out_and_missing_crosses_told() -> None:
    panel = crosses({pair: n for pair, n in ALL.items() if pair != ("BBB", "DDD")})
    assert absent(panel) == [("BBB", "DDD")]
    left = without(panel, {"BBB"})
    assert left.codes == ("AAACCC", "AAADDD", "CCCDDD")
    assert absent(left) == []
    with pytest.raises(DataError):
        strengths(without(panel, {"AAA", "BBB", "CCC"}), Span(bars="1d", count=2), Unit.PERCENT)
    for ready in READY.values():
        assert all(span.count >= 1 for span in ready.spans)
