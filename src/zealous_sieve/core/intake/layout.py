"""How a table from elsewhere is written, and which of its columns is what."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from zealous_sieve.core.engine.session import clock_of
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.functions.catalogue import EXTRAS
from zealous_sieve.core.market.instruments import InstrumentKind


class Content(StrEnum):
    """What a table holds."""

    BARS = "bars"
    TRADES = "trades"
    INSTRUMENTS = "instruments"
    FACTS = "facts"
    EVENTS = "events"
    VENUES = "venues"

    @property
    def timed(self) -> bool:
        """Whether its rows have a moment and belong to instruments by their prices."""
        return self in (Content.BARS, Content.TRADES)


class Dates(StrEnum):
    """In what order the parts of a date stand, whatever is between them; or since when it counts."""

    YEAR_FIRST = "year month day"
    DAY_FIRST = "day month year"
    MONTH_FIRST = "month day year"
    SECONDS = "seconds since 1970"
    MILLISECONDS = "milliseconds since 1970"
    MICROSECONDS = "microseconds since 1970"
    NANOSECONDS = "nanoseconds since 1970"


class Adjusted(StrEnum):
    """What is made of the adjusted closes of a table."""

    LEFT = "left alone"
    MEND = "splits and payments"
    LINE = "a line of their own"


class Question(StrEnum):
    """What its owner has to say of a table in which it can't be seen."""

    DATES = "dates"


class Encoding(StrEnum):
    UTF_8 = "utf-8"
    UTF_16 = "utf-16"
    WESTERN = "cp1252"


SEPARATORS = (",", ";", "\t", "|")
DECIMALS = (".", ",")


@dataclass(frozen=True, kw_only=True)
class Field:
    """Something that a column can be: ``words`` are names that columns of it often have."""

    name: str
    told: str
    words: tuple[str, ...] = ()
    needed: bool = False


_INSTRUMENT = ("instrument", "code", "symbol", "ticker", "security", "isin", "item")
_TIME = ("time", "datetime", "date", "timestamp", "day", "moment", "at", "tradedate", "dateandtime")
_CLOCK = ("time", "clock", "hour", "timeofday", "hours")
_KNOWN = (
    "knownfrom",
    "known",
    "knownsince",
    "announced",
    "announcedon",
    "published",
    "publishedon",
    "released",
    "filed",
    "available",
    "availablefrom",
)
_BARS = (
    Field(name="instrument", told="instrument", words=_INSTRUMENT),
    Field(name="time", told="time or date", words=_TIME, needed=True),
    Field(name="clock", told="time of day", words=_CLOCK),
    Field(name="open", told="open", words=("open", "o", "opening", "first")),
    Field(name="high", told="high", words=("high", "h", "max", "highest")),
    Field(name="low", told="low", words=("low", "l", "min", "lowest")),
    Field(
        name="close",
        told="close",
        words=("close", "c", "closing", "last", "price", "value", "settle"),
        needed=True,
    ),
    Field(name="volume", told="volume", words=("volume", "vol", "v", "quantity", "size")),
    Field(
        name="adjusted",
        told="adjusted close",
        words=("adjclose", "adjustedclose", "closeadj", "closeadjusted", "adjusted", "adj"),
    ),
    *(Field(name=n, told=n.replace("_", " "), words=(n.replace("_", ""),)) for n in EXTRAS),
    Field(name="known", told="known from", words=_KNOWN),
)
_TRADES = (
    *_BARS[:3],
    Field(name="price", told="price", words=("price", "p", "last", "rate"), needed=True),
    Field(
        name="size",
        told="size",
        words=("size", "quantity", "volume", "amount", "qty", "vol"),
        needed=True,
    ),
    Field(name="side", told="side of the taker", words=("side", "direction", "taker", "buysell")),
)
_INSTRUMENTS = (
    Field(name="code", told="code", words=_INSTRUMENT, needed=True),
    Field(name="name", told="name", words=("name", "title", "company", "description")),
    Field(name="kind", told="kind", words=("kind", "type", "class")),
    Field(name="venue", told="venue", words=("venue", "exchange", "market")),
    Field(name="currency", told="currency", words=("currency", "ccy")),
    Field(name="tick", told="price step", words=("tick", "ticksize", "pricestep", "step")),
    Field(
        name="point_value",
        told="worth of one point",
        words=("pointvalue", "multiplier", "contractsize"),
    ),
)
_FACTS = (
    Field(name="instrument", told="instrument", words=_INSTRUMENT, needed=True),
    Field(
        name="time",
        told="held from",
        words=("heldfrom", "held", "heldsince", "validfrom", "effective", "from", *_TIME, "period"),
        needed=True,
    ),
    Field(name="known", told="known from", words=_KNOWN),
    Field(name="fact", told="name of the fact", words=("fact", "field", "item", "measure")),
    Field(name="value", told="its value", words=("value", "amount")),
)
_EVENTS = (
    Field(name="kind", told="kind", words=("kind", "event", "type"), needed=True),
    Field(name="time", told="day", words=("day", "date", "time", "on"), needed=True),
    Field(name="known", told="announced", words=_KNOWN),
    Field(name="title", told="title", words=("title", "name", "description", "text", "what")),
    Field(name="instrument", told="instrument", words=_INSTRUMENT),
)
_VENUES = (
    Field(
        name="name", told="name", words=("name", "venue", "exchange", "market", "code"), needed=True
    ),
    Field(name="hours", told="hours", words=("hours", "session", "opening"), needed=True),
    Field(name="zone", told="time zone", words=("zone", "timezone", "tz")),
    Field(name="half_days", told="half days", words=("halfdays", "shortdays")),
    Field(name="holidays", told="holidays", words=("holidays", "closed", "closeddays")),
)
LAYOUT_FIELDS: Mapping[Content, tuple[Field, ...]] = {
    Content.BARS: _BARS,
    Content.TRADES: _TRADES,
    Content.INSTRUMENTS: _INSTRUMENTS,
    Content.FACTS: _FACTS,
    Content.EVENTS: _EVENTS,
    Content.VENUES: _VENUES,
}


@dataclass(frozen=True, kw_only=True)
class Layout:
    """How a table is written.

    ``skip`` lines stand before it; without a ``header`` its columns are called "column 1" and so on; so
    many lines ``under`` the header, of units, are no rows. What is ``asked`` can't be seen in the table,
    and has to be said before it is taken. Prices are above zero unless they may be ``negative``.
    ``columns`` has the table's own name of the column of each field that it has. ``zone`` is the clock of
    times that are written without an offset, ``code`` the instrument of a table that names none. Of many
    files ``by_file`` each names its instrument by its own name. Instruments that are not known yet are of
    this ``kind``, priced in this ``currency``. Where they are ``across``, with columns of their own, the
    table is read as rows of instrument, time and prices. Where a column has ``adjusted`` closes, that says
    what is made of them.
    """

    content: Content = Content.BARS
    encoding: Encoding = Encoding.UTF_8
    separator: str = ","
    skip: int = 0
    header: bool = True
    decimal: str = "."
    dates: Dates = Dates.YEAR_FIRST
    asked: tuple[Question, ...] = ()
    under: int = 0
    negative: bool = False
    zone: str = "UTC"
    code: str = ""
    by_file: bool = False
    kind: InstrumentKind = InstrumentKind.OTHER
    currency: str = ""
    across: bool = False
    adjusted: Adjusted = Adjusted.LEFT
    columns: Mapping[str, str] = field(default_factory=dict)

    @property
    def unsaid(self) -> tuple[str, ...]:
        """The prices and the volume that bars have and a table of them does not say."""
        if self.content != Content.BARS:
            return ()
        return tuple(n for n in ("open", "high", "low", "volume") if n not in self.columns)

    @property
    def adjusts(self) -> bool:
        """Whether its adjusted closes are made something of."""
        return "adjusted" in self.columns and self.adjusted != Adjusted.LEFT

    def column(self, name: str) -> str | None:
        """What the table calls the column of a field."""
        return self.columns.get(name)


def bare_name(name: str) -> str:
    """A name by its letters and digits alone, as it is held against words."""
    return re.sub(r"[^a-z0-9]", "", name.lower())


def names_of(row: Sequence[str], *, header: bool) -> list[str]:
    """What the columns are called: by the header's row, each by a name of its own."""
    names: dict[str, None] = {}
    for n, cell in enumerate(row, start=1):
        name = " ".join(cell.split()) if header else ""
        name = name or f"column {n}"
        names[f"{name} ({n})" if name in names else name] = None
    return list(names)


LONGEST_CURRENCY = 20
LONGEST_CODE_TEXT = 40


def code_of_file(stem: str) -> str:
    """The instrument that a file is of by its name, which comes without its ending."""
    return stem[:LONGEST_CODE_TEXT]


def _is_name(text: str) -> bool:
    return len(text) <= LONGEST_CURRENCY and text.isprintable()


def check_layout(layout: Layout, names: Sequence[str]) -> None:
    """Raises DataError ``wrong_columns`` where a column that is needed is not named, or not there, or two
    fields are read from one; ``unknown_zone``, ``wrong_layout``."""
    clock_of(layout.zone)
    if layout.separator not in SEPARATORS or layout.decimal not in DECIMALS:
        message = (
            f"cells can't be separated by {layout.separator!r}, decimals by {layout.decimal!r}"
        )
        mend = "cells are separated by a comma, semicolon, tab or bar, decimals by a point or comma"
        raise DataError(Problem(code="wrong_layout", message=message, mend=mend))
    if layout.kind == InstrumentKind.PAIR or not _is_name(layout.currency):
        message = "instruments of a file can't be pairs, nor be priced in what is no name"
        mend = f"a pair is defined of two; a currency has up to {LONGEST_CURRENCY} characters"
        raise DataError(Problem(code="wrong_layout", message=message, mend=mend))
    fields = {own.name: own for own in LAYOUT_FIELDS[layout.content]}
    problems = []
    for name, column in layout.columns.items():
        if name not in fields:
            problems.append(_wrong(f"{layout.content} have no {name}", "leave it out"))
        elif column not in names:
            problems.append(
                _wrong(f"the table has no column {column!r}", f"it has {_listed(names)}")
            )
    for own in fields.values():
        if own.needed and own.name not in layout.columns:
            mend = f"say which of {_listed(names)} it is"
            problems.append(_wrong(f"no column is the {own.told}", mend))
    used = list(layout.columns.values())
    problems += [
        _wrong(f"the column {column!r} can't be two things", "choose another for one of them")
        for column in sorted({column for column in used if used.count(column) > 1})
    ]
    some = [name for name in ("open", "high", "low") if name in layout.columns]
    if layout.content == Content.BARS and 0 < len(some) < 3:
        mend = "name open, high and low, or none of them where there is one price a bar"
        problems.append(_wrong(f"of open, high and low only {' and '.join(some)} is named", mend))
    if layout.content == Content.FACTS and ("fact" in layout.columns) != (
        "value" in layout.columns
    ):
        mend = "name both, or neither where every other column is a fact of its own"
        problems.append(_wrong("of a fact's name and its value only one is named", mend))
    named = layout.code or layout.by_file
    if layout.content.timed and not named and "instrument" not in layout.columns:
        mend = "choose the column of the instrument, or write the code that all rows belong to"
        problems.append(_wrong("nothing says which instrument the rows belong to", mend))
    if problems:
        raise DataError(*problems)


def _wrong(message: str, mend: str) -> Problem:
    return Problem(code="wrong_columns", message=message, mend=mend, subject="columns")


def _listed(names: Sequence[str], most: int = 12) -> str:
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more
