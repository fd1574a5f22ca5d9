"""Moments of a scatter, and what instruments were at them, by the plain definition."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import walk
from zealous_sieve.core.engine.develop import looked_at
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.terms import on_timeframe
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.pages.scatter import READY, last_moments, session_moments

HOUR = 3600


def hourly(*days: list[int]) -> Panel:
    """Instruments with bars at these hours of the first days."""
    series = {}
    for n, hours in enumerate(days):
        _, columns = walk(max(1, len(hours)), seed=n)
        times = np.array([hour * HOUR for hour in hours], dtype=np.int64)
        series[f"A{n}"] = (times, {name: own[: len(hours)] for name, own in columns.items()})
    return replace(Panel.of(series), duration=HOUR)


@given(
    st.lists(st.sets(st.integers(0, 60)).map(sorted), min_size=1, max_size=5),
    st.integers(1, 9),
)
def test_at_each_moment_an_instrument_is_what_its_last_closed_bar_says(
    hours: list[list[int]], count: int
) -> None:
    panel = hourly(*hours)
    moments = last_moments(panel, count)
    every = sorted({(hour + 1) * HOUR for own in hours for hour in own})
    assert moments.tolist() == every[-count:]
    if not every:
        return
    seen = on_timeframe(check("close").outputs["value"].term, timeframe("1h"))
    looked = evaluate({"close": seen}, looked_at(panel, moments))["close"]
    found = looked.reshape(len(panel), len(moments)).T
    for row, moment in enumerate(moments.tolist()):
        for i in range(len(panel)):
            rows = panel.rows(i)
            closed = panel.times[rows] + HOUR <= moment
            expected = panel.columns["close"][rows][closed][-1:].tolist() or [np.nan]
            np.testing.assert_equal(found[row, i], expected[0])


def test_a_session_is_that_of_the_instrument_that_traded_last() -> None:
    gone, busy, late = [3, 4, 5], [8, 9, 24 + 8, 24 + 9, 24 + 10], [24 + 9, 24 + 10]
    panel = hourly(gone, busy, late, [])
    assert session_moments(panel).tolist() == [(24 + hour) * HOUR for hour in (9, 10, 11)]
    assert session_moments(hourly([], [])).tolist() == []
    assert session_moments(hourly([7])).tolist() == [8 * HOUR]


def test_ready_scatters_can_be_read() -> None:
    for ready in READY.values():
        for measure in (ready.x, ready.y, ready.size):
            assert check(measure.formula).value is not None
