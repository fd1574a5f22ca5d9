"""Folders that are read again and again: what is new or changed in them is brought in by itself."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from zealous_sieve.core.errors import CoreError, DataError, Problem
from zealous_sieve.usecases.errors import ConflictError, NotFoundError, UseCaseError
from zealous_sieve.usecases.gathering import gather
from zealous_sieve.usecases.import_ports import Import, ImportState
from zealous_sieve.usecases.imports import execute_import, forget, get_import, take
from zealous_sieve.usecases.ports import Outside

KEY = "sources"
ENDINGS = (".csv", ".txt", ".tsv", ".parquet", ".pq")
AT_ONCE = 1024 * 1024
MOST_FILES = 20_000


@dataclass(frozen=True, kw_only=True)
class Source:
    """A folder, with what was last seen of each of its files: size and time of change, in one text."""

    folder: str
    seen: Mapping[str, str]
    trouble: str = ""
    """Why it could not be read the last time."""


@dataclass(frozen=True, kw_only=True)
class Reading:
    """What came of one file of a folder."""

    name: str
    taken: int
    refused: int
    trouble: str


def sources(outside: Outside) -> list[Source]:
    """The folders that are read again and again."""
    kept = json.loads(outside.market.setting(KEY) or "[]")
    return [Source(**own) for own in kept]


def _keep(outside: Outside, changed: list[Source]) -> None:
    written = [
        {"folder": own.folder, "seen": dict(own.seen), "trouble": own.trouble} for own in changed
    ]
    outside.market.set_setting(KEY, json.dumps(written))


def add_source(outside: Outside, folder: str) -> Source:
    """Read a folder from now on. Raises DataError ``no_folder``, ConflictError ``source_there``."""
    path = Path(folder.strip())
    with suppress(RuntimeError):  # of an account that is not there
        path = path.expanduser()
    if not folder.strip() or not path.is_absolute() or not path.is_dir():
        message = f"there is no folder {folder.strip() or '(nothing)'} on this machine"
        mend = "write its whole path, such as /home/me/bars"
        raise DataError(Problem(code="no_folder", message=message, mend=mend))
    known = sources(outside)
    if any(own.folder == str(path) for own in known):
        raise ConflictError("source_there", f"{path} is read already")
    added = Source(folder=str(path), seen={})
    _keep(outside, [*known, added])
    return added


def remove_source(outside: Outside, folder: str) -> None:
    """Read a folder no more; what was taken from it stays. Raises NotFoundError."""
    known = sources(outside)
    if not any(own.folder == folder for own in known):
        raise NotFoundError("source", folder)
    _keep(outside, [own for own in known if own.folder != folder])


def _mark(path: Path) -> str:
    """What tells one state of a file from another."""
    state = path.stat()
    return f"{state.st_size} {state.st_mtime_ns}"


def read_sources(
    outside: Outside, settled: Mapping[str, str], said: Callable[[Reading], object]
) -> dict[str, str]:
    """Take what is new or changed in all folders. A file that has changed since the last look is still
    being written: it is taken once it stays as it is, so that none is read while it grows.

    ``settled`` are the marks of the last look by path; returns those of this one.
    """
    marks: dict[str, str] = {}
    for own in sources(outside):
        seen, trouble = dict(own.seen), ""
        try:
            marks |= read_folder(outside, Path(own.folder), seen, settled, said)
        except OSError as error:
            trouble = error.strerror or str(error)
        if seen != own.seen or trouble != own.trouble:
            _update(outside, Source(folder=own.folder, seen=seen, trouble=trouble))
    return marks


def read_folder(
    outside: Outside,
    folder: Path,
    seen: dict[str, str],
    settled: Mapping[str, str],
    said: Callable[[Reading], object],
    *,
    at_once: bool = False,
) -> dict[str, str]:
    """Take what is new or changed in one folder, as ``read_sources`` does; ``seen`` learns what was taken.
    ``at_once`` what is there is taken to be whole."""
    marks: dict[str, str] = {}
    fresh: list[Path] = []
    for path in _files(folder):
        mark = marks[str(path)] = _mark(path)
        if seen.get(path.name) != mark and (at_once or settled.get(str(path)) == mark):
            fresh.append(path)
    for reading in read_files(outside, fresh):
        said(reading)
    seen |= {path.name: marks[str(path)] for path in fresh}
    return marks


def _update(outside: Outside, changed: Source) -> None:
    """Keep what is known of a folder, if it is still read."""
    known = sources(outside)
    _keep(outside, [changed if own.folder == changed.folder else own for own in known])


def _files(folder: Path) -> list[Path]:
    found = (path for path in folder.iterdir() if path.suffix.lower() in ENDINGS)
    return sorted(path for path in found if path.is_file())[:MOST_FILES]


def read_files(outside: Outside, paths: Sequence[Path]) -> list[Reading]:
    """Bring in files, those of one shape together, and take of them what can be taken. An import without a
    change leaves no trace."""
    if not paths:
        return []
    members = ((path.name, _pieces(path)) for path in paths)
    done = gather(outside, uuid.uuid4().hex, members, last=True, queued=False)
    return [
        *(Reading(name=t.name, taken=0, refused=0, trouble=str(t.problem)) for t in done.turned),
        *(_take_all(outside, own) for own in done.imports),
    ]


def _pieces(path: Path) -> Iterator[bytes]:
    """A file as it lies there. Raises DataError ``unreadable_file`` where it can't be opened."""
    try:
        with path.open("rb") as file:
            while piece := file.read(AT_ONCE):
                yield piece
    except OSError as error:
        message = f"{path.name} can't be read: {error.strerror or error}"
        mend = "let this account read it"
        raise DataError(Problem(code="unreadable_file", message=message, mend=mend)) from None


def _take_all(outside: Outside, own: Import) -> Reading:
    """Read an import, and take of it what can be taken."""
    try:
        execute_import(outside, own.id)
        own = get_import(outside, own.id)
        account = own.account
        if own.state != ImportState.READY or account is None:
            return Reading(name=own.name, taken=0, refused=0, trouble=own.reason or own.state)
        if account.new + account.changed:
            take(outside, own.id, queued=False)
            execute_import(outside, own.id)
        return _told(outside, get_import(outside, own.id))
    except (CoreError, UseCaseError) as error:
        return Reading(name=own.name, taken=0, refused=0, trouble=str(error))


def _told(outside: Outside, own: Import) -> Reading:
    account = own.account
    assert account is not None
    taken = account.new + account.changed if own.state == ImportState.DONE else 0
    if own.state == ImportState.READY and not account.refused:
        forget(outside, own.id)
    return Reading(name=own.name, taken=taken, refused=account.refused, trouble=own.reason or "")
