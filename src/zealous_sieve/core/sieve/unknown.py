"""Why a condition is unknown: three causes, told apart and told."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.known import lacks
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.terms import Known, Source, beside_the_bars
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import Formula


class Cause(StrEnum):
    HISTORY = "too little history"
    DATA = "not in the data"
    UNDEFINED = "undefined here"


@dataclass(frozen=True, kw_only=True, slots=True)
class Unknown:
    """A cause, and what is missing in words."""

    cause: Cause
    words: str


def why_unknown(formula: Formula, panel: Panel, position: int, row: int) -> Unknown:
    """Why a condition is unknown at a row of an instrument's bars."""
    assert formula.value is not None
    for term in beside_the_bars(formula.value.term):
        if lacks(term, panel, position):
            return Unknown(cause=Cause.DATA, words=f"no {name_of(term)}")
    for frame, need in formula.history.items():
        have = _bars_until(panel, position, row, frame)
        if have < need:
            where = f" of {frame}" if frame else ""
            words = f"needs {need:,} bars{where}, has {have:,}"
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
