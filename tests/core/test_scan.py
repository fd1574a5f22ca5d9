"""Sifting, the data check, and the demo market."""

from __future__ import annotations

import hashlib
from threading import Event

import numpy as np
import pytest

from tests.bars import DAY, one, panel_of, walk
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CancelledError, DataError, SieveError
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind, Rule, members
from zealous_sieve.core.market.lantern.market import Coast, build, universes
from zealous_sieve.core.market.soundness import inspect
from zealous_sieve.core.sieve.definition import Condition, Role, Sieve
from zealous_sieve.core.sieve.difference import difference
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import Cell, Count, Scan, scan


@pytest.fixture(scope="module")
def coast() -> Coast:
    return build()


def sieve(*conditions: Condition, **rest: object) -> Sieve:
    return Sieve(name="Test", universe="any", conditions=conditions, **rest)  # type: ignore[arg-type]


def must(formula: str) -> Condition:
    return Condition(formula=formula)


def closes(*series: list[float]) -> Panel:
    parts = {}
    for n, values in enumerate(series):
        panel = one({"close": values})
        parts[f"C{n}"] = (panel.times, dict(panel.columns))
    return Panel.of(parts)


def test_hits_are_those_whose_musts_hold_and_vetoes_do_not() -> None:
    found = scan(
        prepare(sieve(must("close > 2"), Condition(role=Role.VETO, formula="close > 8"))),
        closes([1, 1], [1, 3], [1, 9], [5, 5]),
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
    )
    assert [(hit.code, hit.score) for hit in found.hits] == [
        ("C2", 2.5), ("C1", 2.0), ("C0", 0.0), ("C3", 0.0),
    ]  # fmt: skip
    assert found.hits[1].reasons[2].cell == Cell.MISS


def test_age_counts_bars_since_the_setup_began_to_hold() -> None:
    panel = closes([1, 3, 3, 3], [1, 1, 1, 3], [1, 3, 3, 1], [3, 1, 1, 1])
    found = scan(prepare(sieve(must("close > 2"), fired_within=2)), panel)
    ages = {hit.code: (hit.age, hit.fired_at // DAY, hit.bar_at // DAY) for hit in found.hits}
    assert ages == {"C0": (2, 1, 3), "C1": (0, 3, 3), "C2": (2, 1, 2)}


def test_too_little_history_is_told_apart_from_no() -> None:
    times, columns = walk(40)
    young = (times[35:], {name: column[35:] for name, column in columns.items()})
    panel = Panel.of({"A0": young, "A1": (times, columns)})
    found = scan(prepare(sieve(must("close > sma(close, 20) or close < 0"))), panel)
    assert found.too_little_history == ("A0",)
    decided = scan(prepare(sieve(must("close < 0 and close > sma(close, 20)"))), panel)
    assert decided.too_little_history == ()
    assert decided.hits == ()


def test_stale_instruments_are_left_out_and_told() -> None:
    times, columns = walk(60)
    old = (times[:40], {name: column[:40] for name, column in columns.items()})
    found = scan(prepare(sieve(must("close > 0"))), Panel.of({"NEW": (times, columns), "OLD": old}))
    assert found.stale == ("OLD",)
    assert [hit.code for hit in found.hits] == ["NEW"]


def test_a_scan_reports_progress_and_can_be_cancelled() -> None:
    panel = panel_of(*[3000] * 12)
    told: list[int] = []
    scan(prepare(sieve(must("close > 0"))), panel, progress=lambda done, _: told.append(done))
    assert told[-1] == 12
    assert told == sorted(told)
    stop = Event()
    stop.set()
    with pytest.raises(CancelledError):
        scan(prepare(sieve(must("close > 0"))), panel, cancelled=stop)


def test_scanning_as_of_a_moment_equals_scanning_data_that_end_there(coast: Coast) -> None:
    panel = Panel.of(coast.daily)
    moment = int(panel.times[panel.ends[0] - 60]) + DAY
    cut = {}
    for code, (times, columns) in coast.daily.items():
        kept = times + DAY <= moment
        cut[code] = (times[kept], {name: column[kept] for name, column in columns.items()})
    for example in EXAMPLES:
        then = scan(prepare(example), panel.as_of(moment))
        alone = scan(prepare(example), Panel.of(cut))
        assert then == alone


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


def test_runs_differ_by_codes() -> None:
    changes = difference(["A", "B"], ["B", "C"])
    assert (changes.new, changes.kept, changes.gone) == (("A",), ("B",), ("C",))


# The demo market


def _digest(coast: Coast) -> str:
    found = hashlib.sha256()
    for code, (times, columns) in coast.daily.items():
        found.update(code.encode() + times.tobytes())
        for name in sorted(columns):
            found.update(columns[name].tobytes())
    return found.hexdigest()


def test_the_coast_is_the_same_every_time(coast: Coast) -> None:
    assert _digest(build()) == _digest(coast)
    assert _digest(build(seed=1)) != _digest(coast)
    assert len(coast.instruments) == 285
    assert len({instrument.code for instrument in coast.instruments}) == 285


def test_bars_of_the_coast_are_well_formed(coast: Coast) -> None:
    by_code = {instrument.code: instrument for instrument in coast.instruments}
    for code, (times, bars) in coast.daily.items():
        assert (np.diff(times) > 0).all()
        assert (bars["high"] >= np.maximum(bars["open"], bars["close"])).all()
        assert (bars["low"] <= np.minimum(bars["open"], bars["close"])).all()
        assert (bars["low"] > 0).all()
        ticks = bars["close"] / by_code[code].tick
        np.testing.assert_allclose(ticks, np.round(ticks), atol=1e-4)


def test_crosses_agree_with_each_other(coast: Coast) -> None:
    def close(code: str) -> np.ndarray:  # type: ignore[type-arg]
        return coast.daily[code][1]["close"]

    np.testing.assert_allclose(close("LMNOSK") * close("OSKTDQ"), close("LMNTDQ"), rtol=2e-4)
    np.testing.assert_allclose(close("LMNVRL") / close("LMNKWE"), close("VRLKWE") ** -1, rtol=2e-4)


def test_the_planted_faults_are_found_and_nothing_else(coast: Coast) -> None:
    venues = {i.code: i.venue for i in coast.instruments}
    found = inspect(Panel.of(coast.daily), venues)
    assert sorted(f.kind for f in found) == ["bad print", "bad print", "frozen", "gap", "stale"]
    gap = next(f for f in found if f.kind == "gap")
    assert gap.bars == 7
    assert gap.code == coast.instruments[17].code


def test_an_instrument_without_bars_is_found() -> None:
    found = inspect(panel_of(30, 0), {})
    assert [(f.code, f.kind) for f in found] == [("A1", "no bars")]


@pytest.fixture(scope="module")
def outcomes(coast: Coast) -> dict[str, Scan]:
    panel = Panel.of(coast.daily)
    rules = {universe.name: universe.rule for universe in universes()}
    return {
        example.name: scan(
            prepare(example),
            panel.choose([i.code for i in members(rules[example.universe], coast.instruments)]),
        )
        for example in EXAMPLES
    }


def test_the_example_sieves_find_something_sensible(outcomes: dict[str, Scan]) -> None:
    for outcome in outcomes.values():
        assert 2 <= len(outcome.hits) <= 60
        assert outcome.too_little_history == ()
        for hit in outcome.hits:
            assert Cell.VETO not in [reason.cell for reason in hit.reasons]


def test_universes_are_rules_on_facts(coast: Coast) -> None:
    sizes = {u.name: len(members(u.rule, coast.instruments)) for u in universes()}
    assert sizes["All shares"] == 240
    assert sizes["Largest 40"] == 40
    assert sizes["Currencies"] == 28
    assert sizes["Goods"] == 14
    assert sizes["Kelp"] == 24
    with pytest.raises(DataError):
        members(Rule(codes=("NOPE",)), coast.instruments)
    plain = Instrument(code="A", name="A", kind=InstrumentKind.OTHER)
    assert members(Rule(codes=("A",)), [plain]) == [plain]
