"""Tables with instruments across: a column for each of them, or for each of their fields."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from zealous_sieve.core.intake.layout import LAYOUT_FIELDS, Content, bare_name
from zealous_sieve.core.intake.moments import is_moment
from zealous_sieve.core.intake.numbers import NOTHING, is_number
from zealous_sieve.core.market.soundness import code_fault

_PRICES = ("open", "high", "low", "close", "volume")
_WORDS = {
    word: own.name
    for own in LAYOUT_FIELDS[Content.BARS]
    if own.name in _PRICES
    for word in own.words
}
_OTHERS = {word for own in LAYOUT_FIELDS[Content.BARS] for word in own.words} - _WORDS.keys()
_ADJUSTED = {"adjclose", "adjustedclose", "adj"}
_PAIR = re.compile(r"\(?\s*['\"](.+?)['\"]\s*,\s*['\"](.*?)['\"]\s*\)?$")
"""How a name of two levels is written as one text."""
_FEWEST = 2
"""So many columns of instruments make a table of them."""


@dataclass(frozen=True, kw_only=True)
class AcrossColumns:
    """Of each column but that of the times the instrument and the field; ``None`` for one that is nothing.
    The table's rows begin after so many ``headers``."""

    time: int
    headers: int
    columns: tuple[tuple[str, str] | None, ...]

    @property
    def codes(self) -> tuple[str, ...]:
        """The instruments, in the order of their columns."""
        return tuple(dict.fromkeys(own[0] for own in self.columns if own))

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields that any of them has."""
        there = {own[1] for own in self.columns if own}
        return tuple(name for name in _PRICES if name in there)


def across_of(rows: Sequence[Sequence[str]]) -> AcrossColumns | None:
    """How the first rows of a table, headers included, have instruments across; ``None`` where they have
    columns of one instrument, or of all."""
    width = len(rows[0]) if rows else 0
    rows = [row for row in rows if len(row) == width]
    if len(rows) < _FEWEST or width < _FEWEST + 1:
        return None
    return _two_levels(rows) or _one_level(rows)


def _two_levels(rows: Sequence[Sequence[str]]) -> AcrossColumns | None:
    """Fields above codes or codes above fields, in two rows or in names of both."""
    names = [_PAIR.match(cell.strip()) for cell in rows[0]]
    if sum(map(bool, names)) >= _FEWEST:
        return _levels([(n[1].strip(), n[2].strip()) if n else ("", "") for n in names], rows, 1)
    if len(rows) <= _FEWEST:
        return None
    headers = 2 if any(cell.strip() for cell in rows[2][1:]) else 3
    pairs = [(a.strip(), b.strip()) for a, b in zip(rows[0], rows[1], strict=True)]
    return _levels(pairs, rows, headers)


def _levels(
    pairs: Sequence[tuple[str, str]], rows: Sequence[Sequence[str]], headers: int
) -> AcrossColumns | None:
    time = _time_of(rows[headers:])
    if time is None or any(is_moment(text) for text in pairs[time]):
        return None
    found: list[tuple[str, str] | None] = []
    for place, (first, second) in enumerate(pairs):
        field, code = _WORDS.get(bare_name(first)), second
        if field is None:
            field, code = _WORDS.get(bare_name(second)), first
        if place == time or _ADJUSTED & {bare_name(first), bare_name(second)}:
            found.append(None)
        elif field is None or code_fault(code) is not None or _is_price(code):
            return None
        else:
            found.append((code, field))
    there = [own for own in found if own]
    closed = {code for code, field in there if field == "close"}
    whole = len(set(there)) == len(there) and closed == {code for code, _ in there}
    return AcrossColumns(time=time, headers=headers, columns=tuple(found)) if whole else None


def _one_level(rows: Sequence[Sequence[str]]) -> AcrossColumns | None:
    """The times, and beside them a column of closes for each instrument."""
    time = _time_of(rows[1:])
    if time is None:
        return None
    names = [cell.strip() for cell in rows[0]]
    others = [name for place, name in enumerate(names) if place != time]
    fields = {bare_name(name) for name in others} & (_WORDS.keys() | _OTHERS | _ADJUSTED)
    if fields or len(set(names)) != len(names):
        return None
    if any(code_fault(name) is not None or is_moment(name) or _is_price(name) for name in others):
        return None
    columns = (None if n == time else (name, "close") for n, name in enumerate(names))
    return AcrossColumns(time=time, headers=1, columns=tuple(columns))


def _time_of(rows: Sequence[Sequence[str]]) -> int | None:
    """The column of the moments, where all else in the rows is a number or nothing."""
    body = [row for row in rows if any(cell.strip() for cell in row)]
    columns = list(zip(*body, strict=True))
    times = [n for n, own in enumerate(columns) if all(map(is_moment, own))]
    if not times:
        return None
    others = (cell for n, own in enumerate(columns) if n != times[0] for cell in own)
    return times[0] if all(map(_is_price, others)) else None


def _is_price(text: str) -> bool:
    return text.strip().casefold() in NOTHING or is_number(text)
