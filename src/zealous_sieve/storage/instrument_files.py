"""What is known of instruments beside their bars, from a file."""

from __future__ import annotations

import csv
from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.session import Session, read_session
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.intake.tables import refusal
from zealous_sieve.core.market.soundness import code_fault

CALENDAR = ("hours", "zone", "half_days", "holidays")
OWN = ("code", "tick", "venue", *CALENDAR)
EVENTS = "event:"


def read_instruments(path: Path) -> dict[str, Background]:
    """What is known of instruments, from a CSV file: columns ``code``, ``tick``, ``venue``, and of the
    venue ``hours``, ``zone``, ``half_days`` and ``holidays``; those called ``event:KIND`` hold days, every
    other one is a fact. Raises DataError with the line."""
    found: dict[str, Background] = {}
    try:
        return _read(path, found)
    except (UnicodeDecodeError, csv.Error) as error:
        message = f"can't be read: {error}"
        raise DataError(
            Problem(code="unreadable_file", message=message, subject=str(path))
        ) from None


def _read(path: Path, backgrounds: dict[str, Background]) -> dict[str, Background]:
    with path.open(newline="", encoding="utf-8-sig") as file:
        reader = csv.DictReader(file)
        if "code" not in (reader.fieldnames or ()):
            problem = Problem(
                code="wrong_columns",
                message="line 1: the header lacks code",
                mend=f"columns are code, and where known {', '.join(OWN[1:])}, and facts",
                subject=str(path),
            )
            raise DataError(problem)
        for row in reader:
            line, code = reader.line_num, row["code"]
            reason = "this code stands twice" if code in backgrounds else code_fault(code)
            if None in row or None in row.values():
                reason = f"the row does not have {len(reader.fieldnames or ())} values"
            if reason:
                raise DataError(refusal(str(path), line, "code", code, reason))
            backgrounds[code] = _background(path, line, row)
    return backgrounds


def _background(path: Path, line: int, row: Mapping[str, str]) -> Background:
    try:
        tick = float(row.get("tick") or 0.01)
    except ValueError:
        tick = 0.0
    if not 0 < tick < float("inf"):
        reason = "the price step has to be a number above zero"
        raise DataError(refusal(str(path), line, "tick", row.get("tick"), reason))
    rest = {column: text for column, text in row.items() if column not in OWN}
    return Background(
        session=_session(path, line, row),
        tick=tick,
        facts={k: _fact(v) for k, v in rest.items() if not k.startswith(EVENTS)},
        events={
            column.removeprefix(EVENTS): _days(path, line, column, text or "")
            for column, text in rest.items()
            if column.startswith(EVENTS)
        },
    )


def _session(path: Path, line: int, row: Mapping[str, str]) -> Session | None:
    hours, *calendar = (row.get(column) or "" for column in CALENDAR)
    if not hours:
        return None
    try:
        return read_session(row.get("venue") or "its venue", hours, *calendar)
    except DataError as error:
        found = error.problems[0]
        message = f"line {line}: {found.message}"
        raise DataError(replace(found, message=message, subject=str(path))) from None


def _days(path: Path, line: int, column: str, text: str) -> NDArray[np.int64]:
    """Days written as 2026-03-02 2026-06-02, as midnights in order."""
    days = []
    for word in text.split():
        try:
            midnight = datetime.strptime(word, "%Y-%m-%d").replace(tzinfo=UTC)
        except ValueError:
            reason = "an event is a day such as 2026-03-02; several stand with spaces between"
            raise DataError(refusal(str(path), line, column, word, reason)) from None
        days.append(int(midnight.timestamp()))
    return np.array(sorted(days), dtype=np.int64)


def _fact(text: str | None) -> str | float | None:
    try:
        return float(text) if text else None
    except ValueError:
        return text
