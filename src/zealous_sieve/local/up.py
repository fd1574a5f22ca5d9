"""Everything on one machine: PostgreSQL, the demo data, the web process and the worker."""

from __future__ import annotations

import fcntl
import os
import secrets
import shutil
import signal
import socket
import sys
import threading
import time
import urllib.request
from pathlib import Path
from typing import TextIO

from zealous_sieve import environment
from zealous_sieve.local.cluster import Cluster, ClusterError, cluster_in
from zealous_sieve.local.found import UPLOADS
from zealous_sieve.local.supervisor import Service, Stop, Supervisor
from zealous_sieve.processes import start_child
from zealous_sieve.storage.revision import held, is_filled
from zealous_sieve.storage.services import ServicesFile

COMMAND = (sys.executable, "-m", "zealous_sieve.cli.main")


def up(folder: Path, *, port: int, fresh: bool, empty: bool, prepare_only: bool) -> int:
    """Run until stopped; returns the exit code. Whatever ends it leaves no process behind. A new
    installation is begun with the demo, or ``empty``."""
    stop = Stop()
    folder.mkdir(parents=True, exist_ok=True)
    lock = _only_one(folder)
    if lock is None:
        _say(f"already running from {folder}; stop it first (Ctrl-C in its terminal)")
        return 1
    if not prepare_only and _in_use(port):
        _say(f"port {port} is in use; choose another: ./start --port {port + 1}")
        return 1
    cluster = cluster_in(folder)
    if fresh:
        _say("deleting the old data")
        cluster.destroy()
        shutil.rmtree(folder / UPLOADS, ignore_errors=True)
    with lock:
        try:
            return _run(cluster, folder, port, stop, prepare_only, empty)
        except ClusterError as error:
            _say(str(error))
            return 1


GIVEN_BACK = {
    "MALLOC_MMAP_THRESHOLD_": str(1 << 20),
    "MALLOC_ARENA_MAX": "2",
    "ARROW_DEFAULT_MEMORY_POOL": "system",
}
"""Memory of large arrays goes back to the machine when they are let go, not to a store of the process."""


def _run(
    cluster: Cluster, folder: Path, port: int, stop: Stop, prepare_only: bool, empty: bool
) -> int:
    alone = os.environ | {
        environment.ADDRESS: cluster.address,
        environment.SERVICES: str(folder / "services.json"),
        environment.UPLOADS: str(folder / UPLOADS),
        "PYTHONUNBUFFERED": "1",
        **GIVEN_BACK,
    }
    served = alone | {environment.COMPUTE: f"zealous-sieve-{secrets.token_hex(8)}"}
    told = ServicesFile(folder / "services.json")
    database = cluster.start()
    try:
        code: int | None = 0
        filled = is_filled(cluster.address)
        if empty and filled:
            _say(_begun(*held(cluster.address)))
        if not (filled and environment.is_compiled()):
            begin = ("demo", "--empty") if empty else ("demo",)
            # In a process of its own, whose memory is given back.
            code = stop.wait(start_child([*COMMAND, *begin], environment=alone))
    except BaseException:
        cluster.stop()
        raise
    with cluster.open_log() as log:
        services = (
            Service(
                name="database",
                command=cluster.command,
                account=cluster.account,
                end=signal.SIGINT,
                log=log.fileno(),
                first=cluster.set_up,
            ),
            _own(environment.COMPUTING, served, "compute"),
            _own("web server", served, "serve", "--port", str(port)),
            _own("worker", served, "worker"),
        )
        supervisor = Supervisor(services, stop, told, _say)
        supervisor.adopt("database", database)
        if code != 0 or prepare_only:
            supervisor.end()
            if code == 0:
                _say("prepared; ./start runs it")
            return code or 0
        threading.Thread(target=_announce, args=(port,), daemon=True).start()
        supervisor.run()
    return 0


def _begun(instruments: int, demo: bool) -> str:
    """What is there already, to who asked for an empty beginning."""
    if not instruments:
        return "this desk is still empty: drop a table of bars on any of its pages"
    what = "the demo is here" if demo else "data of your own are here"
    anew = "the page of settings takes the demo away, " if demo else ""
    return f"{what}, {instruments} instruments: they stay; {anew}--fresh --empty begins anew"


def _own(name: str, told: dict[str, str], *command: str) -> Service:
    return Service(name=name, command=(*COMMAND, *command), environment=told)


def _only_one(folder: Path) -> TextIO | None:
    """A lock that ends with the process, however it ends."""
    lock = (folder / "start.lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return None
    return lock


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
