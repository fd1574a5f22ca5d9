"""Moments as they are written elsewhere: dates in any order, times of day, offsets."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.session import clock_of
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.intake.layout import Dates

Seconds = NDArray[np.int64]
_EPOCH = date(1970, 1, 1).toordinal()
_MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
_DATE = re.compile(r"(\d{1,4}|[A-Za-z]{3,9})[-./ ]+(\d{1,2}|[A-Za-z]{3,9})[-./, ]+(\d{1,4})$")
_SOLID = re.compile(r"\d{8}$")
_CLOCK = re.compile(
    r"(\d{1,2})[:.h]?(\d{2})(?:[:.]?(\d{2})(?:[.,]\d+)?)?\s*([AaPp][Mm])?\s*(Z|[+-]\d\d:?(?:\d\d)?)?$"
)
_ORDER = {
    Dates.YEAR_FIRST: (0, 1, 2),
    Dates.DAY_FIRST: (2, 1, 0),
    Dates.MONTH_FIRST: (2, 0, 1),
}
_SHARES = {
    Dates.SECONDS: 1,
    Dates.MILLISECONDS: 1_000,
    Dates.MICROSECONDS: 1_000_000,
    Dates.NANOSECONDS: 1_000_000_000,
}
"""How many of what is counted since 1970 are a second."""
COUNTED_FROM, COUNTED_TO = 100_000_000, 4_200_000_000
"""Seconds since 1970 that a number is taken for: from 1973 to 2103."""
FORWARD = 0.9
"""So large a share of the steps between times go forward; others begin another instrument."""
NO_OFFSET = 1 << 40
"""Stands for the offset of a time that is written without one."""


@dataclass(frozen=True, kw_only=True)
class Moments:
    """Some moments as they were read: by UTC and by the clock they are written in, in seconds since 1970;
    ``faults`` say by row why something is none."""

    utc: Seconds
    local: Seconds
    faults: dict[int, str]


class MomentReader:
    """Reads moments that are written in one way; what repeats is read once."""

    def __init__(self, dates: Dates, zone: str) -> None:
        """Raises DataError ``unknown_zone``."""
        self.dates = dates
        self.clock = clock_of(zone)
        self.zone = zone
        self._days: dict[str, int | str] = {}
        self._clocks: dict[str, tuple[int, int] | str] = {}

    def read(self, texts: Sequence[str], clocks: Sequence[str] | None = None) -> Moments:
        """Read moments, where the times of day stand in a column of their own with those."""
        if self.dates in _SHARES:
            return self._counted(texts)
        local = np.zeros(len(texts), np.int64)
        offsets = np.full(len(texts), NO_OFFSET, np.int64)
        faults: dict[int, str] = {}
        pairs: Iterable[tuple[str, str]] = (
            zip(texts, clocks, strict=True) if clocks is not None else map(parted_times, texts)
        )
        for row, (day, clock) in enumerate(pairs):
            known = self._days.get(day)
            if known is None:
                known = self._days[day] = read_day(day, self.dates)
            shown = self._clocks.get(clock)
            if shown is None:
                shown = self._clocks[clock] = read_clock(clock)
            if isinstance(known, str) or isinstance(shown, str):
                faults[row] = known if isinstance(known, str) else str(shown)
                continue
            local[row] = known + shown[0]
            offsets[row] = shown[1]
        return self._by_utc(local, offsets, faults)

    def _counted(self, texts: Sequence[str]) -> Moments:
        utc = np.zeros(len(texts), np.int64)
        faults = {}
        share = _SHARES[self.dates]
        for row, text in enumerate(texts):
            try:
                utc[row] = int(float(text)) // share
            except (ValueError, OverflowError):
                faults[row] = f"this is no number of {self.dates}"
        return Moments(utc=utc, local=self.clock.local(utc), faults=faults)

    def of_local(self, local: Seconds) -> Moments:
        """Moments of which the clock of the zone is known."""
        return self._by_utc(local, np.full(len(local), NO_OFFSET, np.int64), {})

    def _by_utc(self, local: Seconds, offsets: Seconds, faults: dict[int, str]) -> Moments:
        plain = offsets == NO_OFFSET
        utc = local - np.where(plain, 0, offsets)
        if plain.any() and not self.clock.utc:
            utc[plain] = self.clock.moments(local[plain])
            dates = plain & (local % DAY == 0)
            left_out = plain & ~dates & (self.clock.local(utc) != local)
            reason = f"the clocks of {self.zone} go forward over this time: it does not exist there"
            faults |= {int(row): reason for row in np.flatnonzero(left_out) if row not in faults}
        return Moments(utc=utc, local=local, faults=faults)


def go_forward(times: Sequence[int]) -> bool:
    """Whether times follow each other, but where another instrument begins."""
    return sum(a <= b for a, b in pairwise(times)) >= FORWARD * (len(times) - 1)


def counted_as(number: int) -> Dates | None:
    """What since 1970 a number would count, by its size."""
    for dates, share in _SHARES.items():
        if COUNTED_FROM <= number // share < COUNTED_TO:
            return dates
    return None


def parted_times(text: str) -> tuple[str, str]:
    """The date and the time of day of a text; where there is no time of day, that is empty."""
    text = text.strip()
    colon = text.find(":")
    if colon < 0:
        day, _, clock = text.rpartition("T" if text[8:9] == "T" else " ")
        return (day, clock) if _SOLID.match(day) or _DATE.match(day) else (text, "")
    cut = max(text.rfind(" ", 0, colon), text.rfind("T", 0, colon))
    return (text[:cut], text[cut + 1 :]) if cut > 0 else (text, "")


def read_day(text: str, dates: Dates) -> int | str:
    """A date as seconds since 1970 at its midnight, or why it is none."""
    text = text.strip().rstrip(",")
    order = _ORDER.get(dates)
    if order is None:
        return f"this is no number of {dates}"
    if _SOLID.match(text):
        cuts = (0, 4, 6, 8) if order[0] == 0 else (0, 2, 4, 8)
        parts: Sequence[str] = [text[a:b] for a, b in pairwise(cuts)]
    else:
        found = _DATE.match(text)
        if not found:
            return f"this is no date written {dates}" if text else "there is no date"
        parts = found.groups()
    year, month, day = (parts[n] for n in order)
    try:
        return (date(year_of(year), _month(month), int(day)).toordinal() - _EPOCH) * DAY
    except ValueError:
        return f"this is no date written {dates}"


def year_of(text: str) -> int:
    """Two digits are of this century, those above 70 of the last."""
    year = int(text)
    if len(text) > 2:
        return year
    return year + (1900 if year > 70 else 2000)


def _month(text: str) -> int:
    short = text[:3].lower()
    return _MONTHS.index(short) + 1 if short in _MONTHS else int(text)


def read_clock(text: str) -> tuple[int, int] | str:
    """A time of day as seconds after midnight with its offset, or why it is none; nothing is midnight."""
    text = text.strip()
    if not text:
        return 0, NO_OFFSET
    found = _CLOCK.match(text)
    if not found:
        return "this is no time of day"
    hour, minute, second = (int(part or 0) for part in found.group(1, 2, 3))
    half = (found[4] or "").lower()
    if half:
        if not 1 <= hour <= 12:
            return "this is no time of day"
        hour = hour % 12 + (12 if half == "pm" else 0)
    if hour > 24 or minute > 59 or second > 59 or (hour == 24 and (minute or second)):
        return "this is no time of day"
    return hour * 3600 + minute * 60 + second, _offset(found[5])


def _offset(text: str | None) -> int:
    if text is None:
        return NO_OFFSET
    if text == "Z":
        return 0
    digits = text[1:].replace(":", "").ljust(4, "0")
    seconds = int(digits[:2]) * 3600 + int(digits[2:]) * 60
    return -seconds if text[0] == "-" else seconds


def is_moment(text: str) -> bool:
    """Whether a text can be a date, with a time of day or without, in some order."""
    day, clock = parted_times(text)
    return not isinstance(read_clock(clock), str) and any(
        not isinstance(read_day(day, dates), str) for dates in _ORDER
    )


def order_of(texts: Sequence[str]) -> tuple[Dates, bool]:
    """In what order the parts of some dates stand, and whether that is sure.

    Of several orders in which all of them are dates, it is the one in which they rise, over weekdays
    alone; of several of these, or none, the one that brings them closest together: bars follow each other
    by days, not by months. Where they rise over weekdays in several, it is not sure.
    """
    days = [parted_times(text)[0] for text in texts]
    read = {dates: [read_day(day, dates) for day in days] for dates in _ORDER}
    whole = {
        dates: np.array([day for day in own if not isinstance(day, str)], np.int64)
        for dates, own in read.items()
    }
    most = max(map(len, whole.values()), default=0)
    if not most:
        return Dates.YEAR_FIRST, False
    fitting = {dates: own for dates, own in whole.items() if len(own) == most}
    likely = [dates for dates, own in fitting.items() if most > 1 and _follows(own)]
    chosen = likely or list(fitting)
    apart = {
        dates: float(np.abs(np.diff(fitting[dates])).mean()) if most > 1 else 0.0
        for dates in chosen
    }
    best = min(chosen, key=lambda dates: apart[dates])
    # The same days in two orders are no question.
    rivals = [d for d in chosen if d != best and not np.array_equal(fitting[d], fitting[best])]
    if likely:
        return best, not rivals
    return best, all(apart[dates] > apart[best] for dates in chosen if dates != best)


def _follows(days: Seconds) -> bool:
    """Whether days go forward, but where another instrument begins, and none is of a weekend."""
    weekend = (days // DAY + 3) % 7 >= 5
    return go_forward(days.tolist()) and not weekend.any()
