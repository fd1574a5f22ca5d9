"""Numbers as they are written elsewhere: a point or a comma before the decimals, thousands parted."""

from __future__ import annotations

import re
from collections.abc import Sequence

_SPACES = str.maketrans("", "", " \u00a0\u202f'\u2019_")
_FORMS = {
    decimal: re.compile(
        rf"[+-]?(?:\d+|\d{{1,3}}(?:{re.escape(other)}\d{{3}})+)?(?:{re.escape(decimal)}\d*)?"
        r"(?:[eE][+-]?\d+)?"
    )
    for decimal, other in ((".", ","), (",", "."))
}
THOUSANDS = {".": ",", ",": "."}
"""What parts thousands, by what stands before the decimals."""


def number(text: str, decimal: str) -> float | None:
    """A text as a number; None where it is none in this way of writing."""
    text = text.strip().translate(_SPACES)
    if not text or not _FORMS[decimal].fullmatch(text):
        return None
    try:
        return float(text.replace(THOUSANDS[decimal], "").replace(decimal, "."))
    except ValueError:
        return None


NOTHING = frozenset(("", "nan", "na", "n/a", "null", "none", "-"))
"""How a number that is not there is written, in small letters."""


def is_number(text: str) -> bool:
    """Whether a text is a number in any way of writing."""
    return any(number(text, decimal) is not None for decimal in THOUSANDS)


def decimal_of(cells: Sequence[str], separator: str) -> tuple[str, bool]:
    """What stands before the decimals in most of some numbers, and whether that is sure."""
    votes = {".": 0, ",": 0}
    for cell in cells:
        for decimal in votes:
            other = THOUSANDS[decimal]
            other_reads = number(cell, other) is not None
            votes[decimal] += number(cell, decimal) is not None and not other_reads
    best = max(votes, key=lambda decimal: votes[decimal])
    if votes[best]:
        return best, True
    marks = {mark for cell in cells for mark in (".", ",") if re.fullmatch(rf"\d+\{mark}\d+", cell)}
    if "," in marks and "." not in marks:
        return ("," if separator != "," else "."), False
    return ".", True
