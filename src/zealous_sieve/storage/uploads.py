"""The files that are brought in, in a folder of the installation."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import IO

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.foreign.layout import Layout
from zealous_sieve.core.market.foreign.refusals import Refusals
from zealous_sieve.core.market.foreign.sifting import Rows
from zealous_sieve.core.market.foreign.understand import Glimpse, Sample
from zealous_sieve.storage import foreign_files
from zealous_sieve.storage.foreign_columns import read_rows
from zealous_sieve.storage.packed import unpacked
from zealous_sieve.storage.unfolded import across_in, unfold
from zealous_sieve.usecases.errors import disk_full
from zealous_sieve.usecases.import_ports import Told

MOST_BYTES = 4 * 1024**3
NO_SPACE = 28
"""The number of the error of a full disk."""


def _room(size: int) -> None:
    if size > MOST_BYTES:
        message = f"the file has more than {MOST_BYTES // 1024**3} GB"
        raise DataError(Problem(code="too_large", message=message, mend="bring it in parts"))


class Uploads:
    """Implements ForeignFilesPort."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def keep(self, number: int, name: str, pieces: Iterable[bytes]) -> tuple[int, str]:
        """Raises DataError ``too_large`` and ``unreadable_file``, DiskFullError; then nothing is kept."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        size = 0
        try:
            with self._path(number).open("wb") as file:
                for piece in pieces:
                    size += len(piece)
                    _room(size)
                    file.write(piece)
                os.fsync(file.fileno())
            name = unpacked(self._path(number), name, _room)
        except BaseException as error:
            self.forget(number)
            if isinstance(error, OSError) and error.errno == NO_SPACE:
                raise disk_full() from error
            raise
        return size, name

    def forget(self, number: int) -> None:
        for path in (self._path(number), self._refused(number), self._unfolded(number)):
            path.unlink(missing_ok=True)

    def glimpse(
        self, number: int, name: str, zones: Mapping[str, str], *, across: bool | None = None
    ) -> Glimpse:
        path = self._there(number)
        plain = foreign_files.glimpse(path, name, zones)
        found = None if across is False else across_in(path, name, plain.understood.layout)
        # Four prices a bar tell what the columns are, whatever they are called.
        ordinary = {"high", "low"} <= plain.understood.layout.columns.keys()
        if found is None or (ordinary and found.headers == 1 and found.fields == ("close",)):
            return plain
        unfold(path, name, plain.understood.layout, found, self._unfolded(number))
        whole = foreign_files.glimpse(self._unfolded(number), f"{Path(name).stem}.csv", zones)
        count, understood = len(found.codes), whole.understood
        told = f"each of {count} instruments has columns of its own: they are read as rows"
        return replace(
            whole,
            understood=replace(
                understood,
                layout=replace(understood.layout, across=True),
                doubts=(told, *understood.doubts),
            ),
        )

    def sample(self, number: int, name: str, layout: Layout) -> Sample:
        return foreign_files.sample_in(*self._as(number, name, layout), layout)

    def rows(self, number: int, name: str, layout: Layout, refusals: Refusals, told: Told) -> Rows:
        return read_rows(*self._as(number, name, layout), layout, refusals, told)

    def texts(
        self, number: int, name: str, layout: Layout, refusals: Refusals, told: Told
    ) -> Iterator[tuple[int, dict[str, str]]]:
        return foreign_files.read_texts(*self._as(number, name, layout), layout, refusals, told)

    def write_refused(self, number: int, name: str, layout: Layout, refusals: Refusals) -> None:
        out = self._refused(number)
        foreign_files.write_refused(*self._as(number, name, layout), layout, refusals, out)

    def refused(self, number: int) -> IO[bytes] | None:
        path = self._refused(number)
        return path.open("rb") if path.exists() else None

    def _path(self, number: int) -> Path:
        return self.folder / f"{number}"

    def _unfolded(self, number: int) -> Path:
        return self.folder / f"{number}.rows"

    def _as(self, number: int, name: str, layout: Layout) -> tuple[Path, str]:
        """The file that a layout reads, and its name."""
        path = self._there(number)
        if not layout.across:
            return path, name
        return self._unfolded(number), f"{Path(name).stem}.csv"

    def _refused(self, number: int) -> Path:
        return self.folder / f"{number}.refused"

    def _there(self, number: int) -> Path:
        """Raises DataError ``file_gone``."""
        path = self._path(number)
        if not path.exists():
            message = "the file is not kept any more"
            raise DataError(Problem(code="file_gone", message=message, mend="bring it in anew"))
        return path
