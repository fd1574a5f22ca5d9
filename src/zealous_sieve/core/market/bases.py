"""The bases: lengths of bar that are kept as they come in; all others are built from them."""

from __future__ import annotations

from enum import IntEnum

import numpy as np

from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import of_seconds


class Base(IntEnum):
    """The numbers stand in the database."""

    TRADES = 1
    SECOND = 2
    MINUTE = 3
    FIVE_MINUTES = 4
    FIFTEEN_MINUTES = 5
    DAY = 6
    HOUR = 7

    @property
    def seconds(self) -> int:
        """The length of its bars; trades have none."""
        return _SECONDS[self]

    @property
    def word(self) -> str:
        """How it is written in messages and on the command line."""
        return _WORDS[self]


_SECONDS = {
    Base.TRADES: 0,
    Base.SECOND: 1,
    Base.MINUTE: 60,
    Base.FIVE_MINUTES: 300,
    Base.FIFTEEN_MINUTES: 900,
    Base.HOUR: 3600,
    Base.DAY: 86_400,
}
_WORDS = {
    Base.TRADES: "trades",
    Base.SECOND: "1s",
    Base.MINUTE: "1m",
    Base.FIVE_MINUTES: "5m",
    Base.FIFTEEN_MINUTES: "15m",
    Base.HOUR: "1h",
    Base.DAY: "1d",
}


def series_of(panel: Panel, base: Base, code: str) -> Series:
    """The bars of a base that a panel holds of one instrument; no bars where it holds none."""
    for own in panel.bases:
        if own.duration == base.seconds and code in own.places:
            return own.series(code)
    return np.empty(0, np.int64), {}


def base_of(seconds: int) -> Base:
    """The base with bars of that length. Raises DataError ``no_such_base``."""
    for base, length in _SECONDS.items():
        if length == seconds and base != Base.TRADES:
            return base
    kept = ", ".join(_WORDS[base] for base in sorted(_SECONDS, key=lambda b: _SECONDS[b])[1:])
    message = f"these are bars of {of_seconds(seconds)}, which are not kept; kept are {kept}"
    faster = [b for b, own in _SECONDS.items() if own and seconds % own == 0]
    best = max(faster, key=lambda b: _SECONDS[b])
    mend = f"import bars of {_WORDS[best]}: those of {of_seconds(seconds)} are built from them"
    raise DataError(Problem(code="no_such_base", message=message, mend=mend))
