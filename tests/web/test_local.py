"""Everything on one machine: what ./start does, with a PostgreSQL of its own."""

from __future__ import annotations

import signal
import socket
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import pytest

from tests.faults.hands import BACK_WITHIN, Installation, begin, left_behind, used
from zealous_sieve.core.market.lantern.market import universes
from zealous_sieve.local.cluster import DESK, KEEPER, Cluster, cluster_in
from zealous_sieve.storage.revision import migrate


@contextmanager
def data_folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-up-", dir="/var/tmp") as name:
        Path(name).chmod(0o755)
        yield Path(name)
        cluster_in(Path(name)).destroy()


@pytest.fixture
def folder() -> Iterator[Path]:
    with data_folder() as own:
        yield own


@pytest.fixture(scope="module")
def filled() -> Iterator[Path]:
    """A data folder with the demo in it, whose first fill was broken off thrice and then done."""
    with data_folder() as own:
        for way, seconds in ((signal.SIGKILL, 1.0), (signal.SIGTERM, 4.0), (signal.SIGKILL, 9.0)):
            process = begin(own, "--prepare")
            time.sleep(seconds)
            process.send_signal(way)
            process.wait(60)
            assert left_behind(own) == []
        assert begin(own, "--prepare").wait(600) == 0
        yield own


def test_a_first_fill_that_was_broken_off_is_done_anew(filled: Path) -> None:
    cluster = cluster_in(filled)
    cluster.start()
    with psycopg.connect(cluster.address) as connection:
        counts = [
            connection.execute(f"SELECT count(*) FROM {table}").fetchone()
            for table in ("instruments", "sieves", "universes")
        ]
    cluster.stop()
    assert counts == [(287,), (3,), (len(universes()),)]


def test_ended_in_whatever_way_it_leaves_nothing_behind_and_starts_again(filled: Path) -> None:
    for way in (signal.SIGKILL, signal.SIGINT, signal.SIGTERM):
        own = Installation(filled)
        assert own.answers()["instruments"] == 287
        second = begin(filled, "--port", str(own.port + 1))
        assert second.wait(60) == 1
        assert b"already running" in second.communicate()[0]
        own.end(way)
        assert left_behind(filled) == []


def test_what_is_killed_comes_back_by_itself_and_nothing_is_lost(filled: Path) -> None:
    own = Installation(filled)
    with used(own) as trader:
        for part in ("worker", "serve", "compute", "postgres"):
            (pid,) = own.pids(part)
            run = own.ask("POST", "/runs", {"sieve_id": 2})["id"]
            own.send(part, signal.SIGKILL)
            own.until(lambda part=part, pid=pid: pid not in own.pids(part), 5, f"{part} is gone")
            own.until(lambda run=run: trader.state(run) == "done", BACK_WITHIN, f"{part} is back")
            own.until(lambda: own.ask("GET", "/thread")["troubles"], 5, "it is told")
    own.end()
    assert left_behind(filled) == []


def test_a_port_in_use_is_told_before_anything_is_begun(folder: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        process = begin(folder, "--port", str(port))
        assert process.wait(300) == 1
        assert f"port {port} is in use".encode() in process.communicate()[0]
    assert not (folder / "postgres").exists()


def test_a_cluster_keeps_its_port_and_its_databases(folder: Path) -> None:
    cluster = cluster_in(folder)
    cluster.start()
    address = cluster.make_database("kept")
    assert cluster.make_database("kept") == address
    same: Cluster = cluster_in(folder)
    assert (same.port, same.running()) == (cluster.port, True)
    same.start()
    cluster.stop()
    assert not same.running()


def test_a_folder_of_an_earlier_version_is_brought_over(folder: Path) -> None:
    cluster = cluster_in(folder)
    cluster.start()
    with psycopg.connect(cluster.address_of("postgres", KEEPER), autocommit=True) as owner:
        owner.execute("DROP DATABASE zealous_sieve")
        owner.execute("CREATE DATABASE zealous_sieve")
        owner.execute(f"DROP ROLE {DESK}")
    migrate(cluster.address_of("zealous_sieve", KEEPER))
    cluster.stop()
    (cluster.folder / "pg_hba.conf").write_text("host all all 127.0.0.1/32 trust\n")

    cluster.start()
    migrate(cluster.address)
    with psycopg.connect(cluster.address, autocommit=True) as desk:
        assert desk.execute("SELECT rolsuper FROM pg_roles WHERE rolname = user").fetchone() == (
            False,
        )
        desk.execute("ALTER TABLE settings ADD COLUMN tried int")
        desk.execute("SELECT procrastinate_prune_stalled_workers_v1(1.0)")
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            desk.execute("COPY settings TO PROGRAM 'true'")
    for role in (DESK, KEEPER):
        with pytest.raises(psycopg.OperationalError, match="no password"):
            psycopg.connect(f"postgresql://{role}@127.0.0.1:{cluster.port}/postgres")
    assert (folder / "postgres.password").stat().st_mode & 0o777 == 0o600
