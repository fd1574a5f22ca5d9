"""How an installation begins, and the moment that the desk looks from."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

import numpy as np
import pytest

from tests.bars import DAY, walk
from tests.conftest import SMALL
from zealous_sieve import bootstrap
from zealous_sieve.core.demo.calendar import NOW
from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import now
from zealous_sieve.usecases.errors import AwayError, ConflictError, database_away
from zealous_sieve.usecases.shaping.preview import preview
from zealous_sieve.usecases.table.bars import import_bars
from zealous_sieve.usecases.table.demo import (
    EVERYTHING,
    DemoState,
    begin_empty,
    demo_state,
    fill_demo,
    move_demo,
    turn_demo,
)


@pytest.fixture
def empty(cluster: Cluster) -> Iterator[Outside]:
    address = cluster.make_database("begun_empty")
    migrate(address)
    outside = bootstrap.outside(address)
    yield outside
    outside.bars.database.engine.dispose()


def days_to(last: str, count: int = 60) -> Series:
    end = int(np.datetime64(last, "D").astype(np.int64)) * DAY
    times, columns = walk(count)
    return times - times[-1] + end, columns


def test_an_empty_beginning_is_a_desk_of_ones_own(empty: Outside) -> None:
    assert begin_empty(empty, lambda _: None)
    assert not begin_empty(empty, lambda _: None)
    assert not fill_demo(empty, lambda _: None)
    assert [own.universe.name for own in empty.universes.all()] == [EVERYTHING]
    assert empty.market.instruments() == []
    assert abs((now(empty.market) - datetime.now(UTC)).total_seconds()) < 5

    done = import_bars(
        empty, {Base.DAY: {"OWN": days_to("2024-03-08"), "LATE": days_to("2024-03-05")}}
    )
    assert done.added == 2
    assert now(empty.market) == datetime(2024, 3, 9, tzinfo=UTC)
    sieve = Sieve(name="x", universe=EVERYTHING, conditions=(Condition(formula="close > 0"),))
    seen = preview(empty, sieve, Order())
    assert {hit.code for hit in seen.hits} == {"OWN", "LATE"}

    import_bars(empty, {Base.DAY: {"OWN": days_to("2023-01-02")}})
    assert now(empty.market) == datetime(2024, 3, 9, tzinfo=UTC), "older bars change nothing"


def test_the_demo_keeps_its_moment_until_something_later_is_imported(outside: Outside) -> None:
    fixed = datetime.fromtimestamp(NOW, UTC)
    assert now(outside.market) == fixed
    import_bars(outside, {Base.DAY: {"OLD": days_to("2024-03-08")}})
    assert now(outside.market) == fixed
    import_bars(outside, {Base.DAY: {"NEW": days_to("2026-07-01")}})
    assert now(outside.market) == datetime(2026, 7, 2, tzinfo=UTC)


def test_the_demo_goes_whole_and_comes_back_and_what_is_ones_own_stays(
    address: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    outside = bootstrap.outside(address)
    before = {
        "instruments": outside.market.instruments(),
        "events": sorted(map(str, outside.market.events())),
        "universes": {own.universe.name for own in outside.universes.all()},
        "formulas": {own.name for own in outside.formulas.all()},
        "findings": {(f.code, f.kind) for f in outside.market.findings()},
        "bars": outside.bars.panel().bars,
    }
    times = np.arange(20) * 86_400 + 1_700_006_400
    prices = dict.fromkeys(("open", "high", "low", "close"), np.full(20, 5.0) + np.arange(20) % 3)
    own_bars = {Base.DAY: {"MINE": (times, prices | {"volume": np.ones(20)})}}
    import_bars(outside, own_bars)
    changed = outside.sieves.all()[0]
    mine = changed.sieve.model_copy(update={"note": "mine now"})
    outside.sieves.add_version(changed.id, mine, changed.version)

    assert turn_demo(outside, here=True) == DemoState.HERE
    assert turn_demo(outside, here=False) == turn_demo(outside, here=False) == DemoState.GOING
    with pytest.raises(ConflictError, match="going"):
        turn_demo(outside, here=True)
    dropped = outside.bars.drop
    monkeypatch.setattr(outside.bars, "drop", lambda _: (_ for _ in ()).throw(database_away()))
    with pytest.raises(AwayError):
        move_demo(outside)
    assert demo_state(outside) == DemoState.GOING
    monkeypatch.setattr(outside.bars, "drop", dropped)
    move_demo(outside)
    assert demo_state(outside) == DemoState.AWAY
    assert [i.code for i in outside.market.instruments()] == ["MINE"]
    sieves = [own.sieve for own in outside.sieves.all() if not own.deleted]
    assert sieves == [mine]
    assert outside.market.events() == []
    assert mine.universe in {own.universe.name for own in outside.universes.all()}
    assert now(outside.market).timestamp() == times[-1] + 86_400
    assert len(outside.bars.panel().times) == 20

    turn_demo(outside, here=True)
    move_demo(outside, SMALL)
    assert demo_state(outside) == DemoState.HERE
    after = [i for i in outside.market.instruments() if i.code != "MINE"]
    assert after == before["instruments"]
    assert sorted(map(str, outside.market.events())) == before["events"]
    assert {own.universe.name for own in outside.universes.all()} == before["universes"]
    assert {own.name for own in outside.formulas.all()} == before["formulas"]
    assert not [own for own in outside.sieves.all() if own.deleted]
    found = {(f.code, f.kind) for f in outside.market.findings() if f.code != "MINE"}
    assert found == before["findings"]
    assert outside.bars.panel().bars == before["bars"] + 20
