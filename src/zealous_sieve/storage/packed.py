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

from zealous_sieve.core.errors import DataError
from zealous_sieve.storage.foreign_files import unreadable

GZIP, ZIP, OLD_WORKBOOK = b"\x1f\x8b", b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
IN_WORKBOOKS = ("[Content_Types].xml", "mimetype", "content.xml")
PIECE = 1 << 20
ENDINGS = (".gz", ".gzip", ".zip")
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


def _pieces(file: IO[bytes]) -> Iterator[bytes]:
    while piece := file.read(PIECE):
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
        raise unreadable(f"the archive can't be read: {error}", "send the files anew") from None


def _put(table: IO[bytes] | gzip.GzipFile, path: Path, room: Room) -> None:
    """Write a table in the place of the file that it is read from."""
    beside, size = path.with_name(f"{path.name}.unpacked"), 0
    try:
        with beside.open("wb") as out:
            while piece := table.read(PIECE):
                size += len(piece)
                room(size)
                out.write(piece)
        beside.replace(path)
    except (EOFError, zlib.error, gzip.BadGzipFile, zipfile.BadZipFile) as error:
        raise _damaged(path.name, error) from None
    finally:
        beside.unlink(missing_ok=True)


def _only_table(archive: zipfile.ZipFile, name: str) -> str:
    names = archive.namelist()
    if any(own in names for own in IN_WORKBOOKS):
        raise _workbook(name)
    tables = [
        own for own in names if not own.endswith("/") and not own.startswith(("__MACOSX/", "."))
    ]
    if len(tables) == 1:
        return tables[0]
    count = f"{len(tables)} files" if tables else "no file"
    raise unreadable(f"{name} holds {count}", "unpack it, and drop its tables together")


def _without_ending(name: str) -> str:
    ending = next((own for own in ENDINGS if name.lower().endswith(own)), "")
    return name[: len(name) - len(ending)] or name


def _workbook(name: str) -> DataError:
    mend = "open it there, choose the sheet, and save it as CSV"
    return unreadable(f"{name} is a workbook of a spreadsheet program", mend)


def _damaged(name: str, error: Exception) -> DataError:
    return unreadable(f"{name} can't be unpacked: {error}", "pack it again, or bring it unpacked")
