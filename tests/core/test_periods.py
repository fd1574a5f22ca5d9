"""What looks at the period before, at what is due, and at patterns of its own."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np

from tests.bars import DAY, DAYTIME, background, minutes, one, panel_of, values, walk
from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.timeframe import timeframe

MONDAY = 4 * DAY


def on_days(days: list[int], known: Background | None = None) -> Panel:
    """Daily bars on days counted from a Monday."""
    _, columns = walk(len(days), seed=9)
    panel = one(columns, MONDAY + np.array(days, dtype=np.int64) * DAY)
    return panel.with_background([known or background(0, DAYTIME)])


def test_the_week_before_is_the_last_whole_one_across_holidays_on_its_first_bar_too() -> None:
    whole = [d for d in range(28) if d % 7 < 5]
    for missing in ([], [4], [7], [4, 7], [11, 14, 15], [7, 8, 9, 10, 11]):
        panel = on_days([d for d in whole if d not in missing])
        found = values('pivots("week").r1', panel)
        week = (panel.times - MONDAY) // (7 * DAY)
        for bar in range(len(week)):
            past = week[week < week[bar]]
            if not len(past):
                assert np.isnan(found[bar])
                continue
            rows = week == past.max()
            h, lo = panel.columns["high"][rows].max(), panel.columns["low"][rows].min()
            middle = (h + lo + panel.columns["close"][rows][-1]) / 3
            np.testing.assert_allclose(found[bar], 2 * middle - lo)


def test_the_day_before_is_whole_where_minutes_are_missing() -> None:
    times, columns = minutes(3, seed=2)
    midday = (times % DAY) // 60
    for gone in (midday >= DAYTIME.hours[-1][1] - 40, midday < DAYTIME.hours[0][0] + 25):
        kept = {name: column[~gone] for name, column in columns.items()}
        fast = Panel.of({"A0": (times[~gone], kept)}).with_background([background(0, DAYTIME)])
        daily = bars_of(fast, timeframe("1d"))
        found = values('pivots("day").s1', fast)
        for bar, day in enumerate(fast.times // DAY):
            before = np.flatnonzero(daily.times // DAY < day)
            if len(before):
                h, lo, c = (daily.columns[n][before[-1]] for n in ("high", "low", "close"))
                np.testing.assert_allclose(found[bar], 2 * (h + lo + c) / 3 - h)


def test_what_is_due_is_counted_from_today() -> None:
    due = np.array([2, 11], dtype=np.int64) * DAY + MONDAY
    known = Background(session=DAYTIME, events={"report": due})
    panel = on_days([0, 1, 2, 3, 4, 7], known)
    np.testing.assert_array_equal(values('days_to_event("report")', panel), [2, 1, 0, 8, 7, 4])
    sessions = values('days_to_event("report").sessions', panel)
    np.testing.assert_array_equal(sessions, [2, 1, 0, 6, 5, 4])
    tuesday = panel.as_of(MONDAY + 8 * DAY + 40_000)
    assert values('days_to_event("report")', tuesday, last=1)[0, 0] == 3
    assert values('days_to_event("report")', tuesday)[4] == 7
    weekend = panel.as_of(MONDAY + 5 * DAY)
    assert values('days_to_event("report").days', weekend, last=1)[0, 0] == 6
    assert values('days_to_event("report").sessions', weekend, last=1)[0, 0] == 5


def test_nothing_due_is_an_answer_where_the_calendar_reaches_far_enough() -> None:
    panel = panel_of(30, 30)
    soon = 40 * DAY
    for last, told in ((soon, math.inf), (29 * DAY + 6 * DAY, math.nan), (10 * DAY, math.nan)):
        calendars = [{"report": np.array([5 * DAY])}, {"report": np.array([last], dtype=np.int64)}]
        own = [replace(panel.known(n), events=calendars[n]) for n in range(2)]
        known = panel.with_background(own)
        assert values('days_to_event("report")', known)[5] == 0
        np.testing.assert_equal(values('days_to_event("report")', known, last=1)[0, 0], told)
        due = values('days_to_event("report") < 3', known, last=1)[0, 0]
        np.testing.assert_equal(due, 0.0 if told == math.inf else math.nan)


def test_an_anchored_mean_begins_on_the_first_bar_where_its_anchor_holds_or_lies_before() -> None:
    panel = one({"close": [1.0, 2, 3, 4]})
    for text in ("anchored_vwap(close > 0)", 'anchored_vwap("1960-01-01")'):
        np.testing.assert_allclose(values(text, panel), [1, 1.5, 2, 2.5])
    late = values("anchored_vwap(prev(close) > 0)", panel)
    np.testing.assert_allclose(late, [math.nan, 2, 2.5, 3])


def test_a_touch_turns_the_parabolic_stop_over_beyond_the_bar() -> None:
    low = [10.0, 11, 12, 13, 10.0]
    high = [11.0, 12, 13, 14, 15.0]
    panel = one({"close": low, "open": low, "low": low, "high": high})
    side, stop = values("sar(0.02, 0.2).direction", panel), values("sar(0.02, 0.2).value", panel)
    np.testing.assert_array_equal(side[1:], [1, 1, 1, -1])
    assert stop[-1] == 15.0
    flat = [10.0, 11, 12, 12, 12]
    touched = one({"close": flat, "open": flat, "low": flat, "high": [v + 1 for v in flat]})
    np.testing.assert_array_equal(values("sar(1, 1).direction", touched)[1:], [1, 1, 1, -1])


def zigzag(*turns: float) -> Panel:
    """Bars of one price each that run straight from turn to turn, four bars a leg."""
    close = np.concatenate([np.linspace(a, b, 5)[:-1] for a, b in pairwise(turns)])
    return one({"close": close})


def test_head_and_shoulders_tells_the_neckline_of_the_pattern_that_fires() -> None:
    both = one({"close": [*zigzag(90, 100, 95, 110, 85, 100, 95).columns["close"], 95, 96, 97]})
    direction, neckline, error = (
        values(f"head_shoulders(2, 6).{output}", both)
        for output in ("direction", "neckline", "error")
    )
    np.testing.assert_array_equal(direction[-2:], [0, 1])
    np.testing.assert_allclose(neckline[-2:], [85 - 9 * 10 / 8, 100 - 6 * 10 / 8])
    np.testing.assert_allclose(error[-2:], [0, 0])


def test_a_divergence_is_unknown_before_its_input_exists() -> None:
    panel = panel_of(120, seed=3)
    found = values("divergence(rsi(close, 14), 2, 60).bearish", panel)
    assert np.isnan(found[: 14 + 4]).all()
    assert set(found[18:][~np.isnan(found[18:])]) <= {0.0, 1.0}
