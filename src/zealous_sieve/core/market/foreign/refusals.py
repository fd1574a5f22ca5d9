"""Rows that are not taken, and why."""

from __future__ import annotations

from dataclasses import dataclass, field

MOST = 10_000
"""So many are told one by one; more are counted."""
LONGEST = 80


@dataclass(frozen=True, kw_only=True)
class RefusedRow:
    """A row that is not taken: the line of the file, the column and its value, and why."""

    line: int
    column: str
    value: str
    reason: str


@dataclass
class Refusals:
    """What of a file is not taken: ``count`` rows, the first of them one by one."""

    count: int = 0
    listed: list[RefusedRow] = field(default_factory=list)

    def add(self, line: int, column: str, value: str, reason: str) -> None:
        """Refuse a row for its first fault."""
        self.count += 1
        if len(self.listed) < MOST:
            short = value if len(value) <= LONGEST else value[: LONGEST - 1] + "…"
            self.listed.append(RefusedRow(line=line, column=column, value=short, reason=reason))
