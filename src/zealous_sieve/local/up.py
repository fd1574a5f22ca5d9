"""Everything on one machine: PostgreSQL, the demo data, the web process and the worker."""

from __future__ import annotations

import errno
import fcntl
import os
import secrets
import shutil
import signal
import socket
import sys
import threading
import time
from pathlib import Path
from typing import TextIO

from zealous_sieve import environment
from zealous_sieve.admission import TICKETS, keep
from zealous_sieve.client import Client
from zealous_sieve.local.cluster import (
    MOST_PORT,
    Cluster,
    ClusterError,
    cluster_in,
    port_in,
)
from zealous_sieve.local.found import LOCK, UPLOADS_FOLDER
from zealous_sieve.local.opening import PORT, let_browser_in
from zealous_sieve.local.supervisor import Service, Stop, Supervisor
from zealous_sieve.processes import start_child
from zealous_sieve.storage.revision import held, is_filled
from zealous_sieve.storage.services import ServicesFile

COMMAND = (sys.executable, "-m", "zealous_sieve.cli.main")


def up(folder: Path, *, port: int, fresh: bool, empty: bool, prepare_only: bool) -> int:
    """Run until stopped; returns the exit code. Whatever ends it leaves no process behind. A new
    installation is begun with the demo, or ``empty``."""
    try:
        return _up(folder, port, fresh, empty, prepare_only)
    except OSError as error:
        _say(_cant_be_kept(folder, error))
        return 1


def _up(folder: Path, port: int, fresh: bool, empty: bool, prepare_only: bool) -> int:
    stop = Stop()
    folder.mkdir(parents=True, exist_ok=True)
    lock = _only_one(folder)
    if lock is None:
        _say(f"already running from {folder}; stop it first (Ctrl-C in its terminal)")
        answers_at = port_in(folder, PORT)
        if answers_at:
            _say(f"another browser is let in, once, by {let_browser_in(folder, answers_at)}")
        return 1
    if not prepare_only and (why := _not_to_be_had(port)):
        _say(why)
        return 1
    free = shutil.disk_usage(folder).free
    if free < LEAST_FREE:
        _say(
            f"the disk of {folder} is full ({free // 2**20} MB are free, {LEAST_FREE // 2**20} MB are "
            "needed to begin): make room, or set ZEALOUS_SIEVE_DATA to a folder on another disk"
        )
        return 1
    shutil.rmtree(folder / TICKETS, ignore_errors=True)
    (folder / PORT).unlink(missing_ok=True)
    cluster = cluster_in(folder)
    if fresh:
        _say("deleting the old data")
        cluster.destroy()
        shutil.rmtree(folder / UPLOADS_FOLDER, ignore_errors=True)
    with lock:
        try:
            return _run(cluster, folder, port, stop, prepare_only, empty)
        except ClusterError as error:
            _say(str(error))
            return 1


LEAST_FREE = 64 * 2**20
"""Bytes of disk without which nothing is begun: the database could not keep its own books."""


def _cant_be_kept(folder: Path, error: OSError) -> str:
    """Why the data can't be kept in a folder, and what to do."""
    name = Path(error.filename) if isinstance(error.filename, str) else folder
    if error.errno == errno.ENOSPC:
        return (
            f"the disk of {folder} is full: make room, or set ZEALOUS_SIEVE_DATA to another folder"
        )
    if error.errno in (errno.EEXIST, errno.ENOTDIR, errno.EISDIR):
        return (
            f"{name} stands where another kind of file is kept: move it away, or set "
            "ZEALOUS_SIEVE_DATA to another folder"
        )
    if error.errno == errno.ENOENT:
        return (
            f"the data in {folder} are not whole, {name.name} is missing: put a copy of the folder "
            "back, or begin anew with ./start --fresh, and restore a backup"
        )
    return (
        f"{name}: {error.strerror}; let this account read and write it, or set ZEALOUS_SIEVE_DATA"
    )


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
        environment.DATA: str(folder),
        environment.SERVICES: str(folder / "services.json"),
        environment.UPLOADS: str(folder / UPLOADS_FOLDER),
        "PYTHONUNBUFFERED": "1",
        **GIVEN_BACK,
    }
    served = alone | {environment.COMPUTE: f"zealous-sieve-{secrets.token_hex(8)}"}
    told = ServicesFile(folder / "services.json")
    database = cluster.start()
    # What the parts write from here on is the owner's alone.
    os.umask(0o077)
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
        threading.Thread(target=_announce, args=(folder, port), daemon=True).start()
        supervisor.run()
    return 0


def _begun(instruments: int, demo: bool) -> str:
    """What is there already, to who asked for an empty beginning."""
    if not instruments:
        return "this desk is still empty: drop a table of bars on any of its pages"
    what = "the demo is here" if demo else "data of your own are here"
    anew = "the page of settings takes the demo away, " if demo else ""
    return f"{what}, {instruments} instruments: they stay; {anew}--fresh --empty begins anew"


def _own(name: str, settings: dict[str, str], *command: str) -> Service:
    return Service(name=name, command=(*COMMAND, *command), environment=settings)


def _only_one(folder: Path) -> TextIO | None:
    """A lock that ends with the process, however it ends; no other account can hold it."""
    lock = (folder / LOCK).open("w")
    os.fchmod(lock.fileno(), 0o600)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return None
    return lock


def _announce(folder: Path, port: int) -> None:
    """Tell how to get in as soon as the pages answer."""
    client = Client(f"http://127.0.0.1:{port}", folder=folder)
    for _ in range(600):
        try:
            client.ask("GET", "/thread", timeout=5)
            keep(folder / PORT, str(port))
            _say(f"open {let_browser_in(folder, port)}")
            _say("(it lets one browser in, once; ./start in another terminal prints another)")
            return
        except OSError:
            time.sleep(0.1)
    _say(f"{client.address} does not answer; see the messages above")


def _not_to_be_had(port: int) -> str:
    """Why the pages can't be answered at a port; empty where they can."""
    with socket.socket() as probe:
        if probe.connect_ex(("127.0.0.1", port)) == 0:
            other = port + 1 if port < MOST_PORT else port - 1
            return f"port {port} is in use; choose another: ./start --port {other}"
    with socket.socket() as listener:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", port))
        except OSError as error:
            return f"port {port}: {error.strerror}; choose one from 1024 up: ./start --port 8437"
    return ""


def _say(message: str) -> None:
    print(f"zealous-sieve: {message}", flush=True)
