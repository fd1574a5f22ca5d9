"""What goes between the process that computes and those that ask it: pickles on a local socket.

Linux's abstract names leave no file behind; who connects is known by the account of its process.
"""

from __future__ import annotations

import os
import socket
import struct
from dataclasses import dataclass
from datetime import datetime
from multiprocessing.connection import Connection
from typing import Any

from zealous_sieve.usecases.desk.outside import OrderKind


@dataclass(frozen=True)
class ComputationAsked:
    """A computation: a function of an owner's desk, by its name, and the other arguments; or, ``outside``,
    of all that the owner has."""

    owner: str
    kind: OrderKind
    as_of: datetime | None
    work: Any
    args: tuple[Any, ...]
    kw: dict[str, Any]
    outside: bool = False


@dataclass(frozen=True)
class Far:
    """How far it is."""

    done: int
    total: int


@dataclass(frozen=True)
class Result:
    """What came of it, as a pickle."""

    pickled: bytes


@dataclass(frozen=True)
class Failed:
    """It ended with an error."""

    error: Exception


@dataclass(frozen=True)
class OverBudget:
    """It was ended: ``seconds`` and ``memory`` (bytes) are what it had taken by then."""

    seconds: float
    memory: int


@dataclass(frozen=True)
class Died:
    """The process that computed ended without a result."""

    how: str


def listen(name: str) -> socket.socket:
    """Take connections under a name. Raises OSError when another process does."""
    listener = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    listener.bind(f"\0{name}")
    listener.listen(256)
    return listener


def accept(listener: socket.socket) -> Connection | None:
    """The next connection; None for one from another account."""
    connected, _ = listener.accept()
    credentials = connected.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, 12)
    _, user, _ = struct.unpack("3i", credentials)
    if user != os.getuid():
        connected.close()
        return None
    return Connection(connected.detach())


def connect(name: str) -> Connection:
    """Reach the process under a name. Raises OSError when there is none."""
    reached = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    try:
        reached.connect(f"\0{name}")
    except OSError:
        reached.close()
        raise
    return Connection(reached.detach())
