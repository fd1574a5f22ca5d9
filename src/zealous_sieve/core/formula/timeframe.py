"""What makes a bar: a stretch of the clock, or so much movement, so many trades, so much volume."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from zealous_sieve.core.errors import Problem

DAY = 86_400


class ClockUnit(StrEnum):
    SECOND = "s"
    MINUTE = "m"
    HOUR = "h"
    DAY = "d"
    WEEK = "w"
    MONTH = "mo"


@dataclass(frozen=True, kw_only=True, slots=True)
class _Stretch:
    name: str
    seconds: int
    trading_days: int = 0
    """Daily bars in it, where five make a week; 0 for what is shorter than a day."""


_STRETCHES = {
    ClockUnit.SECOND: _Stretch(name="second", seconds=1),
    ClockUnit.MINUTE: _Stretch(name="minute", seconds=60),
    ClockUnit.HOUR: _Stretch(name="hour", seconds=3600),
    ClockUnit.DAY: _Stretch(name="day", seconds=DAY, trading_days=1),
    ClockUnit.WEEK: _Stretch(name="week", seconds=7 * DAY, trading_days=5),
    ClockUnit.MONTH: _Stretch(name="month", seconds=30 * DAY, trading_days=22),
}


@dataclass(frozen=True, slots=True)
class Timeframe:
    """Bars by the clock: ``count`` spans each, such as 80 minutes or 2 weeks."""

    count: int
    unit: ClockUnit

    @property
    def seconds(self) -> int:
        """Its length; a month counts as 30 days."""
        return self.count * _STRETCHES[self.unit].seconds

    @property
    def intraday(self) -> bool:
        return not _STRETCHES[self.unit].trading_days

    @property
    def trading_days(self) -> int:
        """Daily bars to one of its bars, where five make a week; 1 for what is shorter."""
        return self.count * _STRETCHES[self.unit].trading_days or 1

    @property
    def stretch(self) -> str:
        """What it counts, in words: ``minute``."""
        return _STRETCHES[self.unit].name

    @property
    def name(self) -> str:
        """In words: ``80 minutes``."""
        return f"{self.count} {self.stretch}{'s' if self.count > 1 else ''}"

    def __str__(self) -> str:
        return f"{self.count}{self.unit}"


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

    @property
    def name(self) -> str:
        """In words: ``bricks of 10 price steps, turning after 20``."""
        return _FORMS[self.form].format(size=self.size, reversal=self.reversal)

    def __str__(self) -> str:
        sizes = f"{self.size}, {self.reversal}" if self.reversal else f"{self.size}"
        return f"{self.form}({sizes})"


_FORMS = {
    Form.BRICK: "bricks of {size:,} price steps, turning after {reversal:,}",
    Form.TICKS: "{size:,} trades",
    Form.RANGE: "a range of {size:,} price steps",
    Form.VOLUME: "{size:,} units traded",
}
_WRITTEN = re.compile(rf"([1-9]\d{{0,4}})({'|'.join(sorted(ClockUnit, key=len, reverse=True))})")
_FORM_WRITTEN = re.compile(
    rf"({'|'.join(Form)})\(\s*(\d{{1,9}})\s*(?:,\s*(\d{{1,9}})\s*)?\)", re.ASCII
)
BarRule = Timeframe | BarKind
"""Anything that can stand where a timeframe is asked for."""


def read_timeframe(text: str) -> BarRule | None:
    """The timeframe written as ``80m`` or ``1w``, or the bar kind written as ``brick(10, 20)``;
    ``None`` when it is neither. A brick turns after twice its size where only that is given."""
    found = _WRITTEN.fullmatch(text.strip())
    if found:
        return Timeframe(int(found[1]), ClockUnit(found[2]))
    kind = _FORM_WRITTEN.fullmatch(text.strip())
    if not kind or int(kind[2]) == 0 or kind[3] in ("0", "00"):
        return None
    form, size = Form(kind[1]), int(kind[2])
    if form == Form.BRICK:
        return BarKind(form, size, int(kind[3]) if kind[3] else 2 * size)
    return None if kind[3] else BarKind(form, size)


def bars_problem(text: str) -> Problem | None:
    """What is wrong with a text that should say what a bar is; ``None`` where it does."""
    if read_timeframe(text) is not None:
        return None
    message, mend = f"{text!r} are no bars", f"write what a bar is as {WRITTEN_SO}"
    return Problem(code="no_such_timeframe", message=message, mend=mend)


def timeframe(text: str) -> BarRule:
    """The timeframe or bar kind written so, where that has been checked before."""
    found = read_timeframe(text)
    assert found is not None, text
    return found


def of_seconds(seconds: int) -> Timeframe:
    """The timeframe of bars that many seconds long, in its largest whole unit up to days."""
    for unit in (ClockUnit.DAY, ClockUnit.HOUR, ClockUnit.MINUTE):
        if seconds % _STRETCHES[unit].seconds == 0:
            return Timeframe(seconds // _STRETCHES[unit].seconds, unit)
    return Timeframe(seconds, ClockUnit.SECOND)


OFFERED = (
    *(timeframe(text) for text in ("5m", "15m", "80m", "1d", "1w", "1mo")),
    BarKind(Form.BRICK, 10, 20),
    BarKind(Form.RANGE, 12),
    BarKind(Form.TICKS, 500),
    BarKind(Form.VOLUME, 10_000),
)
"""What is offered first where bars are chosen; any other can be written."""
WRITTEN_SO = "1w, 80m, brick(10, 20), range(12), ticks(500) or volume(10000)"
"""For messages about what can't be read."""
