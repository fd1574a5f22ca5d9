"""What takes minutes or root: ``./test -m long``."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.faults.hands import BACK_WITHIN, Installation, begin, left_behind, used
from zealous_sieve import environment
from zealous_sieve.local.cluster import cluster_in

pytestmark = pytest.mark.long
ROOM = 2_500
"""Megabytes of the small disk: the demo fits, with some to spare."""
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
def test_a_clock_set_back_stops_nothing(filled: Path) -> None:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-clock-", dir="/var/tmp") as name:
        shim, clock = Path(name) / "clock.so", Path(name) / "moved"
        Path(name).chmod(0o755)
        source = str(Path(__file__).with_name("clock.c"))
        subprocess.run(["gcc", "-shared", "-fPIC", "-o", str(shim), source, "-ldl"], check=True)
        clock.write_text("0")
        own = Installation(filled, LD_PRELOAD=str(shim), WALL_CLOCK=str(clock))
        with used(own) as trader:
            for moved in (-10_800, 3_600, -34_560_000, 0):
                clock.write_text(str(moved))
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
    own = Installation(filled, **{environment.KERNELS: str(own_code)})
    own.answers()
    sieve = own.ask("GET", "/sieves/1")["sieve"]
    own.until(lambda: own.ask("POST", "/preview", {"sieve": sieve})["ok"], 400, "it computes")
    own.end()
