"""Processes that end with the one that started them, however that one ends."""

from __future__ import annotations

import ctypes
import gc
import os
import pwd
import signal
import subprocess
from collections.abc import Callable, Mapping, Sequence

SET_PARENT_DEATH_SIGNAL = 1
"""PR_SET_PDEATHSIG of Linux's prctl(2)."""
_libc = ctypes.CDLL(None, use_errno=True)


def start_child(
    command: Sequence[str],
    *,
    environment: Mapping[str, str] | None = None,
    account: str | None = None,
    at_our_end: signal.Signals = signal.SIGTERM,
    **streams: int,
) -> subprocess.Popen[bytes]:
    """Start a process in a group of its own, as another account where one is named.

    When this process is gone, by SIGKILL too, Linux sends it ``at_our_end``. To be called from the main
    thread: the signal comes when the thread that called ends. Ctrl-C in the terminal does not reach it.
    """
    who = pwd.getpwnam(account) if account else None
    process: subprocess.Popen[bytes] = subprocess.Popen(
        list(command),
        cwd="/",
        env=None if environment is None else dict(environment),
        process_group=0,
        user=who.pw_uid if who else None,
        group=who.pw_gid if who else None,
        extra_groups=[] if who else None,
        preexec_fn=ends_with(os.getpid(), at_our_end),
        **streams,  # type: ignore[call-overload]
    )
    return process


def ends_with(parent: int, at_its_end: signal.Signals) -> Callable[[], None]:
    """What a child process calls first, to be sent a signal when its parent ends."""

    def bind() -> None:
        _libc.prctl(SET_PARENT_DEATH_SIGNAL, int(at_its_end), 0, 0, 0)
        if os.getppid() != parent:
            os._exit(1)

    return bind


def give_memory_back() -> None:
    """Let the system have what was freed and is still held for later."""
    gc.collect()
    _libc.malloc_trim(0)


def how_it_ended(code: int) -> str:
    """In words: ``killed by SIGKILL``, ``ended with code 3``."""
    if code >= 0:
        return f"ended with code {code}"
    try:
        return f"killed by {signal.Signals(-code).name}"
    except ValueError:
        return f"killed by signal {-code}"
