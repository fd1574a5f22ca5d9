"""A backup as a file: a zip of JSON lines, a member for each table, read row by row and never trusted."""

from __future__ import annotations

import json
import zipfile
import zlib
from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zealous_sieve.usecases.across.whole import unreadable

MANIFEST = "manifest.json"
FORMAT = 1
MOST_UNPACKED = 4 * 2**30
"""Bytes of all members of a backup."""
MOST_ROW = 16 * 2**20
"""Bytes of one row."""
NO_ZIP = (
    OSError, EOFError, ValueError, NotImplementedError, RuntimeError, zipfile.BadZipFile, zlib.error,
)  # fmt: skip
"""What is raised where a zip can't be read; RuntimeError where it is locked with a password."""
BackupRow = dict[str, Any]


@dataclass(frozen=True)
class BackupFile:
    """A backup of which the parts are all there."""

    archive: zipfile.ZipFile
    manifest: Mapping[str, Any]

    def rows(self, name: str) -> Iterator[tuple[str, BackupRow]]:
        """The rows of a member, each with its place. Raises DataError."""
        member = f"{name}.jsonl"
        if member not in self.archive.namelist():
            return
        number, place = 0, member
        try:
            with self.archive.open(member) as lines:
                while line := lines.readline(MOST_ROW + 1):
                    number += 1
                    place = f"{member}, line {number}"
                    if len(line) > MOST_ROW:
                        raise unreadable(f"{place} is longer than {MOST_ROW // 2**20} MB")
                    if line.strip():
                        yield place, _row(place, line)
        except NO_ZIP as error:
            raise unreadable(f"{place} is damaged: {error}") from None
        told = self.manifest.get("rows", {}).get(name)
        if told is not None and told != number:
            raise unreadable(f"{member} has {number} of its {told} rows")


def _row(place: str, line: bytes) -> BackupRow:
    try:
        row = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise unreadable(f"{place} is damaged: {error}") from None
    if not isinstance(row, dict):
        raise unreadable(f"{place} is no row")
    return row


@contextmanager
def opened(path: Path, expected: Collection[str], needed: Collection[str]) -> Iterator[BackupFile]:
    """A backup to read. Raises DataError where it is none, was made by a later version, is too large, or
    not whole: ``expected`` are the members that there can be, ``needed`` those without which it is none."""
    try:
        archive = zipfile.ZipFile(path)
    except NO_ZIP as error:
        raise unreadable(f"it is no file of backup ({error})") from None
    with archive:
        names = Counter(archive.namelist())
        manifest = _manifest(archive)
        foreign = names.keys() - {MANIFEST, *(f"{name}.jsonl" for name in expected)}
        if foreign:
            raise unreadable(f"it holds {min(foreign)[:80]!r}, which no backup does")
        twice = [name for name, times in names.items() if times > 1]
        if twice:
            raise unreadable(f"it holds {twice[0]} twice")
        told = manifest.get("rows", dict.fromkeys(needed))
        if not isinstance(told, dict):
            raise unreadable("its manifest is damaged")
        missing = sorted({*told, *needed} - {name.removesuffix(".jsonl") for name in names})
        if missing:
            raise unreadable(f"it is not whole: {missing[0]}.jsonl is missing")
        size = sum(member.file_size for member in archive.infolist())
        if size > MOST_UNPACKED:
            most = MOST_UNPACKED // 2**30
            raise unreadable(f"it unpacks to {size / 2**30:.1f} GB; no more than {most} are taken")
        yield BackupFile(archive, manifest)


def _manifest(archive: zipfile.ZipFile) -> Mapping[str, Any]:
    try:
        with archive.open(MANIFEST) as file:
            manifest = json.loads(file.read(MOST_ROW))
    except (KeyError, RecursionError, *NO_ZIP) as error:
        raise unreadable(f"it is no file of backup ({error})") from None
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise unreadable("it is of another format")
    return manifest
