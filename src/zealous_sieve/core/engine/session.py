"""When a venue trades, by its own clock: time zone with daylight saving, hours, half days, holidays."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from difflib import get_close_matches
from functools import lru_cache
from itertools import pairwise
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY

_Moments = NDArray[np.int64]
"""Seconds since 1970 UTC."""
_Days = NDArray[np.int64]
"""Days of the calendar, counted from 1970."""
_HOURS = re.compile(r"([01]\d|2[0-4]):([0-5]\d)-([01]\d|2[0-4]):([0-5]\d)")


@dataclass(frozen=True, eq=False)
class Clock:
    """The clock on the wall of a time zone.

    ``turns`` are the moments at which its distance from UTC changes, ``offsets`` the distances before,
    between and after them, in seconds.
    """

    turns: _Moments
    offsets: _Moments

    def local(self, moments: _Moments) -> _Moments:
        """What the clock shows, as seconds since 1970 of its own; the given array where that is UTC."""
        return moments if self.utc else moments + _steps(self.turns, self.offsets, moments)

    def moments(self, local: _Moments) -> _Moments:
        """The moments at which the clock shows these times: the first of two, and of times that are
        left out when the clock is put forward, the moment as many seconds later (PEP 495)."""
        seen = self.turns + np.maximum(self.offsets[:-1], self.offsets[1:])
        return local if self.utc else local - _steps(seen, self.offsets, local)

    @property
    def utc(self) -> bool:
        """Whether it never shows another time than UTC."""
        return not self.offsets.any()


def _steps(turns: _Moments, values: _Moments, moments: _Moments) -> _Moments:
    """The value before, between or after the turns at each moment."""
    if not len(moments):
        return moments
    first, last = np.searchsorted(turns, [moments.min(), moments.max()], side="right")
    own = values[first : last + 1]
    passed = np.searchsorted(turns[first:last], moments, side="right")
    return np.asarray(own[passed] if last > first else own, dtype=np.int64)


_WEEK = 7 * DAY
_KNOWN = range(0, int(datetime(2100, 1, 1, tzinfo=UTC).timestamp()), _WEEK)
"""The weeks of which the turns of a clock are looked up."""


@lru_cache(maxsize=256)
def clock_of(zone: str) -> Clock:
    """The clock of a zone of the IANA database. Raises DataError ``unknown_zone``."""
    known = ("UTC",) if zone == "UTC" else _zones()
    if zone not in known:
        message = f"there is no time zone {zone!r}"
        near = get_close_matches(zone, known, n=1, cutoff=0.5)
        mend = f"did you mean {near[0]}? " if near else ""
        mend += "Zones have the names of the IANA database, such as Atlantic/Madeira or UTC"
        raise DataError(Problem(code="unknown_zone", message=message, mend=mend))
    own = ZoneInfo(zone)

    def offset(moment: int) -> int:
        away = datetime.fromtimestamp(moment, own).utcoffset()
        return 0 if away is None else int(away.total_seconds())

    turns: list[int] = []
    offsets = [offset(0)]
    for week in _KNOWN:
        before, after = week, week + _WEEK
        if offset(after) == offsets[-1]:
            continue
        while after - before > 1:
            middle = (before + after) // 2
            before, after = (middle, after) if offset(middle) == offsets[-1] else (before, middle)
        turns.append(after)
        offsets.append(offset(after))
    return Clock(np.array(turns, np.int64), np.array(offsets, np.int64))


@lru_cache(maxsize=1)
def _zones() -> tuple[str, ...]:
    return tuple(sorted(available_timezones()))


@dataclass(frozen=True)
class Session:
    """Trading hours of a venue, by its own clock.

    ``hours`` are pieces ``(from, to)`` in minutes after midnight, in order; a session does not go over
    midnight of its ``zone``. ``half_days`` are days with the minute at which they close early,
    ``holidays`` days without trading; both in order, counted from 1970.
    """

    name: str
    hours: tuple[tuple[int, int], ...]
    zone: str = "UTC"
    half_days: tuple[tuple[int, int], ...] = ()
    holidays: tuple[int, ...] = ()
    clock: Clock = field(default=Clock(np.empty(0, np.int64), np.zeros(1, np.int64)), compare=False)

    def __hash__(self) -> int:
        return hash((self.name, self.hours, self.zone))

    def __str__(self) -> str:
        return " ".join(f"{_clock(a)}-{_clock(b)}" for a, b in self.hours)

    @property
    def minutes(self) -> int:
        """How long a whole session is, breaks left out."""
        return sum(end - first for first, end in self.hours)

    def local(self, moments: _Moments) -> _Moments:
        """What the venue's clock shows, as seconds since 1970 of its own."""
        return self.clock.local(moments)

    def days(self, moments: _Moments) -> _Days:
        """The venue's day of each moment."""
        return self.local(moments) // DAY

    def opens(self, days: _Days) -> _Moments:
        """When the session of each day opens, or would, were it one of trading."""
        return self.clock.moments(days * DAY + self.hours[0][0] * 60)

    def closes(self, days: _Days) -> _Moments:
        """When the session of each day is over."""
        return self.clock.moments(days * DAY + self._last_minutes(days) * 60)

    def _last_minutes(self, days: _Days) -> NDArray[np.int64]:
        """At which minute after its midnight each day closes."""
        minutes = np.full(len(days), self.hours[-1][1], np.int64)
        if self.half_days:
            early, until = np.array(self.half_days, np.int64).T
            place = np.minimum(np.searchsorted(early, days), len(early) - 1)
            minutes = np.where(early[place] == days, until[place], minutes)
        return minutes

    def trades_on(self, days: _Days) -> NDArray[np.bool_]:
        """Which days are weekdays that are no holidays."""
        return np.is_busday(days.astype("datetime64[D]"), holidays=self._away)

    def last_session(self, days: _Days) -> _Days:
        """The last day with a session at or before each day."""
        found = np.busday_offset(days.astype("datetime64[D]"), 0, "backward", holidays=self._away)
        return found.astype(np.int64)

    def first_session(self, days: _Days) -> _Days:
        """The first day with a session at or after each day."""
        first = np.busday_offset(days.astype("datetime64[D]"), 0, "forward", holidays=self._away)
        return first.astype(np.int64)

    def sessions(self, first: _Days, last: _Days) -> _Days:
        """How many sessions come after the first day up to the last."""
        after, end = ((days + 1).astype("datetime64[D]") for days in (first, last))
        return np.busday_count(after, end, holidays=self._away)

    def after(self, days: _Days, sessions: int) -> _Days:
        """The day of the session so many sessions after each day."""
        found = np.busday_offset(
            days.astype("datetime64[D]"), sessions, "backward", holidays=self._away
        )
        return found.astype(np.int64)

    def is_open(self, local: _Moments) -> NDArray[np.bool_]:
        """Whether the venue trades at times of its own clock."""
        days, minutes = local // DAY, local % DAY / 60
        inside = np.zeros(len(local), dtype=bool)
        for first, end in self.hours:
            inside |= (minutes >= first) & (minutes < end)
        return inside & self.trades_on(days) & (minutes < self._last_minutes(days))

    @property
    def _away(self) -> NDArray[np.datetime64]:
        return np.array(self.holidays, dtype="datetime64[D]")


ANY_DAY = Session("", ((0, 24 * 60),))
"""Where nobody knows the hours: from midnight to midnight, UTC."""


def read_session(
    name: str, hours: str, zone: str = "UTC", half_days: str = "", holidays: str = ""
) -> Session:
    """The session of a venue from texts.

    ``hours`` such as ``07:00-12:00 13:00-19:00``, ``half_days`` such as ``2026-12-30T13:00``: the day
    and when it closes, ``holidays`` such as ``2026-12-31``; several with spaces between. Raises DataError
    ``bad_hours``, ``unknown_zone``, ``bad_half_day`` or ``bad_holiday``.
    """
    pieces = _pieces(name, hours)
    early = dict(_half_day(name, word, pieces) for word in half_days.split())
    away = {_holiday(name, word) for word in holidays.split()}
    for day in sorted(away & early.keys()):
        written = date.fromordinal(_FIRST + day)
        message = f"{written} is both a half day and a holiday of {name}"
        raise DataError(Problem(code="bad_half_day", message=message, mend="leave one of them out"))
    clock = clock_of(zone or "UTC")
    return Session(
        name, pieces, zone or "UTC", tuple(sorted(early.items())), tuple(sorted(away)), clock
    )


_FIRST = date(1970, 1, 1).toordinal()


def _pieces(name: str, text: str) -> tuple[tuple[int, int], ...]:
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
    return hours


def _half_day(name: str, word: str, hours: Sequence[tuple[int, int]]) -> tuple[int, int]:
    mend = "write the day and when it closes, within the hours, such as 2026-12-30T13:00"
    try:
        close = datetime.strptime(word, "%Y-%m-%dT%H:%M")
    except ValueError:
        message = f"{word!r} is no half day of {name}"
        raise DataError(Problem(code="bad_half_day", message=message, mend=mend)) from None
    minute = close.hour * 60 + close.minute
    if not hours[0][0] < minute < hours[-1][1]:
        message = f"{word} closes outside the hours of {name}"
        raise DataError(Problem(code="bad_half_day", message=message, mend=mend))
    return close.toordinal() - _FIRST, minute


def _holiday(name: str, word: str) -> int:
    try:
        return datetime.strptime(word, "%Y-%m-%d").toordinal() - _FIRST
    except ValueError:
        message = f"{word!r} is no holiday of {name}"
        mend = "write days such as 2026-12-31, with spaces between"
        raise DataError(Problem(code="bad_holiday", message=message, mend=mend)) from None


def _clock(minutes: int) -> str:
    return f"{minutes // 60:02d}:{minutes % 60:02d}"
