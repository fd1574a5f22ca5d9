"""Files that come packed: the one table within, and a word on what is a workbook."""

from __future__ import annotations

import gzip
import io
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import IO

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.storage.foreign_files import unreadable_file

GZIP, ZIP, OLD_WORKBOOK = b"\x1f\x8b", b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
IN_WORKBOOKS = ("[Content_Types].xml", "mimetype", "content.xml")
PACKED_PIECE = 1 << 20
MOST_WITHIN = 20_000
"""So many tables of a zip are read."""
_ENDINGS = (".gz", ".gzip", ".zip")
MOST_UNFOLDED = 200
"""So many times its size is what a packed file may hold; tables of prices are 3 to 20 times theirs."""
ROOM_ANYHOW = 64 * 1024 * 1024
Room = Callable[[int], None]
"""Is told how many bytes have been written; raises where they are too many."""


def unpacked(path: Path, name: str, room: Room) -> str:
    """Put the table that a packed file holds in the place of that file; returns the table's name, which
    for what is not packed is the file's own.

    Raises DataError ``unreadable_file`` for workbooks, for archives of no table or several, and for what is
    damaged; then the file is as it was.
    """
    with path.open("rb") as file:
        start = file.read(4)
    if start.startswith(GZIP):
        inner = _without_ending(name)
        with gzip.open(path) as table:
            _put(table, path, room)
        return inner
    if start == OLD_WORKBOOK:
        raise _workbook(name)
    if start != ZIP:
        return name
    try:
        with zipfile.ZipFile(path) as archive:
            inner = _only_table(archive, name)
            with archive.open(inner) as table:
                _put(table, path, room)
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError) as error:
        raise _damaged(name, error) from None
    return inner.rpartition("/")[2]


class _Stream(io.RawIOBase):
    """Pieces of bytes as a file that is read once."""

    def __init__(self, pieces: Iterable[bytes]) -> None:
        self.pieces, self.rest = iter(pieces), b""

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        while size < 0 or len(self.rest) < size:
            piece = next(self.pieces, b"")
            if not piece:
                break
            self.rest += piece
        size = len(self.rest) if size < 0 else size
        found, self.rest = self.rest[:size], self.rest[size:]
        return found


def _pieces(file: IO[bytes] | gzip.GzipFile, packed: int | None = None) -> Iterator[bytes]:
    """What a file holds, which takes so many bytes ``packed``. Raises DataError ``too_large`` where that
    is no measure for it."""
    size = 0
    while piece := file.read(PACKED_PIECE):
        size += len(piece)
        if packed is not None and size > max(ROOM_ANYHOW, MOST_UNFOLDED * packed):
            message = f"the file unfolds to more than {MOST_UNFOLDED} times its size"
            mend = "bring the table unpacked"
            raise DataError(Problem(code="too_large", message=message, mend=mend))
        yield piece


def tar_members(pieces: Iterable[bytes]) -> Iterator[tuple[str, Iterator[bytes]]]:
    """The files of a tar archive as it comes in, each to be read before the next. Raises DataError
    ``unreadable_file``."""
    try:
        with tarfile.open(fileobj=_Stream(pieces), mode="r|") as archive:
            for member in archive:
                file = archive.extractfile(member) if member.isfile() else None
                if file is not None:
                    yield member.name, _pieces(file)
    except tarfile.TarError as error:
        raise unreadable_file(
            f"the archive can't be read: {error}", "send the files anew"
        ) from None


def zip_members(path: Path, name: str) -> Iterator[tuple[str, Iterator[bytes]]]:
    """The tables that a zip holds, each to be read before the next. Raises DataError
    ``unreadable_file``."""
    try:
        with zipfile.ZipFile(path) as archive:
            for inner in _tables(archive, name)[:MOST_WITHIN]:
                with archive.open(inner) as file:
                    yield inner, _pieces(file, archive.getinfo(inner).compress_size)
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, zlib.error, EOFError) as error:
        raise _damaged(name, error) from None


def _put(table: IO[bytes] | gzip.GzipFile, path: Path, room: Room) -> None:
    """Write a table in the place of the file that it is read from."""
    beside, size = path.with_name(f"{path.name}.unpacked"), 0
    try:
        with beside.open("wb") as out:
            for piece in _pieces(table, path.stat().st_size):
                size += len(piece)
                room(size)
                out.write(piece)
        beside.replace(path)
    except (EOFError, zlib.error, gzip.BadGzipFile, zipfile.BadZipFile) as error:
        raise _damaged(path.name, error) from None
    finally:
        beside.unlink(missing_ok=True)


def _tables(archive: zipfile.ZipFile, name: str) -> list[str]:
    names = archive.namelist()
    if any(own in names for own in IN_WORKBOOKS):
        raise _workbook(name)
    tables = [
        own for own in names if not own.endswith("/") and not own.startswith(("__MACOSX/", "."))
    ]
    if not tables:
        raise unreadable_file(f"{name} holds no file", "bring a zip with tables in it")
    return tables


def _only_table(archive: zipfile.ZipFile, name: str) -> str:
    tables = _tables(archive, name)
    if len(tables) == 1:
        return tables[0]
    raise unreadable_file(
        f"{name} holds {len(tables)} files", "bring it in as many files, which it is"
    )


def _without_ending(name: str) -> str:
    ending = next((own for own in _ENDINGS if name.lower().endswith(own)), "")
    return name[: len(name) - len(ending)] or name


def _workbook(name: str) -> DataError:
    mend = "open it there, choose the sheet, and save it as CSV"
    return unreadable_file(f"{name} is a workbook of a spreadsheet program", mend)


def _damaged(name: str, error: Exception) -> DataError:
    return unreadable_file(
        f"{name} can't be unpacked: {error}", "pack it again, or bring it unpacked"
    )
