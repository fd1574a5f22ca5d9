"""Which desk a command is about: the one that it is told of, else that of this folder."""

from __future__ import annotations

import fcntl
import os
import socket
from pathlib import Path

from zealous_sieve import environment
from zealous_sieve.local.cluster import address_at, port_in

UPLOADS_FOLDER = "uploads"
"""The folder of files that are brought in, within that of the data."""
LOCK = "start.lock"
"""The file that ./start holds locked as long as it runs."""


def is_running(folder: Path) -> bool:
    """Whether ./start runs the desk in a folder: it holds the lock there. A desk of another account is
    taken for one that runs: whatever is asked of it is refused as another's."""
    try:
        with (folder / LOCK).open() as lock:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except FileNotFoundError:
        return False
    except (BlockingIOError, PermissionError):
        return True
    return False


def desk_address() -> str:
    """The database of the desk; nothing of it is changed. Raises SystemExit with the mend where there is
    none, where it is not running, and where it is of another account."""
    told = os.environ.get(environment.ADDRESS)
    if told:
        return told
    folder = environment.data_folder()
    try:
        password = (folder / "postgres.password").read_text()
        port = port_in(folder)
    except FileNotFoundError:
        raise SystemExit(
            f"there is no desk in {folder}: begin one with ./start, or set {environment.ADDRESS} to "
            "postgresql://…"
        ) from None
    except OSError as error:
        why = f"{error.strerror}: only the account that it belongs to can"
        raise SystemExit(f"the desk in {folder} can't be asked ({why})") from None
    with socket.socket() as probe:
        if port is None or probe.connect_ex(("127.0.0.1", port)) != 0:
            raise SystemExit(f"the desk in {folder} is not running: start it with ./start")
    os.environ.setdefault(environment.UPLOADS, str(folder / UPLOADS_FOLDER))
    return address_at(port, password)
