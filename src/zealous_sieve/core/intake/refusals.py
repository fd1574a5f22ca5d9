"""Rows that are not taken, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

_MOST = 10_000
"""So many are told one by one; more are counted."""
_LONGEST = 80
PLACE = 1 << 40
"""Lines of the second file of an import are counted from here on, of the third from twice as much."""


@dataclass(frozen=True, kw_only=True)
class RefusedRow:
    """A row that is not taken: the line of the file, the column and its value, and why. Of an import of
    many files also which; line 0 stands for all of it."""

    line: int
    column: str
    value: str
    reason: str
    file: str = ""
    place: int = 0
    """Which of many files it is, from 0 on."""


@dataclass
class Refusals:
    """What is not taken: ``count`` rows, the first of them one by one; ``files`` are the names of all
    files, where there are several."""

    count: int = 0
    files: Sequence[str] = ()
    listed: list[RefusedRow] = field(default_factory=list)

    def add(self, line: int, column: str, value: str, reason: str) -> None:
        """Refuse a row for its first fault; lines of a later file are counted from its place on."""
        self.count += 1
        if len(self.listed) < _MOST:
            short = value if len(value) <= _LONGEST else value[: _LONGEST - 1] + "…"
            place, own = divmod(line, PLACE)
            file = self.files[place] if self.files else ""
            self.listed.append(
                RefusedRow(
                    line=own, column=column, value=short, reason=reason, file=file, place=place
                )
            )
