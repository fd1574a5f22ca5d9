"""Files, processes and the queue of this machine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import BinaryIO, Protocol

from zealous_sieve.usecases.records.work import Work


class QueuePort(Protocol):
    def submit(self, work: Work, number: int) -> None:
        """Have a piece of work done; one that waits already is not queued twice. Raises AwayError."""
        ...


class BackupPort(Protocol):
    def write(self, path: Path) -> dict[str, int]: ...
    def restore(self, path: Path, *, replace: bool) -> dict[str, int]: ...


class TablesPort(Protocol):
    def written(self, columns: Mapping[str, Sequence[object]], form: str) -> bytes:
        """A table as a file, ``csv`` or ``parquet``."""
        ...


class ServicesPort(Protocol):
    def troubles(self) -> list[str]:
        """What the desk should know of processes of the application that ended, in words."""
        ...


class MachinePort(Protocol):
    """What the owner of this machine allows."""

    def check(self, path: Path) -> None: ...
    def open(self, path: Path) -> BinaryIO: ...
