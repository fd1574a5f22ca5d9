"""What any earlier version kept is brought up by the present one, all of it."""

from __future__ import annotations

import json
import uuid
from collections.abc import Mapping
from typing import Any

import psycopg
import pytest
from psycopg import sql
from psycopg.types.json import Jsonb

from zealous_sieve import bootstrap
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.storage.revision import MIGRATIONS, migrate, newest_revision
from zealous_sieve.usecases.across.whole import check_whole
from zealous_sieve.usecases.errors import ConflictError

REVISIONS = sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))
DAY = "2026-03-02T00:00:00Z"
FIRED = 1_772_409_600
SIEVE = json.dumps(
    {
        "format": "zealous-sieve/sieve/1", "name": "Rising", "note": "é", "universe": "Mine",
        "timeframe": "1d", "side": "short",
        "conditions": [{"role": "must", "formula": "close > 1", "weight": 1}],
    }
)  # fmt: skip
REASONS = [{"cell": "pass", "sentence": "Close 5 is above 1"}]
OUTCOME = {"instruments": 1, "counts": [], "undecided": [], "stale": []}
ROWS: tuple[tuple[str, Mapping[str, Any]], ...] = (
    ("owners", {"name": "desk"}),
    ("settings", {"key": "preferences", "value": '{"digits": 3}'}),
    ("instruments", {"code": "KESSO", "name": "Kesso", "kind": "share", "venue": "", "currency": "KWE",
                     "tick": 0.01, "point_value": 1.0, "facts": {"sector": "Kelp"}}),
    *(
        ("bars", {"instrument_id": 1, "base": 6, "time": f"2026-03-{day:02}T00:00:00Z", "open": 5.0,
                  "high": 6.0, "low": 4.0, "close": 4.0 + day, "volume": 9.0})
        for day in (2, 3, 4)
    ),
    ("open_months", {"instrument_id": 1, "base": 6, "month": "2026-03-01T00:00:00Z"}),
    ("open_periods", {"instrument_id": 1, "base": 6, "period": "2026-03-01T00:00:00Z"}),
    ("universes", {"owner_id": 1, "name": "Mine", "rule": {"codes": ["KESSO"]}}),
    ("formulas", {"owner_id": 1, "name": "mine", "version": 1}),
    ("formula_versions", {"formula_id": 1, "version": 1, "name": "mine", "text": "close / 2", "note": "n"}),
    ("sieves", {"owner_id": 1, "version": 1}),
    ("sieve_versions", {"sieve_id": 1, "version": 1, "body": SIEVE}),
    ("runs", {"owner_id": 1, "sieve_id": 1, "version": 1, "body": SIEVE, "as_of": DAY, "state": "done",
              "outcome": OUTCOME, "hit_count": 1}),
    ("hits", {"run_id": 1, "sieve_id": 1, "timeframe": "1d", "code": "KESSO", "place": 1, "name": "Kesso",
              "side": "short", "bar_at": FIRED, "fired_at": FIRED, "age": 0, "close": 5.0,
              "now": 5.0, "tick": 0.01, "score": 1.0, "provisional": False, "cells": ["pass"],
              "body": {"format": 1, "code": "KESSO", "name": "Kesso", "bar_at": FIRED, "fired_at": FIRED,
                       "age": 0, "close": 5.0, "score": 1.0, "rank": None, "reasons": REASONS}}),
    ("verdicts", {"owner_id": 1, "run_id": 1, "sieve_id": 1, "code": "KESSO", "side": "short",
                  "timeframe": "1d", "fired_at": FIRED, "verdict": "take", "reason": "wide", "note": "ü"}),
    ("mendings", {"instrument_id": 1, "body": {"code": "KESSO", "kind": "accept", "first": FIRED,
                                               "last": FIRED, "finding": "gap"}}),
    ("arrangements", {"owner_id": 1, "page": "board", "name": "M", "version": 1, "body": {"columns": []}}),
)  # fmt: skip
"""What each version would have kept; columns and tables that it had not are left out."""


def kept(connection: psycopg.Connection, table: str, row: Mapping[str, Any]) -> None:
    there = connection.execute(
        "SELECT column_name FROM information_schema.columns WHERE table_name = %s", (table,)
    ).fetchall()
    own = {name: row[name] for (name,) in there if name in row}
    if not own:
        return
    statement = sql.SQL("INSERT INTO {} ({}) VALUES ({})").format(
        sql.Identifier(table),
        sql.SQL(", ").join(map(sql.Identifier, own)),
        sql.SQL(", ").join(sql.Placeholder() * len(own)),
    )
    values = [Jsonb(value) if isinstance(value, dict) else value for value in own.values()]
    connection.execute(statement, values)


@pytest.mark.parametrize("revision", REVISIONS)
def test_what_an_earlier_version_kept_is_all_there(cluster: Cluster, revision: str) -> None:
    address = cluster.make_database(f"up_{uuid.uuid4().hex[:8]}")
    migrate(address, revision)
    with psycopg.connect(address) as connection:
        for table, row in ROWS:
            kept(connection, table, row)
        had = {
            name
            for (name,) in connection.execute(
                "SELECT table_name FROM information_schema.tables WHERE table_schema = 'public'"
            )
        }
    migrate(address)
    outside = bootstrap.outside(address)
    check_whole(outside)
    (stored,) = outside.sieves.all()
    assert (stored.sieve.name, stored.sieve.note) == ("Rising", "é")
    assert [str(side) for side in stored.sieve.sides] == ["short"]
    (run,) = outside.runs.recent(9)
    _, (hit,) = outside.hits.page(run)
    assert (hit.hit.code, hit.told, str(hit.hit.side)) == (
        "KESSO",
        ("Close 5 is above 1",),
        "short",
    )
    assert hit.verdict is not None
    assert (hit.verdict.verdict, hit.verdict.reason, hit.verdict.note) == ("take", "wide", "ü")
    (universe,) = outside.universes.all()
    assert universe.universe.rule.codes == ("KESSO",)
    panel = outside.bars.panel()
    assert panel.series("KESSO")[1]["close"].tolist() == [6.0, 7.0, 8.0]
    assert [own.facts["sector"] for own in outside.market.instruments()] == ["Kelp"]
    assert [own.name for own in outside.formulas.all()] == ["mine"] * ("formulas" in had)
    assert len(outside.mendings.all()) == ("mendings" in had)
    assert len(outside.arrangements.all("board")) == ("arrangements" in had)
    outside.bars.database.engine.dispose()  # type: ignore[attr-defined]


@pytest.mark.parametrize("revision", ["9999", "ours no more", "00000"])
def test_data_of_a_later_version_are_left_alone(cluster: Cluster, revision: str) -> None:
    address = cluster.make_database(f"up_{uuid.uuid4().hex[:8]}")
    migrate(address)
    with psycopg.connect(address) as connection:
        connection.execute("UPDATE alembic_version SET version_num = %s", (revision,))
    with pytest.raises(ConflictError, match="made by another, later version"):
        migrate(address)
    with psycopg.connect(address) as connection:
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone() == (
            revision,
        )
    assert newest_revision() in REVISIONS
