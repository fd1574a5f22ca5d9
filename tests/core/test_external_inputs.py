"""Other timeframes, other instruments, and the whole universe, against plain computations."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pytest

from tests.bars import DAY, one, panel_of, values, walk
from zealous_sieve.core.engine.build import bars_of, closed_only
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.formula.timeframe import Timeframe, of_seconds, read_timeframe

MONDAY = 4 * DAY
"""The first Monday after the epoch."""


def weekdays(bars: int, seed: int = 3) -> Panel:
    """Daily bars from Monday to Friday, with a Friday and a whole week missing."""
    columns = walk(bars, seed)[1]
    days = np.array([MONDAY + (n // 5 * 7 + n % 5) * DAY for n in range(bars)])
    kept = np.ones(bars, dtype=bool)
    kept[[14, *range(30, 35)]] = False
    return Panel.of({"A": (days[kept], {n: c[kept] for n, c in columns.items()})})


def date(seconds: int) -> dt.date:
    return dt.datetime.fromtimestamp(int(seconds), dt.UTC).date()


def slow_week(panel: Panel, known_at: int) -> list[int]:
    """Rows of each week that was over (with its Friday) when a bar closed at a moment."""
    weeks: dict[tuple[int, int], list[int]] = {}
    for row, time in enumerate(panel.times):
        weeks.setdefault(date(time).isocalendar()[:2], []).append(row)
    done = []
    for rows in weeks.values():
        first = date(panel.times[rows[0]])
        friday = first + dt.timedelta(days=4 - first.weekday())
        end = dt.datetime.combine(friday, dt.time(), dt.UTC).timestamp() + DAY
        if end <= known_at:
            done = rows
    return done


def test_a_weekly_value_is_that_of_the_last_week_that_was_over() -> None:
    panel = weekdays(80)
    high, close = panel.columns["high"], panel.columns["close"]
    top, last = values("high on 1w", panel), values("close on 1w", panel)
    for row, time in enumerate(panel.times):
        week = slow_week(panel, int(time) + DAY)
        if not week:
            assert np.isnan(top[row])
        else:
            assert top[row] == max(high[r] for r in week)
            assert last[row] == close[week[-1]]


def test_a_comparison_and_one_operand_can_take_another_timeframe() -> None:
    panel = weekdays(200)
    whole = values("close > sma(close, 4) on 1w", panel)
    by_hand = values("(close on 1w) > (sma(close, 4) on 1w)", panel)
    np.testing.assert_array_equal(whole, by_hand)
    mixed = values("close > (sma(close, 4) on 1w)", panel)
    assert not np.array_equal(mixed[100:], whole[100:])


def test_pivots_are_of_the_period_before_the_one_the_bar_is_in() -> None:
    panel = weekdays(60)
    first, last = 10, 13
    week = slice(5, 10)
    high, low = panel.columns["high"][week].max(), panel.columns["low"][week].min()
    middle = (high + low + panel.columns["close"][9]) / 3
    np.testing.assert_allclose(values('pivots("week").p', panel)[first : last + 1], middle)
    np.testing.assert_allclose(values('pivots("week").r1', panel)[first], 2 * middle - low)
    np.testing.assert_allclose(values('pivots("week").s3', panel)[last], low - 2 * (high - middle))


def test_bars_know_their_weekday() -> None:
    found = values("day_of_week", weekdays(40))
    np.testing.assert_array_equal(found[:10], [1, 2, 3, 4, 5] * 2)


def test_months_and_several_days_follow_the_calendar() -> None:
    panel = weekdays(200)
    monthly = bars_of(panel, Timeframe(1, read_timeframe("1mo").unit))  # type: ignore[union-attr]
    months = [date(t).replace(day=1) for t in panel.times]
    assert len(monthly.times) == len(set(months))
    assert monthly.columns["volume"].sum() == pytest.approx(panel.columns["volume"].sum())
    two = bars_of(panel, Timeframe(2, read_timeframe("1d").unit))  # type: ignore[union-attr]
    assert (two.ends - two.starts).max() < len(panel.times)


def test_intraday_bars_count_from_the_first_bar_of_the_day() -> None:
    minutes = np.concatenate([np.arange(9 * 60 + 30, 16 * 60) + day * 1440 for day in range(4, 6)])
    times = minutes.astype(np.int64) * 60
    closes = np.arange(len(times), dtype=float) + 1
    panel = one({"close": closes}, times)
    assert of_seconds(panel.duration) == Timeframe(1, read_timeframe("1m").unit)  # type: ignore[union-attr]
    slow = bars_of(panel, read_timeframe("80m"))  # type: ignore[arg-type]
    begins = [(int(t) % DAY) // 60 for t in slow.times[:5]]
    assert begins == [570, 650, 730, 810, 890]
    seen = values("close on 80m", panel)
    assert np.isnan(seen[78])
    assert seen[79] == closes[79]
    assert seen[158] == closes[79]
    assert seen[159] == closes[159]


@pytest.mark.parametrize(
    "text",
    ["high on 1w", "sma(close, 3) on 2d", "rsi(4) on 1mo", "close on 3w", "(close on 1mo) on 1w"],
)
def test_slower_values_do_not_change_when_the_future_is_cut_off(text: str) -> None:
    panel = weekdays(120)
    whole = values(text, panel)
    for cut in range(1, 110, 7):
        shorter = panel.ending(np.array([cut]))
        np.testing.assert_array_equal(values(text, shorter)[:cut], whole[:cut])


def test_a_timeframe_finer_than_the_data_is_refused() -> None:
    with pytest.raises(DataError, match="5m is finer than the bars there are, which are 1d"):
        values("close on 5m", panel_of(10))


def test_only_closed_bars_are_left_at_a_moment() -> None:
    slow = bars_of(weekdays(40), read_timeframe("1w"))  # type: ignore[arg-type]
    thursday = MONDAY + 7 * DAY + 3 * DAY
    assert closed_only(slow, thursday).bars == 1


def test_another_instrument_is_matched_in_time_and_never_from_the_future() -> None:
    times, columns = walk(60, 5)
    other = {name: column[::3] for name, column in walk(60, 6)[1].items()}
    panel = Panel.of({"A": (times, columns), "B": (times[::3], other)})
    seen = values('close of "B"', panel.choose(["A"]))
    for row in range(60):
        assert seen[row] == other["close"][row // 3]
    ratio = values('ratio_to("B")', panel.choose(["A"]))
    np.testing.assert_allclose(ratio[:60], columns["close"] / seen[:60])
    with pytest.raises(DataError, match="no bars of NOPE"):
        values('close of "NOPE"', panel)


def test_beta_and_correlation_agree_with_their_definitions() -> None:
    panel = panel_of(90, 90)
    own = np.diff(panel.columns["close"][panel.rows(0)]) / panel.columns["close"][:89]
    market = panel.columns["close"][panel.rows(1)]
    other = np.diff(market) / market[:-1]
    expected = np.cov(own[-30:], other[-30:], bias=True)
    beta = values('beta(30, "A1")', panel.choose(["A0"]))[89]
    assert beta == pytest.approx(expected[0, 1] / expected[1, 1], rel=1e-9)
    tie = values('correlation(roc(close, 1), roc(close, 1) of "A1", 30)', panel.choose(["A0"]))[89]
    assert tie == pytest.approx(np.corrcoef(own[-30:], other[-30:])[0, 1], rel=1e-9)


def test_the_other_instrument_can_be_the_one_that_a_fact_names() -> None:
    panel = panel_of(40, 40, 40).with_facts({"cash": ("A2", None, "A0")})
    seen = values('sma(close, 3) of fact("cash")', panel)
    for position, code in ((0, "A2"), (2, "A0")):
        expected = values(f'sma(close, 3) of "{code}"', panel)
        np.testing.assert_array_equal(seen[panel.rows(position)], expected[panel.rows(position)])
    assert np.isnan(seen[panel.rows(1)]).all()


def by_moment(panel: Panel, column: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
    """A column as instruments × moments; all instruments have the same times."""
    return np.stack([column[panel.rows(n)] for n in range(len(panel))])


def test_rank_mean_zscore_and_breadth_are_those_of_each_moment() -> None:
    panel = panel_of(*[40] * 7)
    closes = by_moment(panel, panel.columns["close"])
    order = closes.argsort(axis=0).argsort(axis=0)
    np.testing.assert_allclose(by_moment(panel, values("rank(close)", panel)), 100 * order / 6)
    means = by_moment(panel, values("mean_across(close)", panel))
    np.testing.assert_allclose(means[0], closes.mean(axis=0))
    scores = by_moment(panel, values("zscore_across(close)", panel))
    np.testing.assert_allclose(scores, (closes - closes.mean(axis=0)) / closes.std(axis=0))
    above = by_moment(panel, values("breadth(close > 100)", panel))
    np.testing.assert_allclose(above[3], 100 * (closes > 100).mean(axis=0))


def test_who_pauses_is_nobody_meanwhile_and_its_old_value_does_not_linger() -> None:
    series = {f"A{n}": walk(12, n) for n in range(3)}
    times, columns = series["A1"]
    kept = ~np.isin(np.arange(12), [5, 6, 7])
    series["A1"] = (times[kept], {name: column[kept] for name, column in columns.items()})
    panel = Panel.of(series)
    ranks = values("rank(close)", panel)
    spread = values("breadth(close > 100)", panel)
    for day in range(12):
        here = [n for n in range(3) if n != 1 or kept[day]]
        rows = [panel.rows(n).start + int((series[f"A{n}"][0] < times[day]).sum()) for n in here]
        closes = panel.columns["close"][rows]
        np.testing.assert_allclose(
            ranks[rows], 100 * closes.argsort().argsort() / (len(here) - 1), err_msg=f"{day}"
        )
        np.testing.assert_allclose(spread[rows], 100 * (closes > 100).mean())


def test_equal_values_share_the_mean_rank_and_groups_are_apart() -> None:
    flat = {f"C{n}": (np.array([0]), {k: np.array([v]) for k in ("open", "high", "low", "close")})
            for n, v in enumerate([1.0, 1.0, 2.0, 5.0, 9.0])}  # fmt: skip
    panel = Panel.of(flat).with_facts({"sector": ("a", "a", "a", "b", "b")})
    np.testing.assert_allclose(values("rank(close)", panel), [12.5, 12.5, 50, 75, 100])
    np.testing.assert_allclose(values('rank(close, by="sector")', panel), [25, 25, 100, 0, 100])


def test_facts_are_numbers_of_the_instrument() -> None:
    panel = panel_of(5, 5)
    np.testing.assert_array_equal(by_moment(panel, values('fact("size")', panel))[:, 0], [1, 2])
    assert np.isnan(values('fact("unheard")', panel)).all()


def test_first_one_then_the_other_within_some_bars() -> None:
    panel = one({"close": [1, 9, 1, 5, 1, 5, 1, 1, 5], "open": [2] * 9})
    found = values("close > 8 then close == 5 within 3 bars", panel)
    np.testing.assert_array_equal(found[1:], [0, 0, 1, 0, 0, 0, 0, 0])
    same_bar = values("close > 8 then close > 8 within 3 bars", panel)
    assert not (same_bar == 1).any()


def test_tally_and_lean_count_conditions() -> None:
    panel = one({"close": [1, 5, 9]})
    counted = values("tally(close > 0, close > 4, close > 8)", panel)
    np.testing.assert_array_equal(counted, [1, 2, 3])
    leaning = values("lean(close > 4, close < 4, close > 8, close < 2)", panel)
    np.testing.assert_array_equal(leaning, [-2, 1, 2])
