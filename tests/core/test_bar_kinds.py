"""Bars by the clock and by what happens: nothing repaints, nothing is lost, each definition is kept."""

from __future__ import annotations

import numpy as np
import pytest

from tests.bars import DAY, KINDS, Series, example_calls, market_of, name_of, one
from zealous_sieve.core.engine.build import bars_of, closed_only, seen_at
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import NEVER, Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.formula.timeframe import read_timeframe, timeframe

MARKET = market_of()
FIRST = int(MARKET.bases[1].times[0])
MOMENTS = [FIRST + minutes * 60 for minutes in (1, 77, 245, 601, 1530, 2100, 3000, 3480)]


def everything() -> dict[str, Term]:
    """All outputs of all functions, and the words that look at slower bars and back in time."""
    texts = [*example_calls(), "close > open on 1d", "close on brick(5, 10)", "close on 80m"]
    texts += ["(close > open) then close < open within 3 bars", "close > open for 2 bars"]
    texts += ["delta", "trades", "form_seconds", "skipped_levels", "feed_lag_ms"]
    texts += ['close of "A1"']
    return {text: next(iter(check(text).outputs.values())).term for text in texts}


TERMS = everything()
NEWEST = {"days_to_event": "on the newest bar it counts from today, not from the bar's own day"}
"""Functions whose value on the newest bar is not that of the bar once others follow, and why."""


def bars_at(moment: int, kind: str, *, forming: bool = False) -> Panel:
    return seen_at(MARKET, moment, timeframe(kind), forming=forming)


@pytest.mark.parametrize("kind", KINDS)
def test_bars_that_have_closed_never_change(kind: str) -> None:
    last = bars_at(NEVER, kind)
    for moment in MOMENTS:
        then = bars_at(moment, kind)
        for n in range(len(last)):
            rows = then.rows(n)
            later = slice(last.starts[n], last.starts[n] + rows.stop - rows.start)
            np.testing.assert_array_equal(then.times[rows], last.times[later])
            np.testing.assert_array_equal(then.close_times(rows), last.close_times(later))
            assert (then.close_times(rows) <= moment).all()
            for name, column in then.columns.items():
                np.testing.assert_array_equal(column[rows], last.columns[name][later])


@pytest.mark.parametrize("kind", KINDS)
def test_no_function_changes_its_past_on_any_kind_of_bar(kind: str) -> None:
    last = bars_at(NEVER, kind)
    whole = evaluate(TERMS, last)
    for moment in MOMENTS[::2]:
        then = bars_at(moment, kind)
        known = evaluate(TERMS, then)
        for n in range(len(then)):
            rows = then.rows(n)
            later = slice(last.starts[n], last.starts[n] + rows.stop - rows.start)
            for text, column in known.items():
                kept = slice(0, -1 if name_of(text) in NEWEST else None)
                expected = whole[text][later][kept]
                np.testing.assert_array_equal(column[rows][kept], expected, err_msg=text)


@pytest.mark.parametrize("kind", KINDS)
def test_forming_bars_add_one_bar_and_change_no_closed_one(kind: str) -> None:
    for moment in MOMENTS:
        closed, forming = bars_at(moment, kind), bars_at(moment, kind, forming=True)
        for n in range(len(closed)):
            own, grown = closed.rows(n), forming.rows(n)
            shared = slice(grown.start, grown.start + own.stop - own.start)
            assert 0 <= (grown.stop - grown.start) - (own.stop - own.start) <= 1
            for name, column in closed.columns.items():
                np.testing.assert_array_equal(column[own], forming.columns[name][shared])
            marks = forming.columns["_unfinished"][grown]
            assert not marks[:-1].any()
            assert (forming.close_times(grown) <= moment).all()


def test_the_unfinished_bar_is_what_has_been_traded_since_the_last_closed_one() -> None:
    moment = MOMENTS[4]
    midnight = moment // DAY * DAY
    today = bars_at(moment, "1d", forming=True)
    for n in range(len(today)):
        last = int(today.ends[n]) - 1
        fastest = MARKET.bases[0 if n == 0 else 1].as_of(moment)
        rows = fastest.rows(n)
        rows = slice(rows.start, rows.start + int(np.searchsorted(fastest.times[rows], moment)))
        first = rows.start + int(np.searchsorted(fastest.times[rows], midnight))
        own = {name: column[first : rows.stop] for name, column in fastest.columns.items()}
        assert today.columns["open"][last] == own["open"][0]
        assert today.columns["high"][last] == own["high"].max()
        assert today.columns["low"][last] == own["low"].min()
        assert today.columns["close"][last] == own["close"][-1]
        assert today.columns["volume"][last] == own["volume"].sum()
    other = evaluate({"x": TERMS['close of "A1"']}, today.choose(["A0"]))["x"]
    assert other[today.ends[0] - 1] == today.columns["close"][today.ends[1] - 1]
    weekly = check("(high on 1w)").outputs["value"].term
    seen = evaluate({"x": weekly}, today)["x"]
    for n in range(len(today)):
        rows = today.rows(n)
        assert seen[rows][-1] == today.columns["high"][rows].max()
        assert seen[rows][0] == today.columns["high"][rows][0]


@pytest.mark.parametrize("kind", [k for k in KINDS if not k.startswith("brick")])
def test_bars_hold_all_that_was_traded_and_reach_as_far(kind: str) -> None:
    built = bars_of(MARKET, timeframe(kind))
    fast = MARKET.bases[1]
    for n in range(len(built) if kind not in ("45s", "ticks(150)") else 1):
        rows, own = built.rows(n), fast.rows(n)
        columns = {name: column[rows] for name, column in built.columns.items()}
        assert columns["volume"].sum() == pytest.approx(fast.columns["volume"][own].sum())
        assert columns["close"][-1] == fast.columns["close"][own][-1]
        assert (columns["high"] >= np.maximum(columns["open"], columns["close"])).all()
        assert (columns["low"] <= np.minimum(columns["open"], columns["close"])).all()
        assert (built.times[rows][:-1] <= built.times[rows][1:]).all()
        assert (built.close_times(rows) >= built.times[rows]).all()


def trades(*prices: float, size: float = 1.0) -> Panel:
    """Single trades, a second apart, as bars of a second."""
    times = np.arange(len(prices), dtype=np.int64) + 10 * 3600
    return one({"close": list(prices), "volume": [size] * len(prices)}, times)


def built(panel: Panel, kind: str) -> list[tuple[float, ...]]:
    own = bars_of(panel, timeframe(kind))
    names = ("open", "high", "low", "close", "volume")
    done = own.close_times(own.rows(0)) < NEVER
    return [tuple(float(own.columns[n][r]) for n in names) for r in np.flatnonzero(done)]


def test_a_brick_goes_on_by_its_size_and_turns_by_its_reversal() -> None:
    walk = trades(10.00, 10.05, 10.11, 10.21, 10.12, 10.02, 10.01, 9.91)
    assert built(walk, "brick(10, 20)") == [
        (10.00, 10.10, 10.00, 10.10, 3.0),
        (10.10, 10.20, 10.10, 10.20, 1.0),
        (10.20, 10.20, 10.00, 10.00, 4.0),
    ]


def test_a_jump_lays_several_bricks_and_counts_its_volume_once() -> None:
    bricks = built(trades(10.00, 10.35, size=7.0), "brick(10, 20)")
    assert [(b[0], b[3]) for b in bricks] == [(10.0, 10.1), (10.1, 10.2), (10.2, 10.3)]
    assert [b[4] for b in bricks] == [14.0, 0.0, 0.0]


def test_a_range_bar_ends_with_the_trade_that_makes_its_range() -> None:
    bars = built(trades(10.00, 10.04, 10.12, 10.11, 10.30, 10.31), "range(12)")
    assert [(b[0], b[1], b[2], b[3]) for b in bars[:2]] == [
        (10.00, 10.12, 10.00, 10.12),
        (10.11, 10.30, 10.11, 10.30),
    ]


def test_a_volume_bar_ends_when_it_is_full() -> None:
    bars = built(trades(1, 2, 3, 4, 5, 6, 7, size=40), "volume(100)")
    assert [(b[3], b[4]) for b in bars[:2]] == [(3.0, 120.0), (6.0, 120.0)]


def test_bars_of_trades_range_and_volume_end_with_their_day() -> None:
    two_days = np.array([10 * 3600, 10 * 3600 + 1, DAY + 10 * 3600], dtype=np.int64)
    panel = one({"close": [10.0, 10.01, 10.02], "volume": [1.0, 1.0, 1.0]}, two_days)
    for kind in ("range(50)", "volume(50)"):
        own = bars_of(panel, timeframe(kind))
        assert own.bars == 2
        assert own.close_times(own.rows(0))[0] == DAY


def test_an_odd_number_of_minutes_counts_from_the_open_and_ends_with_the_session() -> None:
    bars = bars_of(MARKET, timeframe("80m"))
    rows = bars.rows(1)
    minutes = (bars.times[rows][:8] % DAY) // 60
    assert list(minutes) == [480, 560, 640, 720, 800, 880, 960, 1040]
    assert (bars.close_times(rows)[7] % DAY) // 60 == 1080


def test_the_best_base_is_the_slowest_that_fits() -> None:
    assert bars_of(MARKET, timeframe("1d")).times is MARKET.times
    hours = bars_of(MARKET, timeframe("1h"))
    assert hours.columns.keys() == MARKET.bases[1].columns.keys()
    assert bars_of(MARKET, timeframe("45s")).ends[1] == bars_of(MARKET, timeframe("45s")).starts[1]


def test_what_cannot_be_built_is_refused_with_the_base() -> None:
    daily = one({"close": [1.0, 2.0, 3.0]})
    with pytest.raises(DataError, match="finer than"):
        bars_of(daily, timeframe("5m"))
    with pytest.raises(DataError, match="needs trades"):
        bars_of(daily, timeframe("ticks(10)"))
    for wrong in ("brick(0)", "ticks(1, 2)", "range()", "5x", "0m", "volume(1.5)"):
        assert read_timeframe(wrong) is None


@pytest.mark.parametrize("kind", KINDS)
def test_no_bars_one_bar_and_an_empty_day_are_answered(kind: str) -> None:
    nothing: Series = (np.empty(0, np.int64), {n: np.empty(0) for n in MARKET.columns})
    single = one({"close": [10.0], "volume": [5.0], "trades": [3.0]}, np.array([4 * DAY]))
    empty = Panel.of({"A": nothing}).with_columns({"trades": np.empty(0)})
    for panel in (empty, single.with_columns({"trades": np.array([3.0])})):
        fine = Panel(**{**vars(panel), "duration": 1})
        own = closed_only(bars_of(fine, timeframe(kind)), NEVER - 1)
        assert own.bars <= panel.bars


def test_sources_of_trades_are_missing_where_none_are_kept() -> None:
    bars = bars_of(MARKET, timeframe("7m"))
    found = evaluate({"t": TERMS["trades"], "d": TERMS["delta"]}, bars)
    taped, plain = bars.rows(0), bars.rows(1)
    assert np.nansum(found["t"][taped]) == MARKET.bases[0].bars
    tape = MARKET.bases[0].columns
    bought = float((tape["buy_volume"] - tape["sell_volume"]).sum())
    assert np.nansum(found["d"][taped]) == pytest.approx(bought)
    assert np.isnan(found["t"][plain]).all()
