"""Everything on one machine: PostgreSQL, the demo data, the web process and the worker."""

from __future__ import annotations

import fcntl
import os
import shlex
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path
from typing import TextIO

from honcho.manager import Manager

from zealous_sieve import wiring
from zealous_sieve.local.cluster import Cluster, cluster_in
from zealous_sieve.local.parent import PARENT

COMMAND = (sys.executable, "-m", "zealous_sieve.cli.main")


def prepare(cluster: Cluster, *, fresh: bool) -> None:
    """Start PostgreSQL, bring its tables up to date, fill the demo once, compile the kernels."""
    if fresh:
        _say("deleting the old data")
        cluster.destroy()
    cluster.start()
    # In a process of its own, whose memory is given back.
    environment = os.environ | {wiring.ADDRESS: cluster.address}
    subprocess.run([*COMMAND, "demo"], env=environment, check=True)


def up(folder: Path, *, port: int, fresh: bool, prepare_only: bool) -> int:
    """Run until stopped; returns the exit code."""
    folder.mkdir(parents=True, exist_ok=True)
    lock = _only_one(folder)
    if lock is None:
        _say(f"already running from {folder}; stop it first (Ctrl-C in its terminal)")
        return 1
    if not prepare_only and _in_use(port):
        _say(f"port {port} is in use; choose another: ./start --port {port + 1}")
        return 1
    cluster = cluster_in(folder)
    try:
        prepare(cluster, fresh=fresh)
        if prepare_only:
            _say("prepared; ./start runs it")
            return 0
        return _serve(cluster, port)
    finally:
        cluster.stop()
        lock.close()


def _only_one(folder: Path) -> TextIO | None:
    """A lock that ends with the process, however it ends."""
    lock = (folder / "start.lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return None
    return lock


def _serve(cluster: Cluster, port: int) -> int:
    manager = Manager()
    environment = os.environ | {
        wiring.ADDRESS: cluster.address,
        PARENT: str(os.getpid()),
        "PYTHONUNBUFFERED": "1",
    }
    command = f"exec {shlex.join(COMMAND)}"
    manager.add_process("web", f"{command} serve --port {port}", env=environment)
    manager.add_process("worker", f"{command} worker", env=environment)
    threading.Thread(target=_announce, args=(port,), daemon=True).start()
    signal.signal(signal.SIGHUP, lambda *_: manager.terminate())
    manager.loop()
    return int(manager.returncode or 0)


def _announce(port: int) -> None:
    address = f"http://127.0.0.1:{port}"
    for _ in range(600):
        try:
            with urllib.request.urlopen(f"{address}/api/thread", timeout=5):
                _say(f"open {address}")
                return
        except OSError:
            time.sleep(0.1)
    _say(f"{address} does not answer; see the messages above")


def _in_use(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def _say(message: str) -> None:
    print(f"zealous-sieve: {message}", flush=True)
