"""Sifting, the data check, and the demo market."""

from __future__ import annotations

from threading import Event

import numpy as np
import pytest

from tests.bars import DAY, one, panel_of, values, walk
from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.local import LOCAL, evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CancelledError, SieveError
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.data_quality import FindingKind, inspect
from zealous_sieve.core.sieve.definition import Condition, Role, Sieve
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.firings import find_firings
from zealous_sieve.core.sieve.funnel import Count
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.core.sieve.unknown import Cause


def sieve(*conditions: Condition, **rest: object) -> Sieve:
    return Sieve(name="Test", universe="any", conditions=conditions, **rest)  # type: ignore[arg-type]


def must(formula: str) -> Condition:
    return Condition(formula=formula)


def closes(*series: list[float]) -> Panel:
    parts = {}
    for n, own in enumerate(series):
        panel = one({"close": own})
        parts[f"C{n}"] = (panel.times, dict(panel.columns))
    return Panel.of(parts)


def test_hits_are_those_whose_musts_hold_and_vetoes_do_not() -> None:
    found = scan(
        prepare(sieve(must("close > 2"), Condition(role=Role.VETO, formula="close > 8"))),
        closes([1, 1], [1, 3], [1, 9], [5, 5]),
        LOCAL,
    )
    assert {hit.code for hit in found.hits} == {"C1", "C3"}
    assert found.counts == (
        Count(alone=3, so_far=3, without=3),
        Count(alone=3, so_far=2, without=3),
    )


def test_score_adds_the_weights_of_boosts_and_rank_breaks_ties() -> None:
    found = scan(
        prepare(
            sieve(
                must("close > 0"),
                Condition(role=Role.BOOST, formula="close > 5", weight=2),
                Condition(role=Role.BOOST, formula="close > 7", weight=0.5),
                rank="-close",
            )
        ),
        closes([1], [6], [8], [2]),
        LOCAL,
    )
    assert [(hit.code, hit.score) for hit in found.hits] == [
        ("C2", 2.5), ("C1", 2.0), ("C0", 0.0), ("C3", 0.0),
    ]  # fmt: skip
    assert found.hits[1].cells[2] == Cell.MISS


def test_age_counts_bars_since_the_setup_began_to_hold() -> None:
    panel = closes([1, 3, 3, 3], [1, 1, 1, 3], [1, 3, 3, 1], [3, 1, 1, 1])
    found = scan(prepare(sieve(must("close > 2"), fired_within=2)), panel, LOCAL)
    ages = {hit.code: (hit.age, hit.fired_at // DAY, hit.bar_at // DAY) for hit in found.hits}
    assert ages == {"C0": (2, 1, 3), "C1": (0, 3, 3), "C2": (2, 1, 2)}
    own = find_firings(prepare(sieve(must("close > 2"))), panel, LOCAL)
    assert own.fired.row.tolist() == [1, 7, 9]
    assert own.held_when_first_known.row.tolist() == [12], "C3, since before its first bar"


def test_a_setup_is_no_older_than_what_is_known_of_it() -> None:
    """However far back that is: beyond an unknown bar nobody knows, and none is looked at in vain."""
    long_ago, lately = [1.0] * 100 + [3.0] * 1500, [3.0] * 1597 + [np.nan, 3.0, 3.0]
    found = scan(prepare(sieve(must("close > 2"))), closes(long_ago, lately, [3.0] * 1600), LOCAL)
    assert {hit.code: (hit.age, hit.begun) for hit in found.hits} == {
        "C0": (1499, True), "C1": (1, False), "C2": (1599, False),
    }  # fmt: skip


def test_too_little_history_is_told_apart_from_no() -> None:
    times, columns = walk(40)
    young = (times[35:], {name: column[35:] for name, column in columns.items()})
    panel = Panel.of({"A0": young, "A1": (times, columns)})
    found = scan(prepare(sieve(must("close > sma(close, 20) or close < 0"))), panel, LOCAL)
    assert [(u.codes, u.cause, u.words) for u in found.undecided] == [
        (("A0",), Cause.HISTORY, "needs 20 bars, has 5: known from about 24 Feb 1970 on")
    ]
    decided = scan(prepare(sieve(must("close < 0 and close > sma(close, 20)"))), panel, LOCAL)
    assert decided.undecided == ()
    assert decided.hits == ()


UNKNOWNS = [
    (
        "close > sma(close, 50)",
        Cause.HISTORY,
        "needs 50 bars, has 40: known from about 19 Feb 1970 on",
    ),
    (
        "(sma(close, 9) on 1w) > 0",
        Cause.HISTORY,
        "needs 9 bars of 1w, has 6: known from about 1 Mar 1970 on",
    ),
    (
        'fact("size") > 0 and close > sma(close, 50)',
        Cause.HISTORY,
        "needs 50 bars, has 40: known from about 19 Feb 1970 on",
    ),
    ("trades > 5", Cause.DATA, "no trades"),
    ("(sma(trades, 50) on 1w) > 5", Cause.DATA, "no trades"),
    ('fact("weight") > 1', Cause.DATA, 'no fact "weight"'),
    ('days_to_event("eclipse") < 3', Cause.DATA, 'no calendar of "eclipse"'),
    ("minutes_to_close < 30", Cause.DATA, "no trading hours, or no bars within the day"),
    ("1 / (close - close) > 0", Cause.UNDEFINED, "no such value at this bar"),
    ("close > trend_line(19).up", Cause.UNDEFINED, "no such value at this bar"),
]


@pytest.mark.parametrize(("formula", "cause", "words"), UNKNOWNS)
def test_three_causes_of_unknown_are_told_apart_and_only_missing_data_spare_a_veto(
    formula: str, cause: Cause, words: str
) -> None:
    panel = panel_of(40)
    told = scan(prepare(sieve(must(formula))), panel, LOCAL).undecided
    assert [(u.cause, u.words) for u in told] == [(cause, words)]
    vetoed = scan(
        prepare(sieve(must("close > 0"), Condition(role=Role.VETO, formula=formula))), panel, LOCAL
    )
    if cause == Cause.DATA:
        assert vetoed.hits[0].cells[1] == Cell.UNKNOWN
        assert vetoed.hits[0].unknown == {1: f"Not applied: {words}."}
    else:
        assert vetoed.hits == ()
        assert [(u.condition, u.cause) for u in vetoed.undecided] == [(1, cause)]


def test_a_veto_on_what_the_data_hold_keeps_out_as_ever() -> None:
    panel = panel_of(40, 40)
    veto = Condition(role=Role.VETO, formula='fact("size") > 1')
    found = scan(prepare(sieve(must("close > 0"), veto)), panel, LOCAL)
    assert [hit.code for hit in found.hits] == ["A0"]


def test_stale_instruments_are_left_out_and_told() -> None:
    times, columns = walk(60)
    old = (times[:40], {name: column[:40] for name, column in columns.items()})
    found = scan(
        prepare(sieve(must("close > 0"))), Panel.of({"NEW": (times, columns), "OLD": old}), LOCAL
    )
    assert found.stale == ("OLD",)
    assert [hit.code for hit in found.hits] == ["NEW"]


def test_bars_that_take_long_to_form_are_not_stale() -> None:
    close = np.concatenate([np.linspace(10, 20, 20), np.full(20, 20.0)])
    quick = np.linspace(10, 30, 40)
    days = np.arange(40, dtype=np.int64) * DAY
    series = {
        code: (days, dict.fromkeys(("open", "high", "low", "close"), own))
        for code, own in {"CALM": close, "QUICK": quick}.items()
    }
    bricks = seen_at(Panel.of(series), 40 * DAY, timeframe("brick(100, 200)"))
    assert bricks.times[bricks.ends[0] - 1] < days[20] < bricks.times[bricks.ends[1] - 1]
    found = scan(prepare(sieve(must("close > open"))), bricks, LOCAL)
    assert found.stale == ()
    assert {hit.code for hit in found.hits} == {"CALM", "QUICK"}


def test_a_scan_reports_progress_and_can_be_cancelled() -> None:
    panel = panel_of(*[3000] * 12)
    told: list[int] = []
    scan(
        prepare(sieve(must("close > 0"))), panel, LOCAL, progress=lambda done, _: told.append(done)
    )
    assert told[-1] == 12
    assert told == sorted(told)
    stop = Event()
    stop.set()
    with pytest.raises(CancelledError):
        scan(prepare(sieve(must("close > 0"))), panel, LOCAL, cancelled=stop)


def test_wrong_formulas_are_told_with_their_condition() -> None:
    with pytest.raises(SieveError) as refused:
        prepare(sieve(must("close > 1"), must("clsoe > 1"), rank="close > 1"))
    assert [p.subject for p in refused.value.problems] == ["conditions.1.formula", "rank"]
    with pytest.raises(SieveError, match="boosts only"):
        prepare(sieve(Condition(role=Role.BOOST, formula="close > 1")))


def test_what_is_drawn_goes_over_the_price_or_to_panes() -> None:
    prepared = prepare(
        sieve(
            must("close > ema(close, 10) + 2 * atr(5)"),
            must("rsi(14) < 70"),
            must("ema(close, 10) - ema(close, 20) > 0"),
            must("volume > sma(volume, 20)"),
        )
    )
    drawn = {line.text: (line.pane, line.levels) for line in lines(prepared)}
    assert drawn["ema(close, 10) + 2 * atr(5)"] == ("price", ())
    assert drawn["rsi(14)"] == ("rsi", (70.0,))
    assert drawn["ema(close, 10) - ema(close, 20)"][0] != "price"
    assert drawn["sma(volume, 20)"] == ("volume", ())


def test_a_line_of_another_timeframe_is_drawn_as_seen_from_the_bars_at_hand() -> None:
    prepared = prepare(sieve(must("close > ema(close, 10) on 1w"), must("close > ema(close, 10)")))
    drawn = {line.label: line for line in lines(prepared)}
    assert set(drawn) == {"Close on 1w", "EMA(10) on 1w", "EMA(10)"}
    panel = panel_of(200)
    found = evaluate({name: line.term for name, line in drawn.items()}, panel)
    weekly = values("(ema(close, 10) on 1w)", panel)
    np.testing.assert_array_equal(found["EMA(10) on 1w"], weekly)
    assert not np.array_equal(found["EMA(10)"], weekly, equal_nan=True)


def test_an_instrument_without_bars_is_found() -> None:
    found = inspect(panel_of(30, 0), {})
    assert [f.code for f in found if f.kind == FindingKind.EMPTY] == ["A1"]
