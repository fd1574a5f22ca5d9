"""Timeframes: a whole number of seconds, minutes, hours, days, weeks or months."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

DAY = 86_400
_WRITTEN = re.compile(r"([1-9]\d{0,4})(mo|s|m|h|d|w)")


class Span(StrEnum):
    SECOND = "s"
    MINUTE = "m"
    HOUR = "h"
    DAY = "d"
    WEEK = "w"
    MONTH = "mo"


_SECONDS = {
    Span.SECOND: 1,
    Span.MINUTE: 60,
    Span.HOUR: 3600,
    Span.DAY: DAY,
    Span.WEEK: 7 * DAY,
    Span.MONTH: 30 * DAY,
}


@dataclass(frozen=True, slots=True)
class Timeframe:
    """``count`` spans a bar, such as 80 minutes or 2 weeks."""

    count: int
    span: Span

    @property
    def seconds(self) -> int:
        """Its length; a month counts as 30 days."""
        return self.count * _SECONDS[self.span]

    @property
    def intraday(self) -> bool:
        return self.span in (Span.SECOND, Span.MINUTE, Span.HOUR)

    @property
    def trading_days(self) -> int:
        """Daily bars to one of its bars, where five make a week; 1 for what is shorter."""
        days = {Span.DAY: 1, Span.WEEK: 5, Span.MONTH: 22}.get(self.span)
        return self.count * days if days else 1

    def __str__(self) -> str:
        return f"{self.count}{self.span}"


def read_timeframe(text: str) -> Timeframe | None:
    """The timeframe written as ``80m`` or ``1w``; ``None`` when it is not one."""
    found = _WRITTEN.fullmatch(text)
    return Timeframe(int(found[1]), Span(found[2])) if found else None


def timeframe(text: str) -> Timeframe:
    """The timeframe written so, where that has been checked before."""
    found = read_timeframe(text)
    assert found is not None, text
    return found


def of_seconds(seconds: int) -> Timeframe:
    """The timeframe of bars that many seconds long, in its largest whole span up to days."""
    for span in (Span.DAY, Span.HOUR, Span.MINUTE):
        if seconds % _SECONDS[span] == 0:
            return Timeframe(seconds // _SECONDS[span], span)
    return Timeframe(seconds, Span.SECOND)
