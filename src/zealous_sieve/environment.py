"""What the processes of an installation are told by whoever starts them."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

ADDRESS = "ZEALOUS_SIEVE_DATABASE"
"""The libpq address of the database."""
COMPUTE = "ZEALOUS_SIEVE_COMPUTE"
"""The name under which the process that computes listens; unset, each process computes for itself."""
SERVICES = "ZEALOUS_SIEVE_SERVICES"
"""The file in which it is told how the processes are."""
UPLOADS = "ZEALOUS_SIEVE_UPLOADS"
"""The folder of files that are brought in, until they are taken."""
KERNEL_CACHE = "NUMBA_CACHE_DIR"
"""Where compiled code is kept; each state of the sources has a folder of its own."""
COMPUTING = "computing process"
"""What the process that computes is called where processes are told of."""
DEMO_FILLED = "demo_filled"
"""The setting of the database that says that it was begun, with the demo or without."""
DATA = "ZEALOUS_SIEVE_DATA"
"""The folder of the data, where it is not that of the project."""
_ROOT = Path(__file__).resolve().parents[2]
_WHOLE = "whole"


def address() -> str:
    """The database's address. Raises SystemExit with the mend when it is not set."""
    found = os.environ.get(ADDRESS)
    if not found:
        raise SystemExit(f"{ADDRESS} is not set: use ./start, or set it to postgresql://…")
    return found


def data_folder() -> Path:
    """Where the data lie that `./start` makes."""
    return Path(os.environ.get(DATA, _ROOT / ".data"))


def services() -> Path | None:
    """Where it is told how the processes are."""
    found = os.environ.get(SERVICES)
    return Path(found) if found else None


def uploads(address: str) -> Path:
    """The folder of files that are brought in; unset, one for temporary files of that database."""
    found = os.environ.get(UPLOADS)
    if found:
        return Path(found)
    own = hashlib.sha256(address.encode()).hexdigest()[:16]
    return Path(tempfile.gettempdir()) / f"zealous-sieve-{os.getuid()}-{own}"


def kernels() -> Path | None:
    """The folder of compiled code."""
    found = os.environ.get(KERNEL_CACHE)
    return Path(found) if found else None


def is_compiled() -> bool:
    """Whether all code has been compiled before and is kept."""
    kept = kernels()
    return kept is not None and (kept / _WHOLE).exists()


def mark_compiled() -> None:
    """Tell later starts that nothing is missing."""
    kept = kernels()
    if kept is not None:
        (kept / _WHOLE).touch()
