"""The demo market: the same every time, sound but for what is planted, consistent within the day."""

from __future__ import annotations

import hashlib

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.bars import DAY
from tests.conftest import SMALL
from zealous_sieve.core.demo.calendar import NOW
from zealous_sieve.core.demo.market import Coast, build, universes
from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.data_quality import inspect
from zealous_sieve.core.market.universes import Rule, Surroundings, membership
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import Scan, scan

BASES = (Base.MINUTE, Base.FIFTEEN_MINUTES, Base.DAY)


@pytest.fixture(scope="module")
def coast() -> Coast:
    return build(extent=SMALL)


@pytest.fixture(scope="module")
def panel(coast: Coast) -> Panel:
    """The whole market as the application has it, without pairs."""
    daily = Panel.of(coast.daily)
    reference = coast.reference
    known = zip(reference.instruments, reference.background, strict=True)
    inside = [Panel.of(coast.bars[base]) for base in (Base.MINUTE, Base.FIFTEEN_MINUTES)]
    whole = Panel(**{**vars(daily), "bases": (*inside, daily)})
    return whole.with_background([own for i, own in known if i.code in coast.daily])


def _digest(coast: Coast) -> str:
    found = hashlib.sha256()
    for base, series in coast.bars.items():
        for code, (times, columns) in series.items():
            found.update(f"{base}{code}".encode() + times.tobytes())
            for name in sorted(columns):
                found.update(columns[name].tobytes())
    return found.hexdigest()


def test_the_coast_is_the_same_every_time(coast: Coast) -> None:
    assert _digest(build(extent=SMALL)) == _digest(coast)
    assert _digest(build(seed=1, extent=SMALL)) != _digest(coast)
    assert len({instrument.code for instrument in coast.instruments}) == 287


@pytest.mark.parametrize("base", BASES)
def test_bars_of_the_coast_are_well_formed(coast: Coast, base: Base) -> None:
    by_code = {instrument.code: instrument for instrument in coast.instruments}
    for code, (times, bars) in coast.bars[base].items():
        assert (np.diff(times) > 0).all()
        assert (bars["high"] >= np.maximum(bars["open"], bars["close"])).all()
        assert (bars["low"] <= np.minimum(bars["open"], bars["close"])).all()
        assert (bars["low"] > 0).all()
        assert (times + base.seconds <= NOW).all()
        ticks = bars["close"] / by_code[code].tick
        np.testing.assert_allclose(ticks, np.round(ticks), atol=1e-4)


@pytest.mark.parametrize("base", [Base.MINUTE, Base.FIFTEEN_MINUTES])
def test_bars_within_the_day_add_up_to_the_daily_ones(coast: Coast, base: Base) -> None:
    inside = Panel.of(coast.bars[base])
    days = bars_of(inside, timeframe("1d"))
    planted = 0
    for n, code in enumerate(days.codes):
        times, daily = coast.daily[code]
        rows = days.rows(n)
        whole = np.isin(days.times[rows], times)
        place = np.searchsorted(times, days.times[rows][whole])
        for name, column in daily.items():
            wrong = ~np.isclose(days.columns[name][rows][whole], column[place], rtol=1e-9)
            planted += int(wrong.sum())
    assert planted == (2 if base == Base.MINUTE else 0)


def test_minutes_follow_from_trades(coast: Coast) -> None:
    for code, (times, columns) in coast.bars[Base.TRADES].items():
        minute_times, bars = coast.bars[Base.MINUTE][code]
        place = np.searchsorted(minute_times, times, side="right") - 1
        sold = np.bincount(place, weights=columns["volume"], minlength=len(minute_times))
        traded = np.unique(place)
        np.testing.assert_array_equal(sold[traded], bars["volume"][traded])
        top = np.full(len(minute_times), -np.inf)
        np.maximum.at(top, place, columns["close"])
        busy = np.bincount(place, minlength=len(minute_times)) >= 4
        np.testing.assert_allclose(top[busy], bars["high"][busy])
        assert (columns["buy_volume"] + columns["sell_volume"] == columns["volume"]).all()
    assert len(coast.bars[Base.TRADES]) == 12


@pytest.mark.parametrize("base", BASES)
def test_crosses_agree_with_each_other(coast: Coast, base: Base) -> None:
    def close(code: str) -> np.ndarray:  # type: ignore[type-arg]
        return coast.bars[base][code][1]["close"]

    near = {"rtol": 4e-4}
    np.testing.assert_allclose(close("LMNOSK") * close("OSKTDQ"), close("LMNTDQ"), **near)
    np.testing.assert_allclose(close("LMNVRL") / close("LMNKWE"), close("VRLKWE") ** -1, **near)


def test_the_planted_faults_are_found_and_nothing_else(coast: Coast, panel: Panel) -> None:
    venues = {i.code: i.venue for i in coast.instruments}
    found = inspect(panel, venues)
    kinds = sorted((str(f.kind), f.first % DAY > 0) for f in found)
    daily = ["bad print", "bad print", "frozen", "gap", "stale"]
    assert [kind for kind, inside in kinds if not inside] == daily
    assert [kind for kind, inside in kinds if inside] == ["bad print", "gap"]
    gap = next(f for f in found if f.kind == "gap" and f.first % DAY == 0)
    assert (gap.bars, gap.code) == (7, coast.instruments[17].code)


def codes(rule: Rule, coast: Coast) -> list[str]:
    """Who belongs to a universe whose rule rests on facts alone."""

    def unasked(*_: object) -> NDArray[np.float64]:
        raise AssertionError("no bars are needed for that")

    around = Surroundings(
        instruments=coast.reference.seen_at(NOW),
        universes={},
        truths=unasked,
        turnovers=unasked,
        doubted=(),
    )
    return [i.code for i in membership(rule, around).instruments]


@pytest.fixture(scope="module")
def outcomes(coast: Coast, panel: Panel) -> dict[str, Scan]:
    rules = {universe.name: universe.rule for universe in universes()}
    return {
        example.name: scan(
            prepare(example),
            panel.choose(codes(rules[example.universe], coast)),
            LOCAL,
        )
        for example in EXAMPLES
    }


def test_the_example_sieves_go_on_finding_the_same(outcomes: dict[str, Scan]) -> None:
    found = {name: len(outcome.hits) for name, outcome in outcomes.items()}
    assert found == {"Overstretched rise": 4, "Waking range": 11, "Agreed uptrend": 35}
    for outcome in outcomes.values():
        assert outcome.undecided == ()
        for hit in outcome.hits:
            assert Cell.VETO not in hit.cells


def test_scanning_as_of_a_moment_equals_scanning_data_that_end_there(panel: Panel) -> None:
    moment = int(panel.times[panel.ends[0] - 60]) + DAY
    cut = {}
    for n, code in enumerate(panel.codes):
        rows = panel.rows(n)
        kept = panel.close_times(rows) <= moment
        cut[code] = (
            panel.times[rows][kept],
            {name: column[rows][kept] for name, column in panel.columns.items()},
        )
    for example in EXAMPLES:
        then = scan(prepare(example), panel.as_of(moment), LOCAL)
        alone = scan(prepare(example), Panel.of(cut).with_background(panel.background), LOCAL)
        assert then == alone


def test_universes_are_rules_on_facts(coast: Coast) -> None:
    sizes = {u.name: len(codes(u.rule, coast)) for u in universes()}
    assert sizes["All shares"] == 240
    assert sizes["Largest 40"] == 40
    assert sizes["Currencies"] == 28
    assert sizes["Goods"] == 14
    assert sizes["Kelp"] == 24
    assert sizes["Pairs"] == 2
