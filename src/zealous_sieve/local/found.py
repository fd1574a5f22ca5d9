"""Which desk a command is about: the one that it is told of, else that of this folder."""

from __future__ import annotations

import os
from pathlib import Path

from zealous_sieve import environment
from zealous_sieve.local.cluster import cluster_in

ROOT = Path(__file__).resolve().parents[3]
DATA = "ZEALOUS_SIEVE_DATA"
"""The folder of the data, where it is not that of the project."""
UPLOADS = "uploads"
"""The folder of files that are brought in, within that of the data."""


def data_folder() -> Path:
    """Where the data lie that `./start` makes."""
    return Path(os.environ.get(DATA, ROOT / ".data"))


def desk_address() -> str:
    """The database of the desk. Raises SystemExit with the mend where there is none, or where it is not
    running."""
    told = os.environ.get(environment.ADDRESS)
    if told:
        return told
    folder = data_folder()
    if not (folder / "postgres.port").exists():
        raise SystemExit(
            f"there is no desk in {folder}: begin one with ./start, or set {environment.ADDRESS} to "
            "postgresql://…"
        )
    cluster = cluster_in(folder)
    if not cluster.running():
        raise SystemExit(f"the desk in {folder} is not running: start it with ./start")
    os.environ.setdefault(environment.UPLOADS, str(folder / UPLOADS))
    return cluster.address
