"""The files that are brought in, in a folder of the installation."""

from __future__ import annotations

import json
import os
import pickle
import uuid
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import IO

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.intake.layout import Layout, code_of_file
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import ForeignRows
from zealous_sieve.core.intake.understand import Glimpse, Sample
from zealous_sieve.storage import foreign_files
from zealous_sieve.storage.foreign_columns import read_rows
from zealous_sieve.storage.foreign_files import ForeignTable
from zealous_sieve.storage.packed import PACKED_PIECE, ZIP, tar_members, unpacked, zip_members
from zealous_sieve.storage.unfolded import across_in, unfold
from zealous_sieve.usecases.errors import disk_full
from zealous_sieve.usecases.records.imports import HeldFile, RowsDone

MOST_BYTES = 4 * 1024**3
NO_SPACE = 28
"""The number of the error of a full disk."""


def _room(size: int) -> None:
    if size > MOST_BYTES:
        message = f"the file has more than {MOST_BYTES // 1024**3} GB"
        raise DataError(Problem(code="too_large", message=message, mend="import it in parts"))


def _written(path: Path, pieces: Iterable[bytes], *, synced: bool = True) -> int:
    """Write a file as it comes in, ``synced`` so that it survives the machine; returns its size."""
    size = 0
    with path.open("wb") as file:
        for piece in pieces:
            size += len(piece)
            _room(size)
            file.write(piece)
        if synced:
            os.fsync(file.fileno())
    return size


def _is_full(error: BaseException) -> bool:
    return isinstance(error, OSError) and error.errno == NO_SPACE


def _named_by(name: str, layout: Layout) -> Layout:
    """How a file of many is written, which may name its instrument by its own name."""
    return replace(layout, code=code_of_file(Path(name).stem)) if layout.by_file else layout


def _gone() -> DataError:
    message = "the file is not kept any more"
    return DataError(Problem(code="file_gone", message=message, mend="import it again"))


class Uploads:
    """Implements ForeignFilesPort."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def keep(self, number: int, name: str, pieces: Iterable[bytes]) -> tuple[int, str]:
        """Raises DataError ``too_large`` and ``unreadable_file``, DiskFullError; then nothing is kept."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            size = _written(self._path(number), pieces)
            name = unpacked(self._path(number), name, _room)
        except BaseException as error:
            self.forget(number)
            raise disk_full() if _is_full(error) else error from None
        return size, name

    def hold(self, name: str, pieces: Iterable[bytes]) -> HeldFile:
        """Keep a file that belongs to no import yet. Raises as ``keep`` does."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        path = self.folder / f"held-{uuid.uuid4().hex}"
        try:
            size = _written(path, pieces, synced=False)
            name = unpacked(path, name, _room)
        except BaseException as error:
            path.unlink(missing_ok=True)
            raise disk_full() if _is_full(error) else error from None
        return HeldFile(name=name, size=size, place=path.name)

    def look_at(self, held: HeldFile, zones: Mapping[str, str]) -> Glimpse:
        """What a file that is held seems to be; raises DataError for what is no table."""
        return foreign_files.glimpse(self.folder / held.place, held.name, zones)

    def head(self, held: HeldFile, skip: int) -> tuple[object, ...]:
        """What a file that is held begins with, up to its header below some lines, and its encoding."""
        return foreign_files.head_of(self.folder / held.place, held.name, skip)

    def is_across(self, held: HeldFile, layout: Layout) -> bool:
        """Whether a file that is held has instruments across."""
        return across_in(self.folder / held.place, held.name, layout) is not None

    def content(self, held: HeldFile) -> Iterator[bytes]:
        """A file that is held, as it came."""
        with (self.folder / held.place).open("rb") as file:
            while piece := file.read(PACKED_PIECE):
                yield piece

    def let_go(self, held: HeldFile) -> None:
        (self.folder / held.place).unlink(missing_ok=True)

    def join(self, number: int, place: int, held: HeldFile) -> None:
        """Make a file that is held one of an import, the one at a place from 0 on."""
        (self.folder / held.place).replace(self._part(number, place))
        with self._parts(number).open("a", encoding="utf-8") as names:
            names.write(json.dumps(held.name) + "\n")

    def within(self, name: str, pieces: Iterable[bytes]) -> Iterator[tuple[str, Iterator[bytes]]]:
        """The tables of a zip, each to be read before the next; another file is itself. Raises DataError
        ``unreadable_file`` and ``too_large``, DiskFullError."""
        coming = iter(pieces)
        first = next(coming, b"")
        if not first.startswith(ZIP):
            yield name, chain((first,), coming)
            return
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        path = self.folder / f"held-{uuid.uuid4().hex}"
        try:
            _written(path, chain((first,), coming), synced=False)
            yield from zip_members(path, name)
        except OSError as error:
            raise disk_full() if _is_full(error) else error from None
        finally:
            path.unlink(missing_ok=True)

    def members(self, pieces: Iterable[bytes]) -> Iterator[tuple[str, Iterator[bytes]]]:
        """The files of a tar archive as it comes in."""
        return tar_members(pieces)

    def forget(self, number: int) -> None:
        for path in self.folder.glob(f"{number}.*"):
            path.unlink(missing_ok=True)
        self._path(number).unlink(missing_ok=True)

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

    def unfolds(self, name: str) -> bool:
        return foreign_files.is_parquet(name)

    def keep_reading(self, number: int, reading: object) -> None:
        beside = self.folder / f"{number}.reading.part"
        try:
            with beside.open("wb") as file:
                pickle.dump(reading, file, pickle.HIGHEST_PROTOCOL)
            beside.replace(self._reading(number))
        except OSError:  # read once more, then
            beside.unlink(missing_ok=True)

    def reading(self, number: int) -> object | None:
        # The folder is the owner's alone: nobody else wrote what is unpickled.
        try:
            with self._reading(number).open("rb") as file:
                kept: object = pickle.load(file)
        except (OSError, EOFError, pickle.UnpicklingError, AttributeError, ImportError):
            kept = None
        self._reading(number).unlink(missing_ok=True)
        return kept

    def sample(self, number: int, name: str, layout: Layout) -> Sample:
        try:
            first = self._tables(number, name, layout)[0]
            return foreign_files.sample_in(first.path, first.name, layout)
        except FileNotFoundError:  # it has just been taken
            raise _gone() from None

    def rows(
        self, number: int, name: str, layout: Layout, refusals: Refusals, report: RowsDone
    ) -> ForeignRows:
        return read_rows(self._named(number, name, layout, refusals), refusals, report)

    def texts(
        self, number: int, name: str, layout: Layout, refusals: Refusals, report: RowsDone
    ) -> Iterator[tuple[int, dict[str, str]]]:
        tables = self._named(number, name, layout, refusals)
        return foreign_files.read_texts(tables, refusals, report)

    def write_refused(self, number: int, name: str, layout: Layout, refusals: Refusals) -> None:
        out = self._refused(number)
        foreign_files.write_refused(self._tables(number, name, layout), refusals, out)

    def refused(self, number: int) -> IO[bytes] | None:
        path = self._refused(number)
        return path.open("rb") if path.exists() else None

    def _path(self, number: int) -> Path:
        return self.folder / f"{number}"

    def _unfolded(self, number: int) -> Path:
        return self.folder / f"{number}.rows"

    def _tables(self, number: int, name: str, layout: Layout) -> list[ForeignTable]:
        """The files of an import as a layout reads them."""
        if self._parts(number).exists() and not layout.across:
            names = [json.loads(line) for line in self._parts(number).read_text().splitlines()]
            return [
                ForeignTable(path=self._part(number, n), name=own, layout=_named_by(own, layout))
                for n, own in enumerate(names)
            ]
        path = self._there(number)
        if not layout.across:
            return [ForeignTable(path=path, name=name, layout=layout)]
        return [
            ForeignTable(path=self._unfolded(number), name=f"{Path(name).stem}.csv", layout=layout)
        ]

    def _named(
        self, number: int, name: str, layout: Layout, refusals: Refusals
    ) -> list[ForeignTable]:
        tables = self._tables(number, name, layout)
        refusals.files = [table.name for table in tables] if len(tables) > 1 else ()
        return tables

    def _parts(self, number: int) -> Path:
        """The names of the files of an import of many, a line each."""
        return self.folder / f"{number}.parts"

    def _part(self, number: int, place: int) -> Path:
        return self.folder / f"{number}.part{place}"

    def _reading(self, number: int) -> Path:
        return self.folder / f"{number}.reading"

    def _refused(self, number: int) -> Path:
        return self.folder / f"{number}.refused"

    def _there(self, number: int) -> Path:
        """Raises DataError ``file_gone``."""
        path = self._path(number)
        if not path.exists():
            path = self._part(number, 0)
        if not path.exists():
            raise _gone()
        return path
