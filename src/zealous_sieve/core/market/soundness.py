"""What a sound bar is, and a code: whoever brings or mends one is held to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.functions.catalogue import EXTRAS

OPTIONAL = EXTRAS
EARLIEST, LATEST = -5_364_662_400, 7_258_118_400
"""Times are taken from 1800 up to 2200: what lies outside is no time of a bar."""
PRICES = ("open", "high", "low", "close")
LONGEST_CODE = 40


def code_fault(code: object) -> str | None:
    """Why something can't be the code of an instrument; ``None`` when it can."""
    if not isinstance(code, str):
        return "a code has to be a text"
    if not code:
        return "the code is empty"
    if code != code.strip():
        return "the code has spaces around it"
    if len(code) > LONGEST_CODE:
        return f"a code has at most {LONGEST_CODE} characters, this has {len(code):,}"
    if not code.isprintable() or '"' in code:
        return "the code holds a character that can't be written in a formula"
    if "<" in code or ">" in code:
        return "the code holds < or >, as if it were markup"
    if code.strip(".") == "":
        return "a code can't be of points alone"
    if code[0] == "/" or code[-1] == "/":
        return "a code can't begin or end with /"
    if code[0] in "=+-@":
        return "a code can't begin with = + - or @, which spreadsheets read as a formula"
    return None


OUTSIDE = "a bar has a time between 1800 and 2200"


def outside_of_time(times: Times) -> NDArray[np.bool_]:
    """The times at which there can't be a bar."""
    return (times < EARLIEST) | (times >= LATEST)


def stamp_of(seconds: int) -> str:
    """A moment as it stands in messages."""
    return str(np.datetime64(seconds, "s"))


NOT_ABOVE_ZERO = "a price has to be above zero"


def value_faults(
    columns: Mapping[str, Column], *, negative: bool = False
) -> Iterator[tuple[str, NDArray[np.bool_], str]]:
    """What can be wrong with the values of bars: the column, the rows concerned, and why. Prices may be
    ``negative`` where that is said of their instruments."""
    for name in (*PRICES, "volume"):
        yield name, ~np.isfinite(columns[name]), "a finite number is needed"
    for name in () if negative else PRICES:
        yield name, columns[name] <= 0, NOT_ABOVE_ZERO
    yield "volume", columns["volume"] < 0, "volume can't be negative"
    extras = [name for name in OPTIONAL if name in columns]
    for name in extras:
        yield name, columns[name] < 0, "this can't be negative"
        yield name, np.isinf(columns[name]), "a finite number is needed"
    top = np.maximum(np.maximum(columns["open"], columns["close"]), columns["low"])
    bottom = np.minimum(columns["open"], columns["close"])
    yield "high", columns["high"] < top, "the high is below another price of the bar"
    yield "low", columns["low"] > bottom, "the low is above another price of the bar"
