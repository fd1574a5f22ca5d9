"""One moment as a person writes it: ``16 Apr``, ``16.4. 14:20``, ``2 months ago``, ``last Friday``."""

from __future__ import annotations

import re
from calendar import month_name, monthrange
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np

from zealous_sieve.core.engine.session import clock_of
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.intake.moments import read_clock, year_of

_NAMES = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_SECONDS = {"s": 1, "sec": 1, "second": 1, "min": 60, "minute": 60, "h": 3_600, "hour": 3_600}
_DAYS = {"d": 1, "day": 1, "w": 7, "week": 7}
_MONTHS = {"mo": 1, "month": 1, "y": 12, "year": 12}
_DISTANCE = re.compile(
    r"(an?|\d{1,6}) ?([a-z]+?)s? (ago|before|earlier|after|later)(?: (\S+(?: ?[ap]m)?))?"
)
_WITH_CLOCK = re.compile(r"(?:(.*\S)[t ] ?)??(\d{1,2}(?::\d\d){1,2}(?: ?[ap]m)?|\d{1,2} ?[ap]m)")
_ORDINAL = r"(\d{1,2})(?:st|nd|rd|th)?"
_FORMS = (
    (re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})"), "ymd"),
    (re.compile(r"(\d{1,2})\. ?(\d{1,2})(?:\. ?(\d{4}|\d\d)?)?"), "dmy"),
    (re.compile(rf"{_ORDINAL}[ -](?:of )?([a-z]{{3,9}})\.?(?:[ -](\d{{4}}|\d\d))?"), "dmy"),
    (re.compile(rf"([a-z]{{3,9}})\.?[ -]{_ORDINAL}(?: (\d{{4}}))?"), "mdy"),
)
_SLASHED = re.compile(r"(\d{1,2})/(\d{1,2})(?:/(\d{4}|\d\d))?")
_LONGEST = 80
MEND = "write it as 16 Apr, 16.4. 14:20, 2026-04-16, 2 months ago or last Friday"


@dataclass(frozen=True, kw_only=True)
class _Seen:
    """What words count from, on the clock that is shown: the desk's present, and the moment looked from."""

    present: datetime
    looked: datetime


def written_moment(text: str, zone: str, looked: int, present: int) -> int:
    """The moment that a text means on the clock of a zone, up to the present.

    ``ago``, days of the week and dates without a year count back from the ``present``; ``earlier``,
    ``later`` and a time alone from the moment that is ``looked`` from. A day without a time is meant with
    all that was known at its end, 23:59. All in seconds since 1970.

    Raises DataError ``not_a_moment`` where a part of the text is not understood, ``two_dates`` where day
    and month could change places, ``unknown_zone``.
    """
    clock = clock_of(zone)

    def shown(moment: int) -> datetime:
        return datetime.fromtimestamp(int(clock.local(np.array([moment]))[0]), UTC)

    words = " ".join(text.lower().replace(",", " ").split())
    words = re.sub(r"\b(at|on|the) (?=.)", "", words)
    seen = _Seen(present=shown(present), looked=shown(looked))
    if len(text) > _LONGEST:
        raise _none(f"{text[:20]}…", "this is too long for a moment")
    if words in ("now", "present"):
        return present
    try:
        distance = _DISTANCE.fullmatch(words)
        if distance and distance[2] in _SECONDS:
            if distance[4]:
                raise _none(text, f"{distance[4]!r} after it is not understood")
            step = _count(distance[1]) * _SECONDS[distance[2]]
            found = (present if distance[3] == "ago" else looked) + _sign(distance[3]) * step
        else:
            there = _away(distance, seen, text) if distance else _dated(words, seen, text)
            local = int(there.timestamp())
            found = int(clock.moments(np.array([local]))[0])
            timed = not distance or distance[4]
            if timed and int(clock.local(np.array([found]))[0]) != local:
                raise _none(text, f"the clocks of {zone} go forward over this time")
    except (ValueError, OverflowError):
        raise _none(text, "there is no such day or time") from None
    if found < 0:
        raise _none(text, "this is before 1970")
    return min(found, present)


def _none(text: str, why: str = "this is no moment") -> DataError:
    return DataError(Problem(code="not_a_moment", message=f"{text!r}: {why}", mend=MEND))


def _count(number: str) -> int:
    return int(number) if number.isdigit() else 1


def _sign(way: str) -> int:
    return 1 if way in ("after", "later") else -1


def _away(distance: re.Match[str], seen: _Seen, text: str) -> datetime:
    """So many days, weeks, months or years away, at the same time of day or at one that is written."""
    number, unit, way, time = distance.groups()
    begin = seen.present if way == "ago" else seen.looked
    step = _sign(way) * _count(number)
    if unit in _DAYS:
        there = begin + timedelta(days=step * _DAYS[unit])
    elif unit in _MONTHS:
        months = begin.year * 12 + begin.month - 1 + step * _MONTHS[unit]
        year, month = months // 12, months % 12 + 1
        there = begin.replace(
            year=year, month=month, day=min(begin.day, monthrange(year, month)[1])
        )
    else:
        raise _none(text, f"{unit!r} is no length of time")
    return _at(there.date(), time, text) if time else there


def _dated(words: str, seen: _Seen, text: str) -> datetime:
    """On a day, at a time of it; a day alone at its end, a time alone on the day that is looked from."""
    timed = _WITH_CLOCK.fullmatch(words)
    day, time = (timed[1], timed[2]) if timed else (words, None)
    there = seen.looked.date() if time and not day else _day(day, seen, text)
    return _at(there, time or "23:59", text)


def _at(day: date, time: str, text: str) -> datetime:
    clock = read_clock(time if ":" in time else re.sub(r"(\d+)", r"\1:00", time))
    if isinstance(clock, str) or clock[0] >= DAY:
        raise _none(text, f"{time!r} is no time of day")
    return datetime(day.year, day.month, day.day, tzinfo=UTC) + timedelta(seconds=clock[0])


def _day(words: str, seen: _Seen, text: str) -> date:
    today = seen.present.date()
    if words in ("today", "yesterday"):
        return today - timedelta(days=words == "yesterday")
    weekday = words.removeprefix("last ")
    for number, name in enumerate(_NAMES):
        if len(weekday) >= 3 and name.startswith(weekday):
            return today - timedelta(days=(today.weekday() - number - 1) % 7 + 1)
    for form, order in _FORMS:
        found = form.fullmatch(words)
        parts = dict(zip(order, found.groups(), strict=True)) if found else {}
        month = _month(parts["m"]) if parts else None
        if month is not None:
            return _date(int(parts["d"]), month, parts["y"], today)
    if found := _SLASHED.fullmatch(words):
        first, second = int(found[1]), int(found[2])
        if first != second and max(first, second) <= 12:
            days = " or ".join(
                f"{_date(d, m, found[3], today):%-d %b}"
                for d, m in ((first, second), (second, first))
            )
            message = f"{text!r} could be {days}"
            mend = "write the month as a word, or 16.4. with the day first"
            raise DataError(Problem(code="two_dates", message=message, mend=mend))
        day, month = (second, first) if second > 12 else (first, second)
        return _date(day, month, found[3], today)
    raise _none(text)


def _month(written: str) -> int | None:
    """The month of a number, or of a name or how it begins; None where it is neither."""
    if written.isdigit():
        return int(written)
    names = (name.lower() for name in month_name)
    return next((n for n, name in enumerate(names) if n and name.startswith(written)), None)


def _date(day: int, month: int, year: str | None, today: date) -> date:
    """A date; without a year the last one that is not after today."""
    if year:
        return date(year_of(year), month, day)
    for earlier in range(9):
        try:
            there = date(today.year - earlier, month, day)
        except ValueError:
            if (month, day) != (2, 29):
                raise
            continue
        if there <= today:
            return there
    raise ValueError
