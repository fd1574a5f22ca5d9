"""What is known of an instrument beside its bars: trading hours, price step, facts, events."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import DataError, Problem

_HOURS = re.compile(r"([01]\d|2[0-4]):([0-5]\d)-([01]\d|2[0-4]):([0-5]\d)")


@dataclass(frozen=True, slots=True)
class Session:
    """Trading hours on weekdays, by the clock of UTC.

    ``hours`` are pieces ``(from, to)`` in minutes after midnight, in order; a session does not go
    over midnight.
    """

    name: str
    hours: tuple[tuple[int, int], ...]

    @property
    def opens(self) -> int:
        """Minutes after midnight of the first trade there can be."""
        return self.hours[0][0]

    @property
    def closes(self) -> int:
        """Minutes after midnight at which the day is over."""
        return self.hours[-1][1]

    def __str__(self) -> str:
        return " ".join(f"{_clock(a)}-{_clock(b)}" for a, b in self.hours)


def read_session(name: str, text: str) -> Session:
    """The hours written as ``07:00-12:00 13:00-19:00``. Raises DataError ``bad_hours``."""
    pieces = [_HOURS.fullmatch(piece) for piece in text.split()]
    hours = tuple(
        (int(p[1]) * 60 + int(p[2]), int(p[3]) * 60 + int(p[4])) for p in pieces if p is not None
    )
    bounds = [minute for piece in hours for minute in piece]
    rising = all(a < b for a, b in pairwise(bounds))
    if not hours or len(hours) < len(pieces) or not rising or bounds[-1] > 24 * 60:
        message = f"{text!r} are no trading hours of {name}"
        mend = "write pieces of one day in order, such as 07:00-12:00 13:00-19:00"
        raise DataError(Problem(code="bad_hours", message=message, mend=mend))
    return Session(name, hours)


def _clock(minutes: int) -> str:
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


@dataclass(frozen=True, kw_only=True)
class Background:
    """What is known of one instrument.

    ``name`` is what it is called, ``tick`` its price step. ``events`` holds the days of scheduled events
    by kind, as midnights in seconds since 1970, in order.
    """

    name: str = ""
    session: Session | None = None
    tick: float = 0.01
    facts: Mapping[str, object] = field(default_factory=dict)
    events: Mapping[str, NDArray[np.int64]] = field(default_factory=dict)
