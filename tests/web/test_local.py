"""Everything on one machine: what ./start does, with a PostgreSQL of its own."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path
from threading import Barrier

import psycopg
import pytest

from tests.faults.hands import BACK_WITHIN, Installation, begin, left_behind, used
from tests.faults.hostile import stranger_at
from zealous_sieve.admission import TICKETS, keep, secret_in
from zealous_sieve.core.demo.market import universes
from zealous_sieve.environment import ADDRESS, DATA
from zealous_sieve.local.cluster import DESK, KEEPER, Cluster, cluster_in, free_port, port_in
from zealous_sieve.local.opening import PORT
from zealous_sieve.storage.revision import migrate

AS_ROOT = pytest.mark.skipif(
    os.geteuid() != 0, reason="only root can be another account, or mount a disk"
)


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
        said = second.communicate()[0].decode()
        assert "already running" in said
        assert f"let in, once, by http://127.0.0.1:{own.port}/open/" in said
        assert told_by_command(filled).startswith('{\n  "format"')
        own.end(way)
        assert "is not running: start it with ./start" in told_by_command(filled)
        assert left_behind(filled) == []


@AS_ROOT
def test_another_account_of_the_machine_gets_nothing(filled: Path) -> None:
    own = Installation(filled)
    own.answers()
    own.until(lambda: port_in(filled, PORT) == own.port, 30, "it tells where it answers")
    address = command(filled, "open").strip()
    shown = command(filled, "pass").strip()
    tried, got = stranger_at(own, 0)()
    assert (got, tried["while it was away"]) == ([], 0)
    assert all(tried[what] for what in ("requests", "files", "computing", "database", "programs"))
    client = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    assert client.open(address).status == 200
    assert client.open(f"http://127.0.0.1:{own.port}/api/thread").status == 200
    asked = urllib.request.Request(f"http://127.0.0.1:{own.port}/api/thread")
    asked.add_header("Authorization", f"Bearer {shown}")
    assert urllib.request.urlopen(asked).status == 200
    said = own.end()
    assert f"open http://127.0.0.1:{own.port}/open/" in said
    assert "is not running: start it with ./start" in command(filled, "open")
    assert list((filled / TICKETS).iterdir()), "what ./start printed was not used"
    assert begin(filled, "--prepare").wait(300) == 0
    assert not (filled / TICKETS).exists(), "and is good no more"


"""Files of a data folder that others may read: states and ports, which anybody sees anyway."""


def command(folder: Path, *arguments: str) -> str:
    """What a command says about the desk in a folder."""
    told = {k: v for k, v in os.environ.items() if k != ADDRESS} | {DATA: str(folder)}
    line = [sys.executable, "-m", "zealous_sieve.cli.main", *arguments]
    done = subprocess.run(line, env=told, capture_output=True, text=True, check=False)
    return done.stdout + done.stderr


def told_by_command(folder: Path) -> str:
    """What a command says that is told of no desk but where its data lie."""
    return command(folder, "export", "sieve", "1")


def test_a_command_says_where_there_is_no_desk_or_none_of_its_own(tmp_path: Path) -> None:
    assert "begin one with ./start" in told_by_command(tmp_path)
    assert list(tmp_path.iterdir()) == [], "and begins none"
    (tmp_path / "postgres.port").write_text("1")
    (tmp_path / "postgres.password").mkdir()
    assert f"the desk in {tmp_path} can't be asked" in told_by_command(tmp_path)


def _spoil(folder: Path, what: str) -> Path:
    """Make of an empty folder one that can't be begun; returns where the data are said to lie."""
    match what:
        case "a file":
            (folder / "data").write_text("mine")
            return folder / "data"
        case "below a file":
            (folder / "data").write_text("mine")
            return folder / "data" / "own"
        case "a folder for a file":
            (folder / "postgres.password").mkdir()
        case "half of it":
            (folder / "postgres").mkdir()
            (folder / "postgres" / "PG_VERSION").write_text("15")
        case "a lock that is none":
            (folder / "start.lock").mkdir()
        case "full":
            subprocess.run(["mount", "-t", "tmpfs", "-o", "size=8m", "tmpfs", folder], check=True)
    return folder


@pytest.mark.parametrize(
    ("what", "said"),
    [
        ("a file", "data stands where another kind of file is kept: move it away, or set"),
        ("below a file", "data/own stands where another kind of file is kept: move it"),
        ("a folder for a file", "postgres.password stands where another kind of file is kept"),
        ("half of it", "are not whole, postgresql.conf is missing: put a copy of the folder back"),
        ("a lock that is none", "start.lock stands where another kind of file is kept"),
        pytest.param("full", "is full (8 MB are free, 64 MB are needed", marks=AS_ROOT),
    ],
)
def test_what_can_not_be_begun_is_told_in_a_sentence(folder: Path, what: str, said: str) -> None:
    where = _spoil(folder, what)
    try:
        told = command(where, "up", "--port", str(free_port()))
        before = sorted(path.name for path in folder.iterdir())
    finally:
        if what == "full":
            subprocess.run(["umount", "-l", folder], check=True)
        elif what == "a folder for a file":
            (folder / "postgres.password").rmdir()
    assert said in told
    assert "Traceback" not in told
    assert len(told.splitlines()) == 1
    assert "data" not in before or (folder / "data").read_text() == "mine"


@pytest.mark.parametrize("port", ["0", "-1", "65536", "99999999", "web"])
def test_a_port_that_is_none_is_told(tmp_path: Path, port: str) -> None:
    told = command(tmp_path, "up", "--port", port)
    assert "Invalid value for '--port'" in told
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("told", ["", "garbled", "-5", "70000", "54 32", "é"])
def test_a_garbled_port_is_chosen_anew(folder: Path, told: str) -> None:
    (folder / "postgres.port").write_text(told)
    chosen = cluster_in(folder).port
    assert (folder / "postgres.port").read_text() == str(chosen)


def test_a_command_says_what_there_is_where_the_port_is_garbled(folder: Path) -> None:
    (folder / "postgres.port").write_text("5é 32")
    assert "begin one with ./start" in told_by_command(folder)
    cluster_in(folder)
    (folder / "postgres.port").write_text("5é 32")
    assert f"the desk in {folder} is not running" in told_by_command(folder)


def test_files_of_state_are_whole_whoever_writes_them_at_the_same_moment(tmp_path: Path) -> None:
    together = Barrier(12)

    def written(n: int) -> list[str]:
        secrets = []
        for turn in range(30):
            together.wait()
            keep(tmp_path / "port", str(1000 + n))
            secrets.append(secret_in(tmp_path / f"secret {turn}"))
        return secrets

    with ThreadPoolExecutor(12) as pool:
        first, *others = pool.map(written, range(12))
    assert others == 11 * [first]
    assert len(list(tmp_path.iterdir())) == 31, "nothing is left beside them"
    assert 1000 <= int((tmp_path / "port").read_text()) < 1012
    assert (tmp_path / "secret 0").stat().st_mode & 0o077 == 0


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


def test_a_helper_that_outlives_a_killed_database_keeps_none_from_starting(folder: Path) -> None:
    cluster = cluster_in(folder)
    server = cluster.start()
    with psycopg.connect(cluster.address_of("postgres", KEEPER), autocommit=True) as keeper:
        query = "SELECT pid FROM pg_stat_activity WHERE backend_type = 'checkpointer'"
        ((helper,),) = keeper.execute(query).fetchall()
    os.kill(helper, signal.SIGSTOP)
    server.kill()
    server.wait()
    assert Path(f"/proc/{helper}").exists()
    try:
        assert cluster.start().poll() is None
    finally:
        with suppress(ProcessLookupError):
            os.kill(helper, signal.SIGKILL)
        cluster.destroy()


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
