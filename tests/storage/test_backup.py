"""What was made comes back as it was from one file, whole or not at all."""

from __future__ import annotations

import contextlib
import json
import random
import re
import time
import uuid
import zipfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import psycopg
import pytest
from flask.testing import FlaskClient

from tests.conftest import copy_of
from tests.fuzzing import MANY, examples
from zealous_sieve import bootstrap
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.market.mending import Mending, MendingKind
from zealous_sieve.core.market.universes import Rule, Universe
from zealous_sieve.core.pages.outlook import Settles
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.environment import data_folder
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.storage.backup import ONE_RESTORE
from zealous_sieve.storage.machine import MACHINE_NAME, MachineFile
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.background.outlooks import Draft, frozen
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.preferences import Preferences, prefer, preferences
from zealous_sieve.usecases.desk.present import desk_of
from zealous_sieve.usecases.errors import ConflictError
from zealous_sieve.usecases.records.hits import HitsQuery, VerdictKind
from zealous_sieve.usecases.review.verdicts import give_verdict
from zealous_sieve.usecases.sifting.runs import execute_run, start_run
from zealous_sieve.usecases.table.demo import begin_empty
from zealous_sieve.usecases.table.instruments import Described, describe, rename
from zealous_sieve.usecases.table.mending import mend
from zealous_sieve.usecases.table.sources import add_source, read_files, sources


def made(outside: Outside) -> dict[str, object]:
    """Everything that was made, as the pages see it."""
    runs = outside.runs.recent(100)
    return {
        "sieves": outside.sieves.all(),
        "versions": [outside.sieves.versions(s.id) for s in outside.sieves.all()],
        "formulas": outside.formulas.all(),
        "universes": outside.universes.all(),
        "arrangements": outside.arrangements.all("board"),
        "outlooks": outside.outlooks.all(),
        "runs": runs,
        "hits": [outside.hits.page(run, None, HitsQuery(count=50)) for run in runs],
        "mendings": [own.mending for own in outside.mendings.all()],
        "preferences": preferences(outside.market),
    }


def worked(outside: Outside) -> None:
    """A desk on which something was done."""
    sieve = outside.sieves.all()[0]
    run = start_run(outside, sieve.id)
    execute_run(outside, run.id)
    _, (first, *_) = outside.hits.page(outside.runs.recent(1)[0])
    give_verdict(outside, first.id, VerdictKind.TAKE, "wide", 'a note, "quoted" é')
    outside.formulas.add("mine", "close / 2", "half of it")
    outside.universes.add([Universe(name="Mine", rule=Rule(codes=("TPSNHV",)))])
    outside.arrangements.put("board", "Mine", {"universe": "Kelp", "columns": []}, 0)
    kept = Draft(
        code="LANT40", lean=1, note="é", grounds=(), settles=Settles(formula="close > start")
    )
    outside.outlooks.add(frozen(desk_of(outside), kept, "Kelp"))
    code = first.hit.code
    bar = int(outside.bars.some([code]).times[-3])
    mend(
        outside, Mending(code=code, kind=MendingKind.LEAVE_OUT, first=bar, last=bar, seconds=86_400)
    )
    prefer(outside.market, Preferences(zone="Atlantic/Madeira", digits=3))


def test_what_was_made_comes_back_as_it_was(
    outside: Outside, cluster: Cluster, demo: str, tmp_path: Path
) -> None:
    worked(outside)
    file = tmp_path / "backup.zip"
    outside.backup.write(file)
    other = bootstrap.outside(copy_of(cluster, demo))
    other.formulas.add("other", "close", "goes away")
    before = made(other)
    with pytest.raises(ConflictError, match="would be replaced"):
        other.backup.restore(file, replace=False)
    assert made(other) == before
    other.backup.restore(file, replace=True)
    assert made(other) == made(outside)
    code = other.mendings.all()[0].mending.code
    panel = other.bars.panel()
    rows = panel.rows(panel.position(code))
    assert rows.stop - rows.start == len(outside.bars.some([code]).times)
    again = other.sieves.add(other.sieves.all()[0].sieve)
    assert again.id > max(sieve.id for sieve in outside.sieves.all())
    # What came after the backup and was replaced leaves its numbers to nothing else.
    later = [start_run(other, again.id).id for _ in range(3)]
    other.backup.restore(file, replace=True)
    assert other.runs.get(later[-1]) is None
    assert start_run(other, other.sieves.all()[0].id).id > max(later)
    assert other.sieves.add(again.sieve).id > again.id


def test_hits_of_before_they_had_numbers_come_back(outside: Outside, tmp_path: Path) -> None:
    worked(outside)
    file, earlier = tmp_path / "backup.zip", tmp_path / "earlier.zip"
    outside.backup.write(file)
    with zipfile.ZipFile(file) as archive, zipfile.ZipFile(earlier, "w") as out:
        for name in archive.namelist():
            lines = archive.read(name)
            if name == "hits.jsonl":
                rows = [json.loads(line) for line in lines.splitlines()]
                for row in rows:
                    for key in ("id", "sieve_id", "timeframe", "begun"):
                        del row[key]
                lines = b"".join(json.dumps(row).encode() + b"\n" for row in rows)
            out.writestr(name, lines)
    before = made(outside)
    outside.backup.restore(earlier, replace=True)
    (_, then), (_, now) = before.pop("hits")[0], (after := made(outside)).pop("hits")[0]
    assert after == before
    assert [replace(own, id=0) for own in now] == [replace(own, id=0) for own in then]
    assert min(own.id for own in now) > max(own.id for own in then), "no number is used twice"


def test_a_file_that_is_no_backup_or_is_damaged_changes_nothing(
    outside: Outside, tmp_path: Path
) -> None:
    worked(outside)
    whole, broken = tmp_path / "whole.zip", tmp_path / "broken.zip"
    outside.backup.write(whole)
    before = made(outside)
    with zipfile.ZipFile(whole) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    manifest = json.loads(members["manifest.json"])
    first = json.loads(members["sieve_versions.jsonl"].splitlines()[0])
    run = json.loads(members["runs.jsonl"].splitlines()[0])
    verdict = json.loads(members["verdicts.jsonl"].splitlines()[0])
    pair = {"code": "P", "name": "", "kind": "pair", "venue": "", "currency": "", "tick": 0.01,
            "point_value": 1.0, "facts": {}, "deleted_at": None}  # fmt: skip
    hits = members["hits.jsonl"].splitlines(keepends=True)
    damaged = [
        {"sieves.jsonl": members["sieves.jsonl"].replace(b'"version": 1', b'"version": 7')},
        {"runs.jsonl": json.dumps({**run, "state": "resting"}).encode()},
        {"runs.jsonl": json.dumps({**run, "version": 9}).encode()},
        {"runs.jsonl": json.dumps({**run, "outcome": {"counts": 1}}).encode()},
        {"verdicts.jsonl": json.dumps({**verdict, "verdict": "sell"}).encode()},
        {"verdicts.jsonl": json.dumps({**verdict, "sieve_id": verdict["sieve_id"] + 1}).encode()},
        {"hits.jsonl": b"".join(hits[:-1])},
        {"hits.jsonl": re.sub(rb'"sieve_id": \d+', b'"sieve_id": 3', members["hits.jsonl"])},
        {"hits.jsonl": hits[0].replace(b'"cells": [', b'"cells": ["odd", ') + b"".join(hits[1:])},
        {"hits.jsonl": hits[0].replace(b'"side": "', b'"side": "up') + b"".join(hits[1:])},
        {"pairs.jsonl": json.dumps(pair).encode()},
        {"pairs.jsonl": json.dumps({**pair, "facts": {"relation": "spread"}}).encode()},
        {"outlooks.jsonl": b"[" * 100_000},
        {"kelp.jsonl": b""},
        {"../kelp": b""},
        {"sieves.jsonl": None},
        {"formula_versions.jsonl": b'{"note": "' + b"x" * 17_000_000 + b'"}'},
        {"manifest.json": b"no"},
        {"manifest.json": json.dumps({**manifest, "format": 9}).encode()},
        {"manifest.json": json.dumps({**manifest, "revision": "9999"}).encode()},
        {"sieve_versions.jsonl": json.dumps({**first, "body": "{}"}).encode()},
        {"sieve_versions.jsonl": json.dumps({**first, "sieve_id": 9999}).encode()},
        {"verdicts.jsonl": b'{"id": "x"}'},
        {"instruments.jsonl": b'{"code": "QUVNA"}'},
        {"earlier_codes.jsonl": b"[1]"},
        {"shapes.jsonl": b'{"name": "x", "layout": 1}'},
        {"shapes.jsonl": b'{"layout": {"content": "kelp"}, "account": null}'},
        {"settings.jsonl": b'{"key": "sources", "value": "no list"}'},
        {"settings.jsonl": b'{"key": "sources", "value": "[1]"}'},
    ]
    for change in damaged:
        with zipfile.ZipFile(broken, "w") as archive:
            for name, content in {**members, **change}.items():
                if content is not None:
                    archive.writestr(name, content)
        with pytest.raises(DataError, match="can't be used"):
            outside.backup.restore(broken, replace=True)
        assert made(outside) == before
    broken.write_bytes(b"no zip at all")
    with pytest.raises(DataError, match="no file of backup"):
        outside.backup.restore(broken, replace=True)
    with zipfile.ZipFile(broken, "w") as archive:
        archive.writestr("manifest.json", members["manifest.json"])
    with pytest.raises(DataError, match="not whole: "):
        outside.backup.restore(broken, replace=True)
    content = whole.read_bytes()
    for at in range(60, len(content), len(content) // 20):
        broken.write_bytes(content[:at] + bytes([content[at] ^ 0xFF]) + content[at + 1 :])
        with contextlib.suppress(DataError):
            outside.backup.restore(broken, replace=True)
        assert made(outside) == before, f"a byte at {at}"
        broken.write_bytes(content[:at])
        with pytest.raises(DataError, match="no file of backup"):
            outside.backup.restore(broken, replace=True)
    outside.backup.restore(whole, replace=True)


def test_a_huge_backup_is_refused_before_it_is_read(outside: Outside, tmp_path: Path) -> None:
    whole = tmp_path / "whole.zip"
    outside.backup.write(whole)
    with zipfile.ZipFile(whole, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.getinfo("hits.jsonl").file_size = 5 * 2**30  # as its directory tells
        archive._didModify = True  # type: ignore[attr-defined]
    start = time.monotonic()
    with pytest.raises(DataError, match=r"unpacks to 5\.0 GB; no more than 4 are taken"):
        outside.backup.restore(whole, replace=True)
    assert time.monotonic() - start < 5


def test_one_backup_is_put_back_at_a_time(outside: Outside, tmp_path: Path) -> None:
    file = tmp_path / "backup.zip"
    outside.backup.write(file)
    with ThreadPoolExecutor(4) as pool:
        done = [pool.submit(outside.backup.restore, file, replace=True) for _ in range(4)]
        failed = [error for own in done if (error := own.exception())]
    assert len(failed) < 4
    assert all("being put back just now" in str(error) for error in failed)
    with psycopg.connect(outside.backup.database.address) as other:  # type: ignore[attr-defined]
        other.execute("SELECT pg_advisory_xact_lock(%s)", (ONE_RESTORE,))
        with pytest.raises(ConflictError, match="being put back just now"):
            outside.backup.restore(file, replace=True)


ODD = (None, "", "odd", -1, 10**12, 1.5, True, [], {}, [1], {"format": 2}, "9999-12-31T23:59:59Z")
READ = (
    "/thread", "/sieves", "/sieves/1", "/sieves/1/versions", "/sieves/1/runs", "/runs", "/runs/1",
    "/runs/1/hits", "/runs/1/hits.file?format=csv", "/formulas", "/formulas/archived", "/universes",
    "/universes/archived", "/arrangements/board", "/outlooks", "/instruments", "/mendings", "/verdicts",
    "/imports", "/preferences", "/find?words=a", "/vocabulary", "/doubts", "/beginning", "/sources",
    "/venues",
)  # fmt: skip


def test_what_is_taken_of_an_odd_backup_breaks_no_page(
    client: FlaskClient, outside: Outside, tmp_path: Path
) -> None:
    """Any value of any row is another, or gone: it is refused in words, or every page can be read."""
    worked(outside)
    whole, odd = tmp_path / "whole.zip", tmp_path / "odd.zip"
    outside.backup.write(whole)
    with zipfile.ZipFile(whole) as archive:
        members = {name: archive.read(name).splitlines() for name in archive.namelist()}
    chance = random.Random(17 + MANY)
    filled = [name for name in members if name.endswith(".jsonl") and members[name]]
    refused = 0
    for _ in range(examples(40)):
        name = chance.choice(filled)
        at = chance.randrange(len(members[name]))
        row = json.loads(members[name][at])
        within = row
        while True:
            key = chance.choice(sorted(within))
            if not isinstance(within[key], dict) or not within[key] or chance.random() < 0.3:
                break
            within = within[key]
        if chance.random() < 0.2:
            del within[key]
        else:
            within[key] = chance.choice(ODD)
        rows = [*members[name][:at], json.dumps(row).encode(), *members[name][at + 1 :]]
        with zipfile.ZipFile(odd, "w") as archive:
            for own, lines in {**members, name: rows}.items():
                archive.writestr(own, b"\n".join(lines))
        reply = client.post(
            "/api/backup?replace=true",
            data=odd.read_bytes(),
            content_type="application/octet-stream",
        )
        change = (name, at, key, within.get(key, "gone"), reply.json)
        assert reply.status_code in (200, 422), change
        refused += reply.status_code == 422
        for path in READ:
            read = client.get(f"/api{path}")
            assert read.status_code < 500, (path, read.json, change)
    assert refused


def own_desk(cluster: Cluster) -> Outside:
    address = cluster.make_database(f"own_{uuid.uuid4().hex[:8]}")
    migrate(address)
    own = bootstrap.outside(address)
    assert begin_empty(own, lambda _: None)
    return own


def seen(outside: Outside) -> dict[str, object]:
    """What the pages of a desk show of its market, and what was made."""
    panel = outside.bars.panel()
    instruments = sorted(outside.market.instruments(), key=lambda own: own.code)
    return made(outside) | {
        "instruments": instruments,
        "earlier": outside.market.reference().earlier,
        "events": outside.market.events(),
        "bars": {i.code: panel.series(i.code)[1]["close"].tolist() for i in instruments},
        "folders": [source.folder for source in sources(outside)],
        "shapes": {own.name for own in outside.imports.recent(9)},
    }


def test_into_an_empty_desk_all_comes_back_and_waits_for_its_bars(
    cluster: Cluster, tmp_path: Path
) -> None:
    """In any order with the bars: before the same files come in again, or after."""
    bars = tmp_path / "bars"
    bars.mkdir()
    for code, price in (("KESSO", 40.0), ("TAVROS", 9.0), ("OLMEK", 70.0)):
        rows = [f"2026-03-{day:02},{price + day},{price - 1}\n" for day in range(2, 28)]
        (bars / f"{code}.csv").write_text("date,close,low close\n" + "".join(rows))
    files = sorted(bars.glob("*.csv"))
    desk = own_desk(cluster)
    assert all(not done.trouble for done in read_files(desk, files))
    describe(desk, [Described(code=i, kind="share", currency="KWE") for i in ("KESSO", "TAVROS")])
    day = int(desk.bars.some(["KESSO"]).times[9])
    for own in (
        Mending(code="KESSO", kind=MendingKind.SPLIT, first=day, last=day, new=2.0, reason="told"),
        Mending(code="OLMEK", kind=MendingKind.LEAVE_OUT, first=day, last=day, seconds=86_400),
    ):
        mend(desk, own)
    rename(desk, "TAVROS", "TAVROS.B")
    MachineFile(data_folder() / MACHINE_NAME).allow(bars)
    add_source(desk, str(bars))
    stored = desk.sieves.add(EXAMPLES[0].model_copy(update={"universe": "All instruments"}))
    execute_run(desk, start_run(desk, stored.id).id)
    file = tmp_path / "backup.zip"
    desk.backup.write(file)

    before, after = own_desk(cluster), own_desk(cluster)
    counts = before.backup.restore(file, replace=False)
    assert counts["instruments that wait for their bars"] == 3
    assert counts["mendings that wait for their bars"] == 2
    assert before.market.instruments() == before.market.archived_instruments() == []
    read_files(before, files)
    read_files(after, files)
    after.backup.restore(file, replace=False)
    for other in (before, after):
        for name, told in seen(desk).items():
            assert seen(other)[name] == told, name


def test_what_others_write_meanwhile_is_waited_for_and_what_they_lose_is_told(
    outside: Outside, address: str, tmp_path: Path
) -> None:
    file = tmp_path / "backup.zip"
    outside.backup.write(file)
    later = outside.sieves.add(EXAMPLES[0].model_copy(update={"name": "Later"}))
    with ThreadPoolExecutor() as pool:
        with psycopg.connect(address) as other:
            other.execute("SELECT FROM sieves FOR UPDATE")
            restoring = pool.submit(outside.backup.restore, file, replace=True)
            time.sleep(0.4)
            assert not restoring.done()
            other.execute(
                "INSERT INTO runs (owner_id, sieve_id, version, body, as_of, state) "
                "SELECT owner_id, id, 1, '', now(), 'queued' FROM sieves LIMIT 1"
            )
            time.sleep(0.4)
            assert not restoring.done()
        assert restoring.result(60)["runs"] == 0
        again = outside.sieves.add(EXAMPLES[0].model_copy(update={"name": "Later"}))
        assert again.id > later.id
        with psycopg.connect(address) as other:
            other.execute("DELETE FROM sieve_versions WHERE sieve_id = %s", (again.id,))
            other.execute("DELETE FROM sieves WHERE id = %s", (again.id,))
            starting = pool.submit(start_run, outside, again.id)
            time.sleep(0.4)
            assert not starting.done()
        with pytest.raises(ConflictError, match="replaced meanwhile"):
            starting.result(60)
