"""Rules of the product, each with a test that fails when the rule is turned round."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.bars import DAY, DAYTIME, background, market_of, one, panel_of, values, walk
from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.build import bars_of, seen_at
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.session import read_session
from zealous_sieve.core.errors import DataError, FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.speech.figures import figure
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.functions.units import NONE, PRICE
from zealous_sieve.core.market.data_quality import inspect
from zealous_sieve.core.market.staleness import missed_sessions, stale
from zealous_sieve.core.sieve.definition import Condition, Role, Sieve
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.funnel import Count
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.judging import judge, provisional
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan

MARKET = market_of(days=3)
MIDDAY = int(MARKET.bases[1].times[-1]) // DAY * DAY + 10 * 3600 + 7 * 60


def sieve(*conditions: Condition, **rest: object) -> Sieve:
    return Sieve(name="Test", universe="any", conditions=conditions, **rest)  # type: ignore[arg-type]


def must(formula: str) -> Condition:
    return Condition(formula=formula)


@pytest.mark.parametrize(
    ("formula", "frame", "forming", "expected"),
    [
        ("close > 0", "1d", True, True),
        ("close > 0", "1d", False, False),
        ("close > 0", "15m", True, True),
        ("close > 0 on 1d", "1h", True, True),
        ("close > 0 on 1d", "1h", False, False),
    ],
)
def test_a_hit_is_provisional_exactly_when_it_rests_on_a_bar_that_has_not_closed(
    formula: str, frame: str, forming: bool, expected: bool
) -> None:
    prepared = prepare(sieve(must(formula)))
    panel = seen_at(MARKET, MIDDAY, timeframe(frame), forming=forming)
    assert [hit.provisional for hit in scan(prepared, panel, LOCAL).hits] == [expected] * 3
    on_the_hour = seen_at(MARKET, MIDDAY - 7 * 60, timeframe("15m"), forming=True)
    assert not provisional(prepare(sieve(must("close > 0"))), on_the_hour, 1)


@pytest.mark.parametrize(
    ("formula", "over"),
    [
        ("true_range > 1", False),
        ("atr(3) > 1", False),
        ("stdev(close, 5) > 1", False),
        ("close - sma(close, 5) > 1", False),
        ("sma(close, 5) > 1", True),
        ("close - atr(3) > 1", True),
        ("highest(high, 5) > 1", True),
    ],
)
def test_prices_are_drawn_over_the_price_and_distances_are_not(formula: str, over: bool) -> None:
    (line,) = lines(prepare(sieve(must(formula))))
    assert (line.pane == "price") is over


def test_a_session_ends_before_the_bar_that_opens_at_its_end() -> None:
    monday = 4 * DAY
    minutes = [419, 420, 719, 720, 779, 780, 1139, 1140]
    times = monday + np.array(minutes, dtype=np.int64) * 60
    panel = one({"close": [1.0] * len(minutes)}, times)
    known = Background(session=read_session("Yard", "07:00-12:00 13:00-19:00"))
    inside = values('in_session("Yard")', panel.with_background([known]))
    np.testing.assert_array_equal(inside, [0, 1, 1, 0, 0, 1, 1, 0])
    saturday = one({"close": [1.0]}, times[1:2] + 5 * DAY).with_background([known])
    np.testing.assert_array_equal(values('in_session("Yard")', saturday), [0])


@pytest.mark.parametrize(
    ("frame", "days"), [("1d", 1), ("3d", 3), ("1w", 5), ("2w", 10), ("1mo", 22)]
)
def test_the_lookback_of_slower_bars_counts_the_days_they_take(frame: str, days: int) -> None:
    assert check(f"(sma(close, 7) on {frame})").lookback == 7 * days
    assert check(f"sma((sma(close, 7) on {frame}), 3)").lookback == 7 * days + 2


CELLS = [
    (Role.MUST, "close > 0", Cell.PASS),
    (Role.BOOST, "close > 0", Cell.PASS),
    (Role.BOOST, "close < 0", Cell.MISS),
    (Role.BOOST, "sma(close, 99) > 0", Cell.UNKNOWN),
    (Role.VETO, "close < 0", Cell.PASS),
    (Role.VETO, "trades > 0", Cell.UNKNOWN),
]


@pytest.mark.parametrize(("role", "formula", "cell"), CELLS)
def test_the_mesh_shows_how_each_condition_stands(role: Role, formula: str, cell: Cell) -> None:
    found = scan(
        prepare(sieve(must("close > 0"), Condition(role=role, formula=formula))), panel_of(9), LOCAL
    )
    assert found.hits[0].cells[1] == cell


def test_a_veto_that_holds_is_a_cross_where_an_earlier_bar_is_looked_at() -> None:
    prepared = prepare(sieve(must("close > 0"), Condition(role=Role.VETO, formula="close > 1")))
    values_there = np.array([[0.0 if "close >" not in t else 1.0 for t in prepared.numbers()]])
    cells, unknown = judge(prepared, values_there, panel_of(9), np.array([8]))
    assert (cells, unknown) == ([(Cell.PASS, Cell.VETO)], {})


def test_counts_tell_what_each_role_does() -> None:
    """Of twelve: eight pass the must, six of them are not vetoed; a boost takes nothing away."""
    close = {f"C{n}": one({"close": [float(n)]}) for n in range(1, 13)}
    panel = Panel.of({code: (own.times, dict(own.columns)) for code, own in close.items()})
    conditions = (
        must("close > 4"),
        Condition(role=Role.BOOST, formula="close > 9"),
        Condition(role=Role.VETO, formula="close > 10"),
    )
    assert scan(prepare(sieve(*conditions)), panel, LOCAL).counts == (
        Count(alone=8, so_far=8, without=10),
        Count(alone=3, so_far=8, without=6),
        Count(alone=10, so_far=6, without=8),
    )


def stopped(missing: int, frame: str = "1d") -> Panel:
    """Two instruments of a venue, the second without the last days, on bars of a timeframe."""
    days = np.array([d for d in range(4, 60) if (d + 3) % 7 < 5], dtype=np.int64) * DAY
    _, columns = walk(len(days))
    until = len(days) - missing
    series = {"A": (days, columns), "B": (days[:until], {n: c[:until] for n, c in columns.items()})}
    known = [background(n, DAYTIME) for n in range(2)]
    daily = Panel.of(series).with_background(known)
    if frame == "1d":
        return seen_at(daily, 60 * DAY, timeframe("1d"))
    steps = np.arange(8, dtype=np.int64) * 3600 + 9 * 3600
    hourly = {}
    for code, (times, own) in series.items():
        inside = (times[:, None] + steps).ravel()
        hourly[code] = (inside, {n: np.repeat(c, len(steps)) for n, c in own.items()})
    fast = Panel.of(hourly).with_background(known)
    return seen_at(fast, 60 * DAY, timeframe(frame))


@pytest.mark.parametrize(
    ("missing", "frame", "expected"),
    [(4, "1d", False), (5, "1d", True), (1, "1h", False), (2, "1h", True), (4, "1w", False)],
)
def test_an_instrument_is_stale_from_so_many_sessions_without_data_by_timeframe(
    missing: int, frame: str, expected: bool
) -> None:
    panel = stopped(missing, frame)
    assert stale(panel).tolist() == [False, expected]
    found = scan(prepare(sieve(must("close > 0"))), panel, LOCAL)
    assert found.stale == (("B",) if expected else ())
    if frame == "1d":
        kinds = {f.kind for f in inspect(panel, {"A": "Quay", "B": "Quay"}) if f.code == "B"}
        assert ("stale" in kinds) is expected


def test_a_session_counts_as_missed_once_its_hours_are_over() -> None:
    panel = stopped(1)
    last = int(panel.times[panel.ends[0] - 1])
    for moment, missed in ((last + 18 * 3600, 1), (last + 18 * 3600 - 1, 0)):
        seen = Panel(**{**vars(panel), "moment": moment, "whole": None})
        assert missed_sessions(seen).tolist() == [0, missed]


@pytest.mark.parametrize(
    ("minutes", "fits"), [(5, True), (10, True), (7, False), (60, True), (62, False)]
)
def test_bars_within_the_day_are_built_from_whole_ones(minutes: int, fits: bool) -> None:
    times = 4 * DAY + 9 * 3600 + np.arange(36, dtype=np.int64) * 300
    panel = one({"close": np.arange(36.0) + 1}, times)
    if fits:
        assert bars_of(panel, timeframe(f"{minutes}m")).bars == math.ceil(36 * 5 / minutes)
    else:
        with pytest.raises(DataError, match="no whole number of"):
            bars_of(panel, timeframe(f"{minutes}m"))


FIGURES = [
    (0.01234, "0.0123"), (0.0999, "0.0999"), (0.1, "0.10"), (9.876, "9.88"), (99.99, "99.99"),
    (100.04, "100.0"), (999.94, "999.9"), (1000.4, "1,000"), (99_999.4, "99,999"), (42.0, "42"),
    (100_000.0, "100.0 k"), (1_000_000.0, "1.0 m"), (1e9, "1.0 bn"), (-2_500_000.0, "−2.5 m"),
    (math.nan, "unknown"), (math.inf, "none ahead"),
]  # fmt: skip


@pytest.mark.parametrize(("value", "text"), FIGURES)
def test_figures_have_about_four_digits(value: float, text: str) -> None:
    assert figure(value, NONE) == text


@pytest.mark.parametrize(
    ("tick", "text"), [(1, "1,234"), (0.5, "1,234.5"), (0.01, "1,234.50"), (0.0001, "1,234.5000")]
)
def test_prices_have_the_digits_of_their_tick(tick: float, text: str) -> None:
    assert figure(1234.5 if tick < 1 else 1234.2, PRICE, tick) == text


def test_an_extreme_is_beyond_the_others_unless_ties_are_asked_for() -> None:
    panel = one({"close": [5, 3, 5, 6, 2, 2]})
    for text, told in {
        "largest(close, 3)": [0, 1, 0, 0],
        "largest(close, 3, ties=true)": [1, 1, 0, 0],
        "smallest(close, 3)": [0, 0, 1, 0],
        "smallest(close, 3, ties=true)": [0, 0, 1, 1],
    }.items():
        np.testing.assert_array_equal(values(text, panel)[2:], told, text)
    with pytest.raises(FormulaError, match="true or false"):
        check("largest(close, 3, ties=0.5)")
