"""Instruments made of two others."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.bars import DAY, background, market_of, panel_of, values
from zealous_sieve.core.engine.build import UNFINISHED, bars_of, seen_at
from zealous_sieve.core.engine.made_of import LegRelation, MadeOf
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.data_quality import FindingKind, inspect
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.pairs import Pair, make_pair, pair_of, with_pairs

SPREAD = Pair("SPREAD", MadeOf("A0", "A1", LegRelation.DIFFERENCE))
RATIO = Pair("RATIO", MadeOf("A0", "A1", LegRelation.RATIO))


def with_both(panel: Panel) -> Panel:
    known = [background(n) for n in range(len(panel) + 2)]
    return with_pairs(panel, [SPREAD, RATIO]).with_background(known)


def test_a_pair_is_the_difference_or_ratio_of_its_legs_bar_by_bar() -> None:
    panel = with_both(panel_of(60, 60))
    legs = [panel.columns["close"][panel.rows(n)] for n in range(2)]
    spread, ratio = (panel.choose([code]) for code in ("SPREAD", "RATIO"))
    np.testing.assert_array_equal(values("close", spread)[spread.rows(0)], legs[0] - legs[1])
    np.testing.assert_array_equal(values("close", ratio)[ratio.rows(0)], legs[0] / legs[1])
    bars = {name: column[spread.rows(0)] for name, column in panel.columns.items()}
    np.testing.assert_array_equal(bars["high"], np.maximum(bars["open"], bars["close"]))
    np.testing.assert_array_equal(bars["low"], np.minimum(bars["open"], bars["close"]))


def test_a_pair_has_bars_only_where_both_legs_have_one() -> None:
    times = np.arange(10, dtype=np.int64) * DAY

    def own(keep: list[int]) -> tuple[np.ndarray, dict[str, np.ndarray]]:  # type: ignore[type-arg]
        columns = {
            n: np.array(keep, dtype=float) + 10 for n in ("open", "high", "low", "close", "volume")
        }
        return times[keep], columns

    panel = with_pairs(Panel.of({"A0": own([0, 1, 2, 5, 6]), "A1": own([1, 2, 3, 6, 9])}), [SPREAD])
    rows = panel.rows(panel.position("SPREAD"))
    assert list(panel.times[rows] // DAY) == [1, 2, 6]
    assert (panel.columns["close"][rows] == 0).all()


def test_a_pair_is_usable_on_every_base_and_timeframe() -> None:
    panel = with_both(market_of())
    slow = bars_of(panel, timeframe("80m"))
    spread = slow.choose(["SPREAD"])
    assert spread.ends[0] - spread.starts[0] > 20
    by_hand = values("close", slow.choose(["A0"]))[slow.rows(0)]
    by_hand = by_hand - values("close", slow.choose(["A1"]))[slow.rows(1)]
    np.testing.assert_allclose(values("close", spread)[spread.rows(0)], by_hand)
    seen = values('close of "SPREAD"', slow.choose(["A0"]))[slow.rows(0)]
    np.testing.assert_allclose(seen, by_hand)


def test_a_pair_with_a_leg_missing_has_no_bars_and_is_told() -> None:
    lame = Pair("LAME", MadeOf("A0", "GONE", LegRelation.RATIO))
    panel = with_pairs(panel_of(40), [lame])
    known = [background(0), background(1)]
    facts = {"left": "A0", "right": "GONE", "relation": "ratio"}
    panel = panel.with_background([known[0], type(known[1])(facts=facts)])
    assert panel.ends[1] == panel.starts[1]
    found = inspect(panel, {})
    assert [(f.code, f.detail) for f in found if f.kind == FindingKind.EMPTY] == [
        ("LAME", "the leg GONE has no bars")
    ]


def test_legs_that_make_no_pair_are_refused() -> None:
    a, b = Instrument(code="A", name="A"), Instrument(code="B", name="B", tick=0.5)
    pair = make_pair("P", "P", a, b, LegRelation.DIFFERENCE)
    assert pair_of(pair) == Pair("P", MadeOf("A", "B", LegRelation.DIFFERENCE))
    assert pair.tick == 0.01
    for left, right in ((a, a), (pair, a), (a, pair)):
        with pytest.raises(DataError, match="pair"):
            make_pair("Q", "Q", left, right, LegRelation.RATIO)


@pytest.mark.parametrize("relation", list(LegRelation))
def test_the_unfinished_bar_of_a_pair_is_made_as_the_closed_one(relation: LegRelation) -> None:
    """At every hour of a day: open and close of its legs' unfinished days, high and low those two."""
    legs = MadeOf("A1", "A2", relation)
    market = replace(market_of(days=4), closes=None)
    market = replace(market, bases=tuple(replace(base, closes=None) for base in market.bases))
    known = [*market.background, replace(background(3), made_of=legs)]
    panel = with_pairs(market, [Pair("PAIR", legs)]).with_background(known)
    last = int(market.bases[1].times[-1])
    for moment in range(last - 9 * 3600, last, 3600):
        for chosen in (panel, panel.choose(["PAIR"])):
            today = seen_at(chosen, moment, timeframe("1d"), forming=True)
            whole = seen_at(panel, moment, timeframe("1d"), forming=True)
            times, made = legs.bars(whole.series("A1"), whole.series("A2"))
            own_times, own = today.series("PAIR")
            np.testing.assert_array_equal(own_times, times)
            for name, column in made.items():
                np.testing.assert_array_equal(own[name], column, err_msg=name)
            assert own[UNFINISHED][-1] == 1
