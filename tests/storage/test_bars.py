"""Bars in and out of PostgreSQL."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import psycopg
import pytest
from sqlalchemy import inspect

from tests.bars import DAY, walk
from tests.conftest import SMALL
from zealous_sieve.core.demo.market import build
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.mending import Mending, MendingKind
from zealous_sieve.storage import models
from zealous_sieve.storage.bars import BarStore
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.desk.outside import Outside


def same(a: Panel, b: Panel) -> None:
    assert a.codes == b.codes
    for n in range(len(a)):
        np.testing.assert_array_equal(a.times[a.rows(n)], b.times[b.rows(n)])
        for name in a.columns:
            np.testing.assert_array_equal(a.columns[name][a.rows(n)], b.columns[name][b.rows(n)])


@pytest.mark.reads
def test_what_is_loaded_is_what_was_made(outside: Outside) -> None:
    made, panel = build(extent=SMALL), outside.bars.panel()
    for base in (*panel.bases, panel):
        own = next(b for b in Base if b.seconds == base.duration)
        expected = {code: made.bars[own][code] for code in base.codes if code in made.bars[own]}
        same(base.choose(list(expected)), Panel.of(expected))


def test_blocks_and_rows_give_the_same_panel(outside: Outside) -> None:
    packed = outside.bars.load()
    outside.bars.drop_blocks()
    same(outside.bars.load(), packed)
    assert outside.bars.pack_periods() > 20_000
    assert outside.bars.pack_periods() == 0
    same(outside.bars.load(), packed)


def test_new_bars_replace_those_of_the_same_time_and_are_seen_at_once(outside: Outside) -> None:
    before = outside.bars.panel()
    code = before.codes[5]
    rows = before.rows(5)
    middle = rows.start + 700
    columns = {name: column[middle : middle + 1].copy() for name, column in before.columns.items()}
    columns["close"] = columns["close"] + 1
    columns["high"] = columns["high"] + 2
    assert outside.bars.write({Base.DAY: {code: (before.times[middle : middle + 1], columns)}}) == 1
    after = outside.bars.panel()
    assert after.columns["close"][middle] == before.columns["close"][middle] + 1
    assert after.bars == before.bars
    outside.bars.pack_periods()
    same(outside.bars.load(), after)


def test_only_what_changed_is_read_again(outside: Outside) -> None:
    before = outside.bars.panel()
    code, other = before.codes[3], before.codes[7]
    added = Instrument(code="ADDED", name="Added")
    times, columns = walk(9)
    later = times + before.times.max() + DAY
    outside.bars.write({Base.DAY: {"ADDED": (times, columns), code: (later, columns)}}, [added])
    after, anew = outside.bars.panel(), BarStore(outside.bars.database).panel()
    assert after.codes == anew.codes == (*before.codes, "ADDED")
    for one, whole in zip(after.bases, anew.bases, strict=True):
        same(one, whole)
    outside.bars.write({Base.DAY: {other: (later, columns)}})
    last = outside.bars.panel()
    assert len(last.columns["close"]) == len(after.columns["close"]) + 9
    assert [b for b in last.bases if b.duration != DAY] == [
        b for b in after.bases if b.duration != DAY
    ]
    part = outside.bars.some([other, code], [Base.DAY], int(later[4]))
    assert [base.duration for base in part.bases] == [DAY]
    assert [part.times[part.rows(part.position(c))].tolist() for c in (other, code)] == [
        later[4:].tolist()
    ] * 2


def test_a_write_that_fails_leaves_nothing(outside: Outside) -> None:
    before = outside.bars.panel().bars
    outside.market.add_instruments([Instrument(code="NEWONE", name="New one")])
    good, bad = walk(30), walk(30)
    bad[1]["close"][12] = np.nan
    bad[0][12] = bad[0][11]
    with pytest.raises((psycopg.Error, KeyError)):
        outside.bars.write({Base.DAY: {"NEWONE": good, "UNKNOWN": bad}})
    assert outside.bars.load().bars == before


def test_models_and_migrations_agree(address: str, outside: Outside) -> None:
    migrate(address)
    found = inspect(outside.bars.database.engine)
    for table in models.Table.metadata.sorted_tables:
        columns = {c["name"]: c for c in found.get_columns(table.name)}
        assert set(columns) == {column.name for column in table.columns}
        for column in table.columns:
            assert columns[column.name]["nullable"] == column.nullable, (table.name, column.name)
        key = found.get_pk_constraint(table.name)["constrained_columns"]
        assert key == [column.name for column in table.primary_key]


def test_splits_count_from_the_day_of_the_venue_also_once_its_clock_is_moved(
    outside: Outside,
) -> None:
    """Quarters before the midnight of the venue are divided, those after it are not."""
    quarters = next(base for base in outside.bars.panel().bases if base.duration == 900)
    code = next(i.code for i in outside.market.instruments() if i.kind == "cross")
    times, columns = quarters.series(code)
    day = int(times[len(times) // 2]) // DAY * DAY
    outside.mendings.add(Mending(code=code, kind=MendingKind.SPLIT, first=day, last=day, new=2.0))
    venues = {venue.name: venue for venue in outside.market.venues()}
    venue = venues[outside.market.reference().by_code[code].venue]
    for zone, hours in (("UTC", 0), ("Asia/Tokyo", -9), ("America/Phoenix", 7)):
        outside.market.add_venues([replace(venue, zone=zone)])
        own = outside.bars.panel()
        seen = next(base for base in own.bases if base.duration == 900).series(code)[1]["close"]
        before = times < day + hours * 3600
        assert 0 < before.sum() < len(times)
        np.testing.assert_array_equal(
            seen, np.where(before, columns["close"] / 2, columns["close"])
        )
