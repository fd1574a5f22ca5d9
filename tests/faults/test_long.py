"""What takes minutes or root: ``./test -m long``."""

from __future__ import annotations

import os
import random
import re
import shutil
import signal
import subprocess
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tests.faults.hands import BACK_WITHIN, Installation, begin, left_behind, used
from tests.faults.hostile import Careless, stranger_at
from zealous_sieve import environment
from zealous_sieve.local.cluster import cluster_in, port_in
from zealous_sieve.local.opening import PORT

pytestmark = pytest.mark.long
ROOM = 2_500
"""Megabytes of the small disk: the demo fits, with some to spare."""
KIND = "application/octet-stream"
PARTS = ("worker", "serve", "compute", "postgres")
as_root = pytest.mark.skipif(os.geteuid() != 0, reason="only root can mount a disk")


@pytest.fixture
def small_disk() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-disk-", dir="/var/tmp") as name:
        options = f"size={ROOM}m,mode=755"
        subprocess.run(["mount", "-t", "tmpfs", "-o", options, "tmpfs", name], check=True)
        try:
            yield Path(name)
        finally:
            cluster_in(Path(name)).destroy()
            subprocess.run(["umount", "-l", name], check=True)


@pytest.fixture(scope="module")
def filled() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-long-", dir="/var/tmp") as name:
        Path(name).chmod(0o755)
        assert begin(Path(name), "--prepare").wait(900) == 0
        yield Path(name)
        cluster_in(Path(name)).destroy()


def fill(ballast: Path) -> None:
    with ballast.open("wb", buffering=0) as out:
        while True:
            try:
                out.write(bytes(1 << 20))
            except OSError:
                return


@as_root
def test_a_full_disk_loses_nothing_that_was_confirmed(small_disk: Path) -> None:
    assert begin(small_disk, "--prepare").wait(900) == 0
    own = Installation(small_disk)
    with used(own) as trader:
        time.sleep(3)
        ballast = small_disk / "ballast"
        fill(ballast)
        saved = len(trader.saved)
        own.until(lambda: trader.refused, 120, "the full disk is told")
        time.sleep(15)
        ballast.unlink()
        own.until(lambda: len(trader.saved) > saved + 5, 60, "saving goes on")
    own.end()
    assert left_behind(small_disk) == []


def test_each_part_may_starve_for_a_while(filled: Path) -> None:
    own = Installation(filled)
    with used(own) as trader:
        for part in PARTS:
            pids = own.pids(part)
            own.send(part, signal.SIGSTOP)
            time.sleep(10)
            for pid in pids:
                os.kill(pid, signal.SIGCONT)
            run = own.ask("POST", "/runs", {"sieve_id": 2})["id"]
            own.until(lambda run=run: trader.state(run) == "done", BACK_WITHIN, f"{part} goes on")
    own.end()


def test_each_part_may_die_again_and_again(filled: Path) -> None:
    own = Installation(filled)
    with used(own):
        for turn in range(24):
            own.send(PARTS[turn % 4], signal.SIGKILL)
            time.sleep(0.3 * (turn % 7))
    own.end()
    assert left_behind(filled) == []


@pytest.mark.skipif(shutil.which("gcc") is None, reason="needs a C compiler")
def test_a_clock_set_back_stops_nothing(filled: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-clock-", dir="/var/tmp") as name:
        shim, clock = Path(name) / "clock.so", Path(name) / "moved"
        Path(name).chmod(0o755)
        source = str(Path(__file__).with_name("clock.c"))
        subprocess.run(["gcc", "-shared", "-fPIC", "-o", str(shim), source, "-ldl"], check=True)
        clock.write_text("0")
        own = Installation(filled, LD_PRELOAD=str(shim), WALL_CLOCK=str(clock))
        real = time.time
        with used(own) as trader:
            for moved in (-10_800, 3_600, -34_560_000, 0):
                clock.write_text(str(moved))
                # The passes of scripts are made by the same clock.
                monkeypatch.setattr(time, "time", lambda moved=moved: real() + moved)
                run = own.ask("POST", "/runs", {"sieve_id": 2})["id"]
                own.until(lambda run=run: trader.state(run) == "done", BACK_WITHIN, "it is done")
                own.send("worker", signal.SIGKILL)
        own.end()


@pytest.mark.parametrize("seconds", [0.4, 1.5, 2.5, 3.5, 6, 12, 18])
@pytest.mark.parametrize("way", [signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
def test_ended_at_any_moment_of_the_first_fill(way: signal.Signals, seconds: float) -> None:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-end-", dir="/var/tmp") as name:
        folder = Path(name)
        folder.chmod(0o755)
        process = begin(folder, "--prepare")
        time.sleep(seconds)
        process.send_signal(way)
        process.wait(60)
        assert left_behind(folder) == []
        cluster = cluster_in(folder)
        cluster.start()
        cluster.destroy()


def test_broken_compiled_code_is_made_anew(filled: Path, tmp_path: Path) -> None:
    kept = environment.kernels()
    assert kept is not None, "run it by ./test"
    own_code = tmp_path / "kernels"
    shutil.copytree(kept, own_code)
    for n, file in enumerate(sorted(own_code.rglob("*.nb?"))):
        if n % 9 == 0:
            file.write_bytes(file.read_bytes()[:40])
    own = Installation(filled, **{environment.KERNEL_CACHE: str(own_code)})
    own.answers()
    sieve = own.ask("GET", "/sieves/1")["sieve"]
    own.until(lambda: own.ask("POST", "/preview", {"sieve": sieve})["ok"], 400, "it computes")
    own.end()


def taken_up(own: Installation, number: int) -> str:
    """The state of an import once nothing works on it any more."""

    def state() -> str:
        return str(own.ask("GET", f"/imports/{number}")["own"]["state"])

    own.until(lambda: state() not in ("reading", "taking"), 120, f"import {number} has ended")
    return state()


def test_an_import_is_taken_whole_or_not_at_all(filled: Path, tmp_path: Path) -> None:
    count, chance = 60_000, random.Random(3)
    own = Installation(filled)
    ends: Counter[str] = Counter()
    with used(own):
        for turn in range(16):
            code = f"CUTOFF{turn}"
            path = tmp_path / f"{code}.csv"
            path.write_text("".join(rows_of(code, count)))
            number = own.client.bring(path)["id"]
            if turn % 4 == 0:
                assert taken_up(own, number) == "ready"
                own.ask("POST", f"/imports/{number}/take")
            time.sleep(chance.random() * 2)
            own.send(PARTS[turn // 2 % 4], signal.SIGKILL)
            own.answers(60)
            if (state := taken_up(own, number)) == "ready":
                own.ask("POST", f"/imports/{number}/take")
                state = taken_up(own, number)
            ends[state] += 1
            told = own.ask("GET", f"/imports/{number}")["own"]
            assert state == "done" or told["reason"], told
            assert bars_of(own, code) == (count if state == "done" else 0)
    print(dict(ends))
    assert ends["done"] >= 8
    own.end()


def bars_of(own: Installation, code: str) -> int:
    """How many bars are kept of an instrument that may not be there."""
    known = [row["code"] for row in own.ask("GET", "/instruments?universe=All%20instruments")]
    if code not in known:
        return 0
    kept = own.ask("GET", f"/instruments/{code}")["summary"]["coverage"]
    return sum(c["bars"] for c in kept)


def rows_of(code: str, count: int) -> Iterator[str]:
    yield "code,time,open,high,low,close,volume\n"
    begin = datetime(2025, 1, 1, tzinfo=UTC)
    for n in range(count):
        yield f"{code},{begin + timedelta(minutes=n):%Y-%m-%d %H:%M:%S}+00:00,5,6,4,5,{n}\n"


def test_a_backup_is_put_back_whole_or_not_at_all(filled: Path, tmp_path: Path) -> None:
    own = Installation(filled)
    own.answers()
    backup = tmp_path / "backup.zip"
    numbers: list[int] = []

    def save(note: str) -> None:
        sieve = own.ask("GET", "/sieves/1")
        body = {"sieve": sieve["sieve"] | {"note": note}, "based_on": sieve["version"]}
        own.ask("PUT", "/sieves/1", body)

    def put_back() -> None:
        with suppress(OSError):
            own.client._send("POST", "/backup?replace=true", backup.read_bytes(), KIND, 60)

    save("in the backup")
    own.client.save("/backup", backup)
    ends: Counter[str] = Counter()
    for turn in range(16):
        save(f"after {turn}")
        numbers.append(own.ask("POST", "/runs", {"sieve_id": 2})["id"])
        own.until(lambda: own.ask("GET", f"/runs/{numbers[-1]}")["run"]["state"] == "done", 60, "")
        with ThreadPoolExecutor(1) as pool:
            pool.submit(put_back)
            time.sleep(0.2 * turn)
            own.send(("serve", "postgres")[turn % 2], signal.SIGKILL)
        own.answers(60)
        note = own.ask("GET", "/sieves/1")["sieve"]["note"]
        runs = {run["id"] for run in own.ask("GET", "/runs")}
        assert note in ("in the backup", f"after {turn}")
        assert (numbers[-1] in runs) == (note != "in the backup"), "one without the other"
        ends[note.split()[0]] += 1
    assert numbers == sorted(set(numbers)), "a number was used twice"
    print(dict(ends))
    own.end()


@as_root
def test_who_means_harm_gets_nothing_and_stops_nothing(filled: Path, tmp_path: Path) -> None:
    own = Installation(filled)
    own.answers()
    own.until(lambda: port_in(filled, PORT) == own.port, 30, "it tells where it answers")
    before = memory(own)
    with used(own) as trader:
        careless = Careless(own, tmp_path)
        careless.start()
        result = stranger_at(own, 100)
        for part in PARTS:
            time.sleep(22)
            own.send(part, signal.SIGKILL)
        tried, got = result()
        careless.over.set()
        careless.join(120)
        assert not careless.is_alive()
    print(dict(tried), dict(careless.refused), len(trader.saved))
    assert got == []
    assert careless.taken == []
    assert not {told for told in careless.refused if told.endswith("500")}, careless.refused
    assert careless.refused["files 422"] > len(careless.files)
    own.until(lambda: memory(own) < before + 2**29, 60, "memory is given back")
    own.end()


def memory(own: Installation) -> int:
    """Bytes that its parts hold, without what they share."""
    total = 0
    for part in ("worker", "serve", "compute"):
        for pid in own.pids(part):
            with suppress(OSError):
                told = Path(f"/proc/{pid}/smaps_rollup").read_text()
                total += 1024 * int(re.findall(r"Private_Dirty: +(\d+)", told)[0])
    return total
