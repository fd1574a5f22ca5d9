"""What the owner of this machine allows, in a file beside the data that no page changes."""

from __future__ import annotations

import json
import os
import stat
import tomllib
from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO

from zealous_sieve.core.errors import DataError, Problem

MACHINE_NAME = "machine.toml"
HEAD = (
    "# Folders of this machine that may be read again and again, with all that lies below them.\n"
)


class MachineFile:
    """Implements MachinePort; without a file nothing is allowed."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def places(self) -> list[Path]:
        """The folders that may be read, as they are without links. Raises DataError
        ``bad_machine_file``."""
        try:
            told = tomllib.loads(self.path.read_text("utf-8")).get("folders", [])
        except FileNotFoundError:
            return []
        except (OSError, ValueError) as error:
            raise self._bad(str(error)) from None
        if not isinstance(told, list) or not all(isinstance(own, str) for own in told):
            raise self._bad('folders is no list of texts, such as ["/home/me/bars"]')
        return [Path(own).expanduser().resolve() for own in told if Path(own).is_absolute()]

    def allow(self, folder: Path) -> None:
        """Allow one more folder. Raises DataError ``bad_machine_file``, OSError."""
        places = dict.fromkeys([*map(str, self.places()), str(folder.resolve())])
        rows = "".join(f"    {json.dumps(own)},\n" for own in places)
        new = self.path.with_name(f"{MACHINE_NAME}.new")
        new.write_text(f"{HEAD}folders = [\n{rows}]\n", "utf-8")
        new.replace(self.path)

    def check(self, path: Path) -> None:
        """Raise DataError ``not_allowed`` where a path, links on its way followed, does not lie below a
        folder that may be read; whether there is something at it is not told."""
        if not _below(path.resolve(), self.places()):
            raise self._not_allowed(path)

    def open(self, path: Path) -> BinaryIO:
        """A file that may be read: what was opened lies below such a folder, whatever links led there.
        Raises DataError ``not_allowed``, OSError."""
        number = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        file = os.fdopen(number, "rb")
        real = Path(os.readlink(f"/proc/self/fd/{number}"))
        if not stat.S_ISREG(os.fstat(number).st_mode) or not _below(real, self.places()):
            file.close()
            raise self._not_allowed(path)
        return file

    def _not_allowed(self, path: Path) -> DataError:
        message = f"{path} does not lie in a folder that may be read from here"
        mend = f'allow it in a terminal of this machine: zealous-sieve allow "{path}"'
        return DataError(Problem(code="not_allowed", message=message, mend=mend))

    def _bad(self, why: str) -> DataError:
        message = f"{self.path} can't be read: {why}"
        mend = "correct it, or delete it and allow the folders anew: zealous-sieve allow FOLDER"
        return DataError(Problem(code="bad_machine_file", message=message, mend=mend))


def _below(path: Path, places: Iterable[Path]) -> bool:
    return any(path.is_relative_to(place) for place in places)
