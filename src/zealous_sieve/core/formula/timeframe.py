"""What makes a bar: a stretch of the clock, or so much movement, so many trades, so much volume."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

DAY = 86_400
_WRITTEN = re.compile(r"([1-9]\d{0,4})(mo|s|m|h|d|w)")
_KIND_WRITTEN = re.compile(r"(brick|ticks|range|volume)\(\s*(\d{1,9})\s*(?:,\s*(\d{1,9})\s*)?\)")


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
    """Bars by the clock: ``count`` spans each, such as 80 minutes or 2 weeks."""

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


class Form(StrEnum):
    """What a bar waits for, if not for the clock."""

    BRICK = "brick"
    TICKS = "ticks"
    RANGE = "range"
    VOLUME = "volume"


@dataclass(frozen=True, slots=True)
class BarKind:
    """Bars by what happens.

    ``size`` counts price steps (``brick``, ``range``), trades (``ticks``) or units traded
    (``volume``). ``reversal`` counts the price steps after which a brick turns, 0 for other forms.
    """

    form: Form
    size: int
    reversal: int = 0

    @property
    def trading_days(self) -> int:
        return 1

    def __str__(self) -> str:
        sizes = f"{self.size}, {self.reversal}" if self.form == Form.BRICK else f"{self.size}"
        return f"{self.form}({sizes})"


BarRule = Timeframe | BarKind
"""Anything that can stand where a timeframe is asked for."""


def read_timeframe(text: str) -> BarRule | None:
    """The timeframe written as ``80m`` or ``1w``, or the bar kind written as ``brick(10, 20)``;
    ``None`` when it is neither. A brick turns after twice its size where only that is given."""
    found = _WRITTEN.fullmatch(text.strip())
    if found:
        return Timeframe(int(found[1]), Span(found[2]))
    kind = _KIND_WRITTEN.fullmatch(text.strip())
    if not kind or int(kind[2]) == 0 or kind[3] in ("0", "00"):
        return None
    form, size = Form(kind[1]), int(kind[2])
    if form == Form.BRICK:
        return BarKind(form, size, int(kind[3]) if kind[3] else 2 * size)
    return None if kind[3] else BarKind(form, size)


def timeframe(text: str) -> BarRule:
    """The timeframe or bar kind written so, where that has been checked before."""
    found = read_timeframe(text)
    assert found is not None, text
    return found


def of_seconds(seconds: int) -> Timeframe:
    """The timeframe of bars that many seconds long, in its largest whole span up to days."""
    for span in (Span.DAY, Span.HOUR, Span.MINUTE):
        if seconds % _SECONDS[span] == 0:
            return Timeframe(seconds // _SECONDS[span], span)
    return Timeframe(seconds, Span.SECOND)
