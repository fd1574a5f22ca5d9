"""What conditions measure, who misses by a hair, and what a value on a chart suggests."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import example_calls, panel_of
from tests.core.test_scan import closes, must, sieve
from tests.properties.strategies import conditions
from zealous_sieve.core.engine.local import LOCAL, evaluate
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check, check_condition
from zealous_sieve.core.sieve.definition import Condition, Role
from zealous_sieve.core.sieve.gauges import (
    Passes,
    gauges,
    histogram,
    margins,
    step_of,
    terms_of,
)
from zealous_sieve.core.sieve.lacking import too_far
from zealous_sieve.core.sieve.near import nearest_misses, sift_closely, standing
from zealous_sieve.core.sieve.prepare import prepare, truth_of
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.core.sieve.suggesting import RANGE, Seen, suggestions
from zealous_sieve.core.sieve.taken_apart import shape_of

PANEL = panel_of(160, 160, 160, seed=5)
EDGE = 1e-6
"""So near to its threshold a truth may be that of the rounding."""


@given(conditions)
def test_a_condition_holds_exactly_where_its_margin_is_above_zero(text: str) -> None:
    try:
        formula = check_condition(text)
    except FormulaError:
        return
    shape = shape_of(formula)
    measured = terms_of([shape])
    terms = {term.digest.hex(): term for term in measured} | {"truth": truth_of(formula)}
    found = evaluate(terms, PANEL)
    values = {term: found[term.digest.hex()] for term in measured}
    with np.errstate(invalid="ignore", over="ignore"):
        margin = margins(shape, values, {})
    # Where conditions are joined, one that is unknown is as far away as can be.
    known = ~np.isnan(margin) & np.isfinite(found["truth"]) & (np.abs(margin) > EDGE)
    clear = known & (np.abs(margin) < 1e6) if np.isfinite(margin).any() else known
    every = np.all([np.isfinite(values[term]) for term in measured], axis=0)
    assert np.array_equal(margin[clear & every] > 0, found["truth"][clear & every] == 1.0), text


@given(conditions, st.floats(0.5, 90))
def test_a_threshold_is_written_where_it_stands_and_nothing_else_changes(
    text: str, wanted: float
) -> None:
    try:
        before = shape_of(check_condition(text))
    except FormulaError:
        return
    for n, gauge in enumerate(gauges(before)):
        handle = gauge.handle
        if handle is None:
            continue
        value = handle.sign * (round(wanted) if handle.whole else wanted)
        written = handle.written(text, value)
        try:
            after = list(gauges(shape_of(check_condition(written))))
        except FormulaError:
            # A count of bars may be no larger than the bars it counts among.
            if handle.whole:
                continue
            raise
        # The lower bound of two is the lower one, whichever is written first.
        own = after if " between " in text else after[n : n + 1]
        assert any(gauge.threshold == pytest.approx(value) for gauge in own), written
        if handle.suffix or handle.prefix == "":
            assert after[n].term == gauge.term, written


@pytest.mark.parametrize(
    ("text", "measured", "passes", "threshold"),
    [
        (
            "close < sma(close, 9) by 3%",
            "100 * (close - sma(close, 9)) / sma(close, 9)",
            "below",
            -3,
        ),
        ("40 >= rsi(close, 9)", "rsi(close, 9)", "below", 40),
        ("not (rsi(close, 9) > 60)", "rsi(close, 9)", "below", 60),
        ("close > open by 0.7 * atr(9)", "(close - open) / atr(9)", "above", 0.7),
        ("open within 2% of close", "100 * abs(open - close) / close", "below", 2),
        ("rsi(close, 9) > 60 in last 4 bars", "highest(rsi(close, 9), 4)", "above", 60),
        ("rsi(close, 9) > 60 for 4 bars", "lowest(rsi(close, 9), 4)", "above", 60),
        ("close > open at least 2 of 5 bars", "count(close > open, 5)", "above", 2),
        ("(rsi(close, 9) on 1w) > 60", "rsi(close, 9) on 1w", "above", 60),
        ("rsi(close, 9) crosses above 60", "rsi(close, 9)", "across", 60),
    ],
)
def test_what_a_comparison_measures(
    text: str, measured: str, passes: str, threshold: float
) -> None:
    (gauge,) = gauges(shape_of(check_condition(text)))
    own = evaluate({"own": gauge.term, "same": check(measured).outputs["value"].term}, PANEL)
    assert np.allclose(own["own"], own["same"], equal_nan=True)
    assert (gauge.passes, gauge.threshold) == (Passes(passes), threshold)


def test_near_misses_are_those_that_one_condition_alone_keeps_out_the_nearest_first() -> None:
    """Brute force: take each condition away in turn."""
    conditions = [
        must("close > sma(close, 20) by 1%"),
        must("rsi(close, 9) > 55"),
        Condition(role=Role.VETO, formula="close > sma(close, 8) by 4%"),
    ]
    panel = panel_of(*[120] * 60, seed=3)
    whole = prepare(sieve(*conditions))
    near, count = nearest_misses(sift_closely(whole, panel, LOCAL), 100)
    passing = {hit.code for hit in scan(whole, panel, LOCAL).hits}
    expected = {}
    for n in range(3):
        rest = [c for m, c in enumerate(conditions) if m != n]
        for hit in scan(prepare(sieve(*rest)), panel, LOCAL).hits:
            if hit.code not in passing:
                expected[hit.code] = n
    assert {miss.code: miss.condition for miss in near} == expected
    assert count == len(near) > 5
    short = [miss.short for miss in near]
    assert all(short)
    assert short == sorted(short)  # type: ignore[type-var]
    assert {"high" if miss.condition == 2 else "low" for miss in near} == {
        miss.lacks.split()[-1] for miss in near
    }


def test_what_is_lacking_is_told_in_the_unit_that_is_measured() -> None:
    panel = closes([5.0, 5.0], [4.0, 4.0], [9.0, 9.0])
    text = must("close > 4.75"), must("close < 8 for 2 bars")
    closely = sift_closely(prepare(sieve(*text)), panel, LOCAL)
    near, _ = nearest_misses(closely, 9)
    assert {(m.code, m.condition, m.lacks) for m in near} == {
        ("C1", 0, "0.75 too low"),
        ("C2", 1, "1.00 too high"),
    }
    told = standing(closely, 1)
    assert [s.stands_in_the_way for s in told.conditions] == [True, False]
    assert (told.row, told.in_the_way) == (3, 1)


@pytest.mark.parametrize("text", ["close crosses above sma(close, 9)", "close == open"])
def test_a_veto_without_a_number_that_alone_keeps_out_is_a_near_miss_too(text: str) -> None:
    alone = panel_of(160, seed=5)
    found = prepare(sieve(must("close > 0"), Condition(formula=text, role=Role.VETO)))
    held = evaluate({"": truth_of(found.formulas[1])}, alone)[""]
    at = int(np.flatnonzero(held == 1.0)[-1])
    sides = sift_closely(found, alone.ending(np.array([at + 1])), LOCAL)
    ((miss,), count) = nearest_misses(sides, 5)
    assert (miss.condition, miss.short, miss.lacks, count) == (1, None, "", 1)
    told = standing(sides, 0)
    assert [own.stands_in_the_way for own in told.conditions] == [False, True]


def test_of_several_bars_the_one_with_the_fewest_in_the_way_is_told() -> None:
    panel = closes([1.0, 6.0, 1.0])
    closely = sift_closely(
        prepare(sieve(must("close > 5"), must("close > 20"), fired_within=3)), panel, LOCAL
    )
    near, _ = nearest_misses(closely, 5)
    assert [(miss.condition, miss.lacks) for miss in near] == [(1, "14.00 too low")]
    assert standing(closely, 0).row == 1


def test_a_histogram_has_room_for_its_threshold_and_loses_nobody() -> None:
    rng = np.random.default_rng(1)
    for values, threshold in (
        (rng.normal(0, 1, 500), 30.0), (np.full(9, 5.0), 5.0), (np.array([]), 2.0),
        (np.array([np.nan, 1.0]), 1.0), (np.array([-3.0, 1e9] * 50), 0.0),
    ):  # fmt: skip
        own = histogram(values, threshold)
        assert own.low < threshold < own.high
        assert sum(own.counts) + own.unknown == len(values)
        assert step_of(own.low, own.high, whole=False) > 0


def test_a_histogram_shows_no_values_that_can_not_be() -> None:
    volumes, strengths = np.array([0.0, 10.0, 900.0]), np.array([0.4, 60.0, 99.7])
    assert histogram(volumes, 20.0).low == 0
    assert histogram(-volumes, -20.0).high == 0
    (gauge,) = gauges(shape_of(check("rsi(close, 17) > 60")))
    own = histogram(strengths, gauge.threshold, gauge.span)
    assert (own.low, own.high) == (0, 100)
    assert histogram(np.zeros(3), 0.0).low == 0


@pytest.mark.parametrize("bar", [60, 159])
def test_what_a_value_suggests_holds_where_it_was_read(bar: int) -> None:
    """Of every function of the catalogue, and over several bars."""
    told = 0
    bars = {name: PANEL.columns[name][: bar + 1] for name in ("open", "high", "low", "close")}
    ranges = evaluate({"": check(RANGE).outputs["value"].term}, PANEL)[""][: bar + 1]
    for text in (*example_calls(), "close", "high", "low", "volume", "close > open"):
        typed = check(text).value
        if typed is None:
            continue
        values = evaluate({"": typed.term}, PANEL)[""][: bar + 1]
        seen = Seen(text=text, typed=typed, values=values, bars=bars, ranges=ranges)
        for since in (None, 1, 17):
            for own in suggestions(seen, since):
                truth = truth_of(check_condition(own.text))
                assert evaluate({"": truth}, PANEL)[""][bar] == 1.0, own
                told += 1
    assert told > 300


@pytest.mark.parametrize(
    ("text", "value", "told"),
    [
        ("close > sma(close, 20) by 0.5 * atr(14)", 0.2, "0.30 × ATR(14) too low"),
        ("percentile(close, 20) < 20", 31.0, "11 percentage points too high"),
        ("close > sma(close, 9) by 3%", 1.2, "1.80 % of SMA(9) too low"),
        ("close < sma(close, 9)", 1.2, "1.20 % of SMA(9) too high"),
        ("bars_since(close > open) < 5", 6.0, "1 bar too many"),
        ("bars_since(close > open) > 5", 5.0, "just at the threshold: more is asked"),
        ("close < 100", 100.0, "just at the threshold: less is asked"),
        ("close > open at least 3 of 5 bars", 1.0, "2 bars too few"),
        ("close > 100", 99.996, "0.004 too low"),
        ("close within 2% of open", 2.14, "0.14 % of Open too far apart"),
    ],
)
def test_what_is_lacking_is_never_nothing_and_says_what_it_counts(
    text: str, value: float, told: str
) -> None:
    gauge = next(gauges(shape_of(check_condition(text))))
    assert too_far(gauge, value, 0.01) == told


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("close > 90 and close > 120 and volume > 5", "Close: 20.00 too low; Volume: 4 too low"),
        ("close > 120 or volume > 2", "nearest: Volume: 1 too low"),
        ("at least 2 of (close > 90, close > 120, volume > 1.5)", "nearest: Volume: 0.50 too low"),
        ("not (close > 90 or up_bar)", "Close: 10.00 too high"),
        ("up_bar", "just at the threshold: more is asked"),
        ("inside_bar", "Low against Low of the bar before: 3.85 % too low"),
        ("largest(close, 3)", "Close against "),
        ("engulfing == 1", "Close against Open of the bar before: 3.85 % too low"),
        ("body_beyond(close + 5) > 0", "Open against close + 5: 4.76 % too low"),
        ("close == 7 and close > 90", "close == 7: no"),
        ("close > open and open > close", "just at the threshold: more is asked"),
        ("hammer", "High against Low: just at the threshold: more is asked"),
    ],
)
def test_of_several_parts_those_that_fail_are_told_with_what_each_lacks(
    text: str, told: str
) -> None:
    panel = closes([98.0, 104.0, 100.0])
    (side,) = sift_closely(prepare(sieve(must(text))), panel, LOCAL)
    (reason,) = side.standings(0).conditions
    assert told in reason.lacks
