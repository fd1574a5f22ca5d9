"""Why a setup is undecided: its causes, told apart and told."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.known import lacking_of
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.terms import Known, Source, beside_the_bars
from zealous_sieve.core.formula.timeframe import BarKind, ClockUnit, of_seconds, timeframe
from zealous_sieve.core.formula.typed import Formula


class Cause(StrEnum):
    HISTORY = "too little history"
    DATA = "not in the data"
    UNDEFINED = "undefined here"
    ALIKE = "both sides alike"
    """It is known, and holds for both sides."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Unknown:
    """A cause, and what is missing in words."""

    cause: Cause
    words: str


def why_unknown(formula: Formula, panel: Panel, position: int, row: int) -> Unknown:
    """Why a condition is unknown at a row of an instrument's bars."""
    assert formula.value is not None
    for term in beside_the_bars(formula.value.term):
        if lacking_of(term, panel)(position):
            return Unknown(cause=Cause.DATA, words=f"no {name_of(term)}")
    for frame, need in formula.history.items():
        have = _bars_until(panel, position, row, frame)
        if have < need:
            where = f" of {frame}" if frame else ""
            words = f"needs {need:,} bars{where}, has {have:,}"
            words += _known_from(panel, position, row, frame, need - have)
            return Unknown(cause=Cause.HISTORY, words=words)
    return Unknown(cause=Cause.UNDEFINED, words="no such value at this bar")


def _bars_until(panel: Panel, position: int, row: int, frame: str) -> int:
    """Bars of a timeframe (the panel's own where none is named) that had closed with a row."""
    if not frame:
        return row + 1 - int(panel.starts[position])
    moment = panel.close_times(slice(row, row + 1))[0]
    slower = bars_of(panel, timeframe(frame))
    closes = slower.close_times(slower.rows(position))
    return int(np.searchsorted(closes, moment, side="right"))


def _known_from(panel: Panel, position: int, row: int, frame: str, missing: int) -> str:
    """The day from which so many more bars will be there, counted in sessions of the venue after that of
    the row; nothing where there is none, where bars do not go by the clock, or where it is too far."""
    rule = timeframe(frame) if frame else panel.rule or of_seconds(panel.duration)
    if isinstance(rule, BarKind) or panel.duration == 0 or row < panel.starts[position]:
        return ""
    calendar = panel.known(position).calendar
    day = panel.days(position, panel.times[row : row + 1])
    if rule.intraday:
        ahead = math.ceil(missing * rule.seconds / (60 * calendar.minutes))
    else:
        ahead = missing * rule.count
    upcoming = calendar.after(day, 1) if panel.five_day else day + 1
    if rule.unit == ClockUnit.MONTH:
        month = upcoming.astype("datetime64[D]").astype("datetime64[M]") + ahead
        last = month.astype("datetime64[D]").astype(np.int64) - 1
    elif rule.unit == ClockUnit.WEEK:
        last = (upcoming + 3) // 7 * 7 - 3 + 7 * ahead - 1
    else:
        last = calendar.after(day, ahead) if panel.five_day else day + ahead
    last = calendar.last_session(last) if panel.five_day else last
    ordinal = date(1970, 1, 1).toordinal() + int(last[0])
    if not 0 < ordinal < date.max.toordinal():
        return ""
    at = date.fromordinal(ordinal)
    return f": known from about {at.day} {at:%b %Y} on"


def name_of(term: Source) -> str:
    """What the data lack, in words."""
    if isinstance(term, Known):
        what = {"is": "fact", "to_event": "calendar of"}.get(term.what, term.what)
        return f'{what} "{term.name}"'
    return _WORDS.get(term.field, term.field.strip("_").replace("_", " "))


_WORDS = {
    "buy_volume": "trades with their sides",
    "sell_volume": "trades with their sides",
    "skipped_levels": "trades",
    "feed_lag_ms": "delays of the feed",
    "form_seconds": "bars within the day",
    "_session_opens": "bars within the day",
    "_session_closes": "trading hours, or no bars within the day",
    "_bars_a_year": "bars by the clock",
}
