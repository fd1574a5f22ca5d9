"""Ending together: a process that follows the one that started it."""

from __future__ import annotations

import os
import signal
import threading
import time

PARENT = "ZEALOUS_SIEVE_PARENT"


def follow_parent() -> None:
    """Stop this process when the one named in the environment is gone, even if it was killed."""
    parent = int(os.environ.get(PARENT, "0"))
    if parent:
        threading.Thread(target=_watch, args=(parent,), daemon=True).start()


def _watch(parent: int) -> None:
    while _alive(parent):
        time.sleep(0.5)
    os.kill(os.getpid(), signal.SIGTERM)


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
