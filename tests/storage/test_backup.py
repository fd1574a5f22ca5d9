"""What was made comes back as it was from one file, whole or not at all."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import pytest

from tests.conftest import copy_of
from zealous_sieve import bootstrap
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.market.mending import Mending, MendingKind
from zealous_sieve.core.market.outlook import Settles
from zealous_sieve.core.market.universes import Rule, Universe
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.usecases.errors import ConflictError
from zealous_sieve.usecases.market import desk_of
from zealous_sieve.usecases.mending import mend
from zealous_sieve.usecases.outlooks import Draft, frozen
from zealous_sieve.usecases.ports import HitsQuery, Outside, VerdictKind
from zealous_sieve.usecases.preferences import Preferences, prefer, preferences
from zealous_sieve.usecases.runs import execute_run, give_verdict, start_run


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
    give_verdict(outside, run.id, first.hit.code, VerdictKind.TAKE, "wide", 'a note, "quoted" é')
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
    damaged = [
        {"manifest.json": b"no"},
        {"manifest.json": json.dumps({**manifest, "format": 9}).encode()},
        {"manifest.json": json.dumps({**manifest, "revision": "9999"}).encode()},
        {"sieve_versions.jsonl": json.dumps({**first, "body": "{}"}).encode()},
        {"sieve_versions.jsonl": json.dumps({**first, "sieve_id": 9999}).encode()},
        {"verdicts.jsonl": b'{"id": "x"}'},
    ]
    for change in damaged:
        with zipfile.ZipFile(broken, "w") as archive:
            for name, content in {**members, **change}.items():
                archive.writestr(name, content)
        with pytest.raises(DataError, match="can't be used"):
            outside.backup.restore(broken, replace=True)
        assert made(outside) == before
    broken.write_bytes(b"no zip at all")
    with pytest.raises(DataError, match="no file of backup"):
        outside.backup.restore(broken, replace=True)
