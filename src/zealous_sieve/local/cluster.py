"""A PostgreSQL server of our own: on loopback, with its data in the project's folder."""

from __future__ import annotations

import hashlib
import os
import pwd
import shutil
import socket
import subprocess
from dataclasses import dataclass
from pathlib import Path

import psycopg

SETTINGS = """
listen_addresses = '127.0.0.1'
unix_socket_directories = ''
max_connections = 120
shared_buffers = 256MB
work_mem = 32MB
maintenance_work_mem = 256MB
effective_io_concurrency = 100
random_page_cost = 1.1
wal_level = minimal
max_wal_senders = 0
max_wal_size = 2GB
synchronous_commit = on
logging_collector = off
timezone = 'UTC'
"""
"""What was confirmed is on disk; only bars in bulk, which come from files, don't wait for it."""
OURS = "zealous_sieve.conf"
USER = "zealous_sieve"


class ClusterError(RuntimeError):
    """PostgreSQL can't be set up or started; the message says why and what to do."""


@dataclass(frozen=True, kw_only=True)
class Cluster:
    """One server: its programs, its data folder, its port, and as whom it runs."""

    programs: Path
    folder: Path
    port: int
    account: str | None

    @property
    def address(self) -> str:
        return self.address_of("zealous_sieve")

    def address_of(self, database: str) -> str:
        """The libpq address of a database of this server."""
        return f"postgresql://{USER}@127.0.0.1:{self.port}/{database}"

    def run(
        self, program: str, *arguments: str, check: bool = True
    ) -> subprocess.CompletedProcess[str]:
        """Run one of PostgreSQL's programs, as the account that owns the data."""
        command = [str(self.programs / program), *arguments]
        if self.account:
            command = ["runuser", "-u", self.account, "--", *command]
        done = subprocess.run(command, cwd="/", text=True, capture_output=True, check=False)
        if check and done.returncode != 0:
            raise ClusterError(f"{program} failed: {(done.stderr or done.stdout).strip()}")
        return done

    def running(self) -> bool:
        return self.run("pg_ctl", "status", "-D", str(self.folder), check=False).returncode == 0

    def start(self) -> None:
        """Create the cluster if it is missing, start it, and make the database."""
        if not (self.folder / "PG_VERSION").exists():
            self._create()
        if not self.running():
            self._configure()
            log = str(self.folder / "server.log")
            options = f"-p {self.port}"
            self.run(
                "pg_ctl",
                "start",
                "-w",
                "-t",
                "60",
                "-D",
                str(self.folder),
                "-l",
                log,
                "-o",
                options,
            )
        self.make_database("zealous_sieve")

    def make_database(self, name: str) -> str:
        """Make a database unless it is there; returns its address."""
        with psycopg.connect(self.address_of("postgres"), autocommit=True) as connection:
            query = "SELECT 1 FROM pg_database WHERE datname = %s"
            if connection.execute(query, (name,)).fetchone() is None:
                connection.execute(f'CREATE DATABASE "{name}"')
        return self.address_of(name)

    def stop(self) -> None:
        self.run("pg_ctl", "stop", "-m", "fast", "-w", "-D", str(self.folder), check=False)

    def destroy(self) -> None:
        """Stop the server and delete its data."""
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def _create(self) -> None:
        shutil.rmtree(self.folder, ignore_errors=True)
        self.folder.mkdir(parents=True)
        if self.account:
            account = pwd.getpwnam(self.account)
            os.chown(self.folder, account.pw_uid, account.pw_gid)
        self.folder.chmod(0o700)
        self.run(
            "initdb", "-D", str(self.folder), "-U", USER, "-A", "trust", "-E", "UTF8",
            "--locale=C.UTF-8", "--no-instructions",
        )  # fmt: skip

    def _configure(self) -> None:
        """Our settings, in a file of their own that the server reads last: so a newer version of ours
        changes those of an older cluster."""
        (self.folder / OURS).write_text(SETTINGS)
        main = self.folder / "postgresql.conf"
        text = main.read_text()
        line = f"include = '{OURS}'"
        if line not in text:
            main.write_text(f"{text}\n{line}\n")
        if self.account:
            account = pwd.getpwnam(self.account)
            os.chown(self.folder / OURS, account.pw_uid, account.pw_gid)


def find_programs() -> Path:
    """The folder of the newest PostgreSQL on the machine. Raises ClusterError."""
    found = sorted(
        Path("/usr/lib/postgresql").glob("*/bin/initdb"),
        key=lambda path: float(path.parts[-3]),
    )
    if not found:
        raise ClusterError("PostgreSQL is not installed: apt-get install postgresql")
    return found[-1].parent


def free_port() -> int:
    """A port nobody listens on."""
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        return int(listener.getsockname()[1])


def cluster_in(folder: Path, port: int | None = None) -> Cluster:
    """The cluster that belongs to a folder.

    Root can't run PostgreSQL, so it is run as ``postgres`` then; where that account can't reach
    the folder, the data go to /var/tmp under a name made from the folder's. The port is kept in
    the folder, so that a second start finds a server that still runs.
    """
    account = "postgres" if os.geteuid() == 0 else None
    folder.mkdir(parents=True, exist_ok=True)
    data = folder / "postgres"
    if account and not _reachable(folder, account):
        digest = hashlib.sha1(str(folder.resolve()).encode()).hexdigest()[:12]
        data = Path("/var/tmp") / f"zealous-sieve-{digest}"
    note = folder / "postgres.port"
    if port is None:
        port = int(note.read_text()) if note.exists() else free_port()
    cluster = Cluster(programs=find_programs(), folder=data, port=port, account=account)
    if not _ours(cluster) and _taken(port):
        cluster = Cluster(programs=cluster.programs, folder=data, port=free_port(), account=account)
    note.write_text(str(cluster.port))
    return cluster


def _ours(cluster: Cluster) -> bool:
    return (cluster.folder / "PG_VERSION").exists() and cluster.running()


def _taken(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def _reachable(folder: Path, account: str) -> bool:
    command = ["runuser", "-u", account, "--", "test", "-x", str(folder.resolve())]
    return subprocess.run(command, check=False, capture_output=True).returncode == 0
