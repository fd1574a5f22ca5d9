"""Rows of lists from elsewhere as instruments, events and venues."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import replace
from functools import lru_cache

from zealous_sieve.core.errors import DataError
from zealous_sieve.core.intake.layout import Dates, Layout
from zealous_sieve.core.intake.moments import MomentReader
from zealous_sieve.core.intake.numbers import number
from zealous_sieve.core.market.instruments import (
    DatedFact,
    Event,
    Fact,
    Instrument,
    InstrumentKind,
    Venue,
)
from zealous_sieve.core.market.soundness import LONGEST_CODE, code_fault

ForeignRow = Mapping[str, str]
"""Texts by the names of a table's columns."""


class RowFault(Exception):  # noqa: N818 - it is a fault of the row, told as a refusal
    """Why a row can't be taken: the column, its value, and the reason."""

    def __init__(self, column: str, value: str, reason: str) -> None:
        super().__init__(reason)
        self.column, self.value, self.reason = column, value, reason


def _text(layout: Layout, row: ForeignRow, field: str) -> str:
    column = layout.column(field)
    return row.get(column, "") if column else ""


def _fault(layout: Layout, row: ForeignRow, field: str, reason: str) -> RowFault:
    return RowFault(layout.columns.get(field, field), _text(layout, row, field), reason)


def _code(layout: Layout, row: ForeignRow, field: str) -> str:
    code = _text(layout, row, field)
    reason = code_fault(code)
    if reason:
        raise _fault(layout, row, field, reason)
    return code


def _above_zero(layout: Layout, row: ForeignRow, field: str, before: float) -> float:
    text = _text(layout, row, field)
    if not text:
        return before
    value = number(text, layout.decimal)
    if value is None or not 0 < value < float("inf"):
        raise _fault(layout, row, field, "this has to be a number above zero")
    return value


def instrument_of(
    layout: Layout, row: ForeignRow, before: Instrument | None, venues: Collection[str]
) -> Instrument:
    """An instrument with its facts, which are all columns that are nothing else; what a row leaves empty
    stays as it was ``before``. Raises RowFault."""
    code = _code(layout, row, "code")
    known = before or Instrument(code=code, name=code)
    venue = _text(layout, row, "venue") or known.venue
    if venue and venue not in venues:
        raise _fault(layout, row, "venue", f"there is no venue {venue}: import venues first")
    return replace(
        known,
        name=_text(layout, row, "name") or known.name,
        kind=_kind(layout, row, known.kind),
        venue=venue,
        currency=_text(layout, row, "currency") or known.currency,
        tick=_above_zero(layout, row, "tick", known.tick),
        point_value=_above_zero(layout, row, "point_value", known.point_value),
        facts={**known.facts, **_facts(layout, row)},
    )


def _facts(layout: Layout, row: ForeignRow) -> dict[str, Fact]:
    """Every column that is nothing else and has a value, as a fact."""
    used = set(layout.columns.values())
    return {
        fact_name(column): _fact(text, layout.decimal)
        for column, text in row.items()
        if column not in used and text
    }


def facts_of(layout: Layout, row: ForeignRow, codes: Collection[str]) -> list[DatedFact]:
    """The facts of a row with the moments from which they held and were known. Raises RowFault."""
    code = _text(layout, row, "instrument")
    if code not in codes:
        raise _fault(layout, row, "instrument", f"there is no instrument {code}: bring it in first")
    held = _moment(layout, row, "time")
    known = _moment(layout, row, "known") if _text(layout, row, "known") else None
    values = _facts(layout, row)
    if "fact" in layout.columns:
        name, value = _text(layout, row, "fact"), _text(layout, row, "value")
        if not name:
            raise _fault(layout, row, "fact", "nothing says which fact this is")
        values = {fact_name(name): _fact(value, layout.decimal)} if value else {}
    if not values:
        raise _fault(
            layout, row, "value" if "fact" in layout.columns else "all", "there is no value"
        )
    return [
        DatedFact(code=code, name=name, value=value, held=held, known=known)
        for name, value in values.items()
    ]


@lru_cache(maxsize=4)
def _reader(dates: Dates, zone: str) -> MomentReader:
    return MomentReader(dates, zone)


def _moment(layout: Layout, row: ForeignRow, field: str) -> int:
    """The moment in a column, in seconds since 1970; a day counts from its beginning in the zone."""
    found = _reader(layout.dates, layout.zone).read([_text(layout, row, field)])
    if found.faults:
        raise _fault(layout, row, field, found.faults[0])
    return int(found.utc[0])


def _kind(layout: Layout, row: ForeignRow, before: InstrumentKind) -> InstrumentKind:
    text = _text(layout, row, "kind").lower()
    if not text:
        return before
    kinds = [kind for kind in InstrumentKind if kind != InstrumentKind.PAIR]
    if text not in kinds:
        raise _fault(layout, row, "kind", f"a kind is one of {', '.join(kinds)}")
    return InstrumentKind(text)


def fact_name(column: str) -> str:
    """What a column is called as a fact: a word that formulas can name."""
    name = re.sub(r"\W+", "_", column.strip().lower()).strip("_") or "fact"
    return name if name[0].isalpha() else f"fact_{name}"


def _fact(text: str, decimal: str) -> Fact:
    value = number(text, decimal)
    return text if value is None else value


def event_of(layout: Layout, row: ForeignRow, codes: Collection[str]) -> Event:
    """Something scheduled. Raises RowFault for a day that is none, or an instrument that is not known."""
    kind = " ".join(_text(layout, row, "kind").lower().split())
    if not kind or len(kind) > LONGEST_CODE or '"' in kind:
        raise _fault(layout, row, "kind", "a kind of event is a short word, such as report")
    found = _reader(layout.dates, layout.zone).read([_text(layout, row, "time")])
    if found.faults:
        raise _fault(layout, row, "time", found.faults[0])
    announced = _moment(layout, row, "known") if _text(layout, row, "known") else None
    code = _text(layout, row, "instrument") or None
    if code is not None and code not in codes:
        raise _fault(layout, row, "instrument", f"there is no instrument {code}")
    day = int(found.local[0]) // 86_400 * 86_400
    title = _text(layout, row, "title") or kind
    return Event(kind=kind, day=day, title=title, code=code, announced=announced)


def venue_of(layout: Layout, row: ForeignRow) -> Venue:
    """A venue with its calendar. Raises RowFault for hours or days that can't be read."""
    venue = Venue(
        name=_code(layout, row, "name"),
        hours=_text(layout, row, "hours"),
        zone=_text(layout, row, "zone") or "UTC",
        half_days=_text(layout, row, "half_days"),
        holidays=_text(layout, row, "holidays"),
    )
    try:
        venue.session()
    except DataError as error:
        raise _fault(layout, row, "hours", str(error.problem)) from None
    return venue
