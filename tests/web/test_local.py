"""Everything on one machine: what ./start does, with a PostgreSQL of its own."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from zealous_sieve.local.cluster import Cluster, cluster_in, free_port


@pytest.fixture
def folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-up-", dir="/var/tmp") as name:
        Path(name).chmod(0o755)
        yield Path(name)
        cluster_in(Path(name)).destroy()


def begin(folder: Path, *arguments: str) -> subprocess.Popen[bytes]:
    command = [sys.executable, "-m", "zealous_sieve.cli.main", "up", *arguments]
    environment = os.environ | {"ZEALOUS_SIEVE_DATA": str(folder)}
    return subprocess.Popen(command, env=environment, stdout=subprocess.PIPE)


def answers(port: int, tries: int = 3000) -> dict[str, object]:
    for _ in range(tries):
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/thread", timeout=5) as reply:
                return dict(json.loads(reply.read()))
        except OSError:
            time.sleep(0.1)
    raise TimeoutError(f"nothing answers on {port}")


def silent(port: int) -> bool:
    for _ in range(100):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/thread", timeout=1).close()
        except OSError:
            return True
        time.sleep(0.1)
    return False


def said(process: subprocess.Popen[bytes]) -> str:
    output, _ = process.communicate(timeout=300)
    return output.decode()


def test_start_serves_survives_a_kill_and_stops_all_it_started(folder: Path) -> None:
    port = free_port()
    first = begin(folder, "--port", str(port))
    assert answers(port)["instruments"] == 287
    second = begin(folder, "--port", str(port + 1))
    assert second.wait(300) == 1
    assert "already running" in said(second)
    first.kill()
    first.wait()
    assert silent(port), "the web process has to end with its parent"

    again = begin(folder, "--port", str(port))
    assert answers(port)["sieves"] == 3
    again.send_signal(signal.SIGINT)
    again.wait(300)
    assert silent(port)
    assert not cluster_in(folder).running()


def test_a_port_in_use_is_told_before_anything_is_begun(folder: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        process = begin(folder, "--port", str(port))
        assert process.wait(300) == 1
        assert f"port {port} is in use" in said(process)
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
