"""Folders that are read again and again: what is new or changed in them is brought in by itself."""

from __future__ import annotations

import json
import stat
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from itertools import islice
from pathlib import Path
from typing import BinaryIO

from zealous_sieve.core.errors import CoreError, DataError, Problem
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import ConflictError, NotFoundError, UseCaseError
from zealous_sieve.usecases.records.imports import Import, ImportState
from zealous_sieve.usecases.table.gathering import gather
from zealous_sieve.usecases.table.imports import execute_import, forget, get_import, take_import

_KEY = "sources"
_ENDINGS = (".csv", ".txt", ".tsv", ".parquet", ".pq")
_AT_ONCE = 1024 * 1024
MOST_FILES = 20_000
MOST_TROUBLES = 50
"""So many files of a folder are told of at most."""
NO_TEXT = "its name is no text: give it another"


@dataclass(frozen=True, kw_only=True)
class WatchedFolder:
    """A folder, with what was last seen of each of its files: size and time of change, in one text."""

    folder: str
    seen: Mapping[str, str]
    trouble: str = ""
    """Why it could not be read the last time."""
    troubles: Mapping[str, str] = field(default_factory=dict)
    """Files of it that could not be taken, each with the reason; no more than so many."""


@dataclass(frozen=True, kw_only=True)
class FileReading:
    """What came of one file of a folder."""

    name: str
    taken: int
    refused: int
    trouble: str


def sources(outside: Outside) -> list[WatchedFolder]:
    """The folders that are read again and again."""
    kept = json.loads(outside.market.setting(_KEY) or "[]")
    return [WatchedFolder(**own) for own in kept]


def _keep(outside: Outside, changed: list[WatchedFolder]) -> None:
    outside.market.set_setting(_KEY, json.dumps([asdict(own) for own in changed]))


def add_source(outside: Outside, folder: str) -> WatchedFolder:
    """Read a folder from now on. Raises DataError ``no_folder``, ``not_allowed``, ConflictError
    ``source_there``."""
    path = Path(folder.strip())
    with suppress(RuntimeError):  # of an account that is not there
        path = path.expanduser()
    if path.is_absolute():
        outside.machine.check(path)
    if not path.is_absolute() or not path.is_dir():
        message = f"there is no folder {folder.strip() or '(nothing)'} on this machine"
        mend = "write its whole path, such as /home/me/bars"
        raise DataError(Problem(code="no_folder", message=message, mend=mend))
    known = sources(outside)
    if any(own.folder == str(path) for own in known):
        raise ConflictError("source_there", f"{path} is read already")
    added = WatchedFolder(folder=str(path), seen={})
    _keep(outside, [*known, added])
    return added


def remove_source(outside: Outside, folder: str) -> None:
    """Read a folder no more; what was taken from it stays. Raises NotFoundError."""
    known = sources(outside)
    if not any(own.folder == folder for own in known):
        raise NotFoundError("source", folder)
    _keep(outside, [own for own in known if own.folder != folder])


def read_sources(
    outside: Outside, settled: Mapping[str, str], tell: Callable[[FileReading], object]
) -> dict[str, str]:
    """Take what is new or changed in all folders that the machine's owner allows. A file that has changed
    since the last look is still being written: it is taken once it stays as it is, so that none is read
    while it grows.

    ``settled`` are the marks of the last look by path; returns those of this one.
    """
    marks: dict[str, str] = {}
    for own in sources(outside):
        seen, troubles, trouble = dict(own.seen), dict(own.troubles), ""
        try:
            outside.machine.check(Path(own.folder))
            folder = Folder(Path(own.folder), seen, troubles, outside.machine.open)
            marks |= read_folder(outside, folder, settled, tell)
        except OSError as error:
            trouble = error.strerror or str(error)
        except DataError as error:
            trouble = str(error.problem)
        now = WatchedFolder(folder=own.folder, seen=seen, trouble=trouble, troubles=troubles)
        if now != own:
            _update(outside, now)
    return marks


@dataclass(frozen=True)
class Folder:
    """A folder to read: where it is, what is known of its files, and how they are opened.

    ``seen`` has the mark of each file as it was last taken, ``troubles`` why one could not be.
    """

    path: Path
    seen: dict[str, str]
    troubles: dict[str, str]
    open: Callable[[Path], BinaryIO] = lambda path: path.open("rb")

    def fresh(
        self, settled: Mapping[str, str], *, at_once: bool
    ) -> tuple[list[Path], dict[str, str]]:
        """The files that are to be taken now, and the marks of all. What can't be read is in trouble, and
        stops none but itself."""
        marks: dict[str, str] = {}
        fresh: list[Path] = []
        listed = sorted(p for p in self.path.iterdir() if p.suffix.lower() in _ENDINGS)
        wrong: dict[str, str] = {}
        for path in listed[:MOST_FILES]:
            name = path.name.encode("utf-8", "replace").decode()
            try:
                state = path.stat()
                if not stat.S_ISREG(state.st_mode):
                    continue
                if name != path.name:
                    raise DataError(Problem(code="unreadable_file", message=NO_TEXT))
                mark = f"{state.st_size} {state.st_mtime_ns}"
                marks[str(path)] = mark
                if self.seen.get(name) != mark and (at_once or settled.get(str(path)) == mark):
                    self.open(path).close()
                    fresh.append(path)
                elif name in self.troubles:
                    wrong[name] = self.troubles[name]
            except OSError as error:
                wrong[name] = f"it can't be read: {error.strerror or error}"
            except DataError as error:
                wrong[name] = str(error.problem)
        if len(listed) > MOST_FILES:
            rest = len(listed) - MOST_FILES
            wrong["(the others)"] = f"{rest:,} files beyond the first {MOST_FILES:,} are left alone"
        self.troubles.clear()
        self.troubles.update(islice(wrong.items(), MOST_TROUBLES))
        return fresh, marks


def read_folder(
    outside: Outside,
    folder: Folder,
    settled: Mapping[str, str],
    tell: Callable[[FileReading], object],
    *,
    at_once: bool = False,
) -> dict[str, str]:
    """Take what is new or changed in one folder, as ``read_sources`` does; the folder learns what was
    taken. ``at_once`` what is there is taken to be whole. What is wrong with a file is said once."""
    before = dict(folder.troubles)
    fresh, marks = folder.fresh(settled, at_once=at_once)
    for name, why in folder.troubles.items():
        if before.get(name) != why:
            tell(FileReading(name=name, taken=0, refused=0, trouble=why))
    for reading in read_files(outside, fresh, folder.open):
        if reading.trouble and len(folder.troubles) < MOST_TROUBLES:
            folder.troubles[reading.name] = reading.trouble
        tell(reading)
    folder.seen.update({path.name: marks[str(path)] for path in fresh})
    return marks


def _update(outside: Outside, changed: WatchedFolder) -> None:
    """Keep what is known of a folder, if it is still read."""
    known = sources(outside)
    _keep(outside, [changed if own.folder == changed.folder else own for own in known])


def read_files(
    outside: Outside, paths: Sequence[Path], opened: Callable[[Path], BinaryIO] | None = None
) -> list[FileReading]:
    """Import files, those of one shape together, and take of them what can be taken. An import without a
    change leaves no trace. ``opened`` opens a file, where not every one may be read."""
    if not paths:
        return []
    members = ((path.name, pieces_of(path, opened)) for path in paths)
    done = gather(outside, uuid.uuid4().hex, members, last=True, queued=False)
    return [
        *(
            FileReading(name=t.name, taken=0, refused=0, trouble=str(t.problem))
            for t in done.turned
        ),
        *(_take_all(outside, own) for own in done.imports),
    ]


def pieces_of(path: Path, opened: Callable[[Path], BinaryIO] | None = None) -> Iterator[bytes]:
    """A file as it lies there. Raises DataError ``unreadable_file`` where it can't be opened."""
    try:
        with opened(path) if opened else path.open("rb") as file:
            while piece := file.read(_AT_ONCE):
                yield piece
    except OSError as error:
        message = f"{path.name} can't be read: {error.strerror or error}"
        mend = "let this account read it"
        raise DataError(Problem(code="unreadable_file", message=message, mend=mend)) from None


def _take_all(outside: Outside, imported: Import) -> FileReading:
    """Read an import, and take of it what can be taken."""
    try:
        execute_import(outside, imported.id)
        imported = get_import(outside, imported.id)
        account = imported.account
        if imported.state != ImportState.READY or account is None:
            return FileReading(
                name=imported.name, taken=0, refused=0, trouble=imported.reason or imported.state
            )
        if account.new + account.changed + account.mending_count:
            take_import(outside, imported.id, queued=False)
            execute_import(outside, imported.id)
        return _told(outside, get_import(outside, imported.id))
    except (CoreError, UseCaseError) as error:
        return FileReading(name=imported.name, taken=0, refused=0, trouble=str(error))


def _told(outside: Outside, imported: Import) -> FileReading:
    account = imported.account
    assert account is not None
    taken = account.new + account.changed if imported.state == ImportState.DONE else 0
    if imported.state == ImportState.READY and not account.refused:
        forget(outside, imported.id)
    return FileReading(
        name=imported.name, taken=taken, refused=account.refused, trouble=imported.reason or ""
    )
