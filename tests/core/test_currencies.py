"""Currencies over a span, by the plain definition."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import walk
from tests.desks import EVERYBODY, desk_on
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.pages.currencies import (
    READY,
    StrengthSet,
    StrengthSpan,
    StrengthUnit,
    absent,
    strengths,
    without,
)
from zealous_sieve.usecases.background.strength import strength_on

CURRENCIES = ("AAA", "BBB", "CCC", "DDD")


Pair = tuple[str, str | None]


def crosses(lengths: Mapping[Pair, int], late: int = 60, seeds: Mapping[Pair, int] = {}) -> Panel:
    """Pairs with so many daily bars up to a day; what has no quote is none."""
    series, facts = {}, []
    for n, ((base, quote), bars) in enumerate(lengths.items()):
        times, columns = walk(bars, seed=seeds.get((base, quote), n))
        series[base + (quote or "")] = (times + (late - len(times)) * 86_400, columns)
        facts.append((base, quote))
    panel = Panel.of(series)
    both = {"base": [f[0] for f in facts], "quote": [f[1] for f in facts]}
    return panel.with_facts(both)


ALL = dict.fromkeys(combinations(CURRENCIES, 2), 60)


@given(
    st.dictionaries(st.sampled_from(list(ALL)), st.integers(1, 60), min_size=1),
    st.integers(1, 30),
    st.sampled_from(list(StrengthUnit)),
)
def test_strengths_are_sums_of_moves_and_cancel_out(
    lengths: dict[tuple[str, str], int], count: int, unit: StrengthUnit
) -> None:
    panel = crosses(lengths)
    found = strengths(panel, StrengthSpan(bars="1d", count=count), unit)
    expected = {side: 0.0 for pair in lengths for side in pair}
    for (base, quote), bars in lengths.items():
        close = panel.columns["close"][panel.rows(panel.position(base + quote))]
        if bars <= count:
            assert base + quote in found.silent
            assert base + quote not in found.moves
            continue
        move = close[-1] - close[-1 - count]
        move = (
            move / 0.01 if unit == StrengthUnit.STEPS else 100 * (close[-1] / close[-1 - count] - 1)
        )
        np.testing.assert_allclose(found.moves[base + quote], move, rtol=1e-9, atol=1e-9)
        expected[base] += move
        expected[quote] -= move
    assert found.sum == 0
    for side, value in expected.items():
        alone = all(side not in code for code in found.moves)
        own = found.values[side]
        assert np.isnan(own) if alone else own == pytest.approx(value, rel=1e-9, abs=1e-9)


@given(
    st.dictionaries(st.sampled_from(list(ALL)), st.integers(2, 60), min_size=2),
    st.sets(st.sampled_from(CURRENCIES), max_size=3),
    st.integers(1, 30),
    st.integers(0, 3),
)
def test_leaving_out_a_currency_is_computing_with_the_others_only(
    lengths: dict[tuple[str, str], int], left_out: set[str], count: int, others: int
) -> None:
    """100 drawn markets, some of their instruments no pairs at all."""
    kept = {pair: bars for pair, bars in lengths.items() if not left_out & set(pair)}
    more = {(f"share{n}", None): 9 + n for n in range(others)}
    asked = StrengthSet(universe=EVERYBODY.name, spans=(StrengthSpan(bars="1d", count=count),))
    seeds = {pair: n for n, pair in enumerate([*more, *lengths])}
    everyone = desk_on(crosses(more | lengths, seeds=seeds))
    without_them = replace(asked, without=tuple(left_out))
    if not kept:
        with pytest.raises(DataError):
            strength_on(everyone, without_them, 0)
        return
    # The newest bar of all is in both markets, so that both look from one moment.
    kept |= {next(iter(kept)): 60}
    everyone = desk_on(crosses(more | lengths | kept, seeds=seeds))
    few = desk_on(crosses(kept, seeds=seeds))
    shown = strength_on(everyone, without_them, 0)
    expected = strength_on(few, asked, 0)
    assert shown == replace(expected, others=shown.others)
    span = shown.spans[0]
    assert span.sum == pytest.approx(sum(v for v in span.values if v is not None), abs=1e-5)


def test_a_pair_that_stopped_trading_counts_for_nobody() -> None:
    panel = crosses(ALL)
    ends = panel.ends.copy()
    ends[0] -= 3
    found = strengths(
        replace(panel, ends=ends), StrengthSpan(bars="1d", count=2), StrengthUnit.PERCENT
    )
    assert found.silent == ("AAABBB",)
    assert found.sum == 0


def test_currencies_are_left_out_and_missing_crosses_told() -> None:
    panel = crosses({pair: n for pair, n in ALL.items() if pair != ("BBB", "DDD")})
    assert absent(panel) == [("BBB", "DDD")]
    left = without(panel, {"BBB"})
    assert left.codes == ("AAACCC", "AAADDD", "CCCDDD")
    assert absent(left) == []
    with pytest.raises(DataError):
        strengths(
            without(panel, {"AAA", "BBB", "CCC"}),
            StrengthSpan(bars="1d", count=2),
            StrengthUnit.PERCENT,
        )
    for ready in READY.values():
        assert all(span.count >= 1 for span in ready.spans)
