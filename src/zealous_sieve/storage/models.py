"""The tables. Every thing a user makes has an owner, versions where it changes, and is deleted
softly."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    DateTime,
    Double,
    ForeignKey,
    Identity,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Moment = DateTime(timezone=True)


class Table(DeclarativeBase):
    type_annotation_map = {str: Text, datetime: Moment, dict[str, Any]: JSONB, float: Double}  # noqa: RUF012


class OwnerRow(Table):
    __tablename__ = "owners"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)


class Owned:
    """What belongs to an owner: sessions see and make only that of their own (``owners.py``)."""

    owner_id: Mapped[int] = mapped_column(ForeignKey("owners.id"))


class Worked:
    """How far a piece of work is, whatever it does. ``turn`` counts what was asked of it and each attempt
    at that: what an earlier turn still writes changes nothing."""

    state: Mapped[str]
    reason: Mapped[str | None]
    turn: Mapped[int] = mapped_column(server_default="0")
    attempts: Mapped[int] = mapped_column(server_default="0")
    done: Mapped[int] = mapped_column(BigInteger, server_default="0")
    total: Mapped[int] = mapped_column(BigInteger, server_default="0")
    started_at: Mapped[datetime | None]
    finished_at: Mapped[datetime | None]


class DemoRow(Worked, Table):
    """Bringing the demo, or taking it away; there is one row."""

    __tablename__ = "demo"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)


class SettingRow(Table):
    __tablename__ = "settings"
    key: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]


class InstrumentRow(Table):
    __tablename__ = "instruments"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    code: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    kind: Mapped[str]
    venue: Mapped[str]
    currency: Mapped[str]
    tick: Mapped[float]
    point_value: Mapped[float]
    facts: Mapped[dict[str, Any]]
    deleted_at: Mapped[datetime | None]


class EarlierCodeRow(Table):
    """What an instrument was called before it was renamed, and still leads to it."""

    __tablename__ = "earlier_codes"
    code: Mapped[str] = mapped_column(primary_key=True)
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"), index=True)
    until: Mapped[datetime] = mapped_column(server_default=func.now())


class BarRow(Table):
    """Bars are the truth; blocks are derived from them.

    No foreign key: checking it a row would double the time of loading millions of them, and the
    only writer takes the numbers from the table of instruments.
    """

    __tablename__ = "bars"
    instrument_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    base: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    time: Mapped[datetime] = mapped_column(primary_key=True)
    open: Mapped[float]
    high: Mapped[float]
    low: Mapped[float]
    close: Mapped[float]
    volume: Mapped[float]


class BarExtrasRow(Table):
    """What some bars hold beside their prices and volume; NaN where one of them is not known."""

    __tablename__ = "bar_extras"
    instrument_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    base: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    time: Mapped[datetime] = mapped_column(primary_key=True)
    trades: Mapped[float]
    buy_volume: Mapped[float]
    sell_volume: Mapped[float]
    skipped_levels: Mapped[float]
    feed_lag_ms: Mapped[float]
    known_from: Mapped[float] = mapped_column(server_default=text("'NaN'"))
    """In seconds since 1970."""


class TradeRow(Table):
    """Single trades; ``place`` orders those of one second, ``bought`` is what a buyer took."""

    __tablename__ = "trades"
    instrument_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    time: Mapped[datetime] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    price: Mapped[float]
    size: Mapped[float]
    bought: Mapped[float]
    skipped_levels: Mapped[float]
    feed_lag_ms: Mapped[float]


class VenueRow(Table):
    __tablename__ = "venues"
    name: Mapped[str] = mapped_column(primary_key=True)
    hours: Mapped[str]
    zone: Mapped[str]
    half_days: Mapped[str]
    holidays: Mapped[str]


class EventRow(Table):
    """Something scheduled on a day; without a code it concerns everything."""

    __tablename__ = "events"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    kind: Mapped[str]
    day: Mapped[int] = mapped_column(BigInteger)
    title: Mapped[str]
    code: Mapped[str | None]
    announced: Mapped[int | None] = mapped_column(BigInteger)


class DatedFactRow(Table):
    """A fact that held from one moment on and was known from another on, in seconds since 1970."""

    __tablename__ = "dated_facts"
    __table_args__ = (
        Index("dated_facts_by_moment", "instrument_id", "name", "held", "known", unique=True,
              postgresql_nulls_not_distinct=True),
    )  # fmt: skip
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"))
    name: Mapped[str]
    value: Mapped[str | float] = mapped_column(JSONB)
    held: Mapped[int] = mapped_column(BigInteger)
    known: Mapped[int | None] = mapped_column(BigInteger)


class FormulaRow(Owned, Table):
    """A formula of the desk. A name is free again once its formula is deleted."""

    __tablename__ = "formulas"
    __table_args__ = (
        Index("formulas_by_name", "owner_id", "name", unique=True,
              postgresql_where=text("deleted_at IS NULL")),
    )  # fmt: skip
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    name: Mapped[str]
    version: Mapped[int]
    deleted_at: Mapped[datetime | None]


class FormulaVersionRow(Table):
    __tablename__ = "formula_versions"
    formula_id: Mapped[int] = mapped_column(ForeignKey("formulas.id"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    text: Mapped[str]
    note: Mapped[str]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class BarBlockRow(Table):
    """The bars of one instrument in one closed period, packed for fast loading."""

    __tablename__ = "bar_blocks"
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"), primary_key=True)
    base: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    period: Mapped[datetime] = mapped_column(primary_key=True)
    rows: Mapped[int]
    payload: Mapped[bytes] = mapped_column(LargeBinary)


class OpenPeriodRow(Table):
    """A period whose bars have no block: it has not closed, or its bars have changed since."""

    __tablename__ = "open_periods"
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"), primary_key=True)
    base: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    period: Mapped[datetime] = mapped_column(primary_key=True)


class BarChangeRow(Table):
    """With which version of the data an instrument's bars of a base changed last."""

    __tablename__ = "bar_changes"
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"), primary_key=True)
    base: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    version: Mapped[int] = mapped_column(BigInteger)


class FindingRow(Table):
    __tablename__ = "findings"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"))
    kind: Mapped[str]
    first: Mapped[int] = mapped_column(BigInteger)
    last: Mapped[int] = mapped_column(BigInteger)
    bars: Mapped[int]
    detail: Mapped[str]


class MendingRow(Table):
    """A mending of an instrument's bars, in force until it is taken back; ``body`` is all of it but the
    code."""

    __tablename__ = "mendings"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instruments.id"), index=True)
    body: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[datetime | None]


class ImportRow(Owned, Worked, Table):
    """A file that is brought in."""

    __tablename__ = "imports"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    name: Mapped[str]
    size: Mapped[int] = mapped_column(BigInteger)
    layout: Mapped[dict[str, Any]]
    doubts: Mapped[list[str]] = mapped_column(JSONB)
    names: Mapped[list[str]] = mapped_column(JSONB, server_default="[]")
    account: Mapped[dict[str, Any] | None]
    reversible: Mapped[bool] = mapped_column(server_default="false")
    made: Mapped[list[str]] = mapped_column(JSONB, server_default="[]", deferred=True)
    replaced: Mapped[list[dict[str, Any]]] = mapped_column(
        JSONB, server_default="[]", deferred=True
    )
    uncovered: Mapped[dict[str, Any] | None]
    gathering: Mapped[str] = mapped_column(server_default="", index=True)
    file_count: Mapped[int] = mapped_column(server_default="1")
    lines: Mapped[list[list[Any]]] = mapped_column(JSONB, server_default="[]", deferred=True)
    left_out: Mapped[list[str]] = mapped_column(JSONB, server_default="[]")
    left_rows: Mapped[int] = mapped_column(server_default="0")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class BarLayerRow(Table):
    """What an import wrote of one instrument and base, over what was there before (``layers.py``). It stays
    when the import is taken off the list: others lie below and above."""

    __tablename__ = "bar_layers"
    __table_args__ = (Index("bar_layers_by_series", "instrument_id", "base", "id"),)
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    import_id: Mapped[int | None] = mapped_column(
        ForeignKey("imports.id", ondelete="SET NULL"), index=True
    )
    instrument_id: Mapped[int]
    base: Mapped[int] = mapped_column(SmallInteger)
    touched: Mapped[int]
    payload: Mapped[bytes] = mapped_column(LargeBinary)


class UniverseRow(Owned, Table):
    __tablename__ = "universes"
    __table_args__ = (
        Index("universes_by_name", "owner_id", "name", unique=True,
              postgresql_where=text("deleted_at IS NULL")),
    )  # fmt: skip
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    name: Mapped[str]
    rule: Mapped[dict[str, Any]]
    deleted_at: Mapped[datetime | None]


class ArrangementRow(Owned, Table):
    """How a page is arranged, under a name of its own."""

    __tablename__ = "arrangements"
    __table_args__ = (
        Index("arrangements_by_name", "owner_id", "page", "name", unique=True,
              postgresql_where=text("deleted_at IS NULL")),
    )  # fmt: skip
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    page: Mapped[str]
    name: Mapped[str]
    version: Mapped[int]
    body: Mapped[dict[str, Any]]
    deleted_at: Mapped[datetime | None]


class OutlookRow(Owned, Table):
    """Written once; only how it came out is added."""

    __tablename__ = "outlooks"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    body: Mapped[dict[str, Any]]
    settlement: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[datetime | None]


class SieveRow(Owned, Table):
    __tablename__ = "sieves"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    version: Mapped[int]
    deleted_at: Mapped[datetime | None]


class SieveVersionRow(Table):
    __tablename__ = "sieve_versions"
    sieve_id: Mapped[int] = mapped_column(ForeignKey("sieves.id"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[str]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class RunRow(Owned, Worked, Table):
    """One sifting. ``body`` is the sieve as it ran."""

    __tablename__ = "runs"
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    sieve_id: Mapped[int] = mapped_column(ForeignKey("sieves.id"), index=True)
    version: Mapped[int]
    body: Mapped[str]
    looked_for: Mapped[str | None]
    as_of: Mapped[datetime]
    outcome: Mapped[dict[str, Any] | None]
    hit_count: Mapped[int] = mapped_column(server_default="0")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class HitRow(Table):
    """A hit of a run; ``body`` is the document of ``documents.py`` with its values."""

    __tablename__ = "hits"
    __table_args__ = (
        Index("hits_by_place", "run_id", "place"),
        UniqueConstraint("run_id", "sieve_id", "code", "side", "timeframe", name="hits_of_setups"),
    )
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    sieve_id: Mapped[int] = mapped_column(ForeignKey("sieves.id"))
    code: Mapped[str]
    place: Mapped[int]
    name: Mapped[str]
    side: Mapped[str]
    timeframe: Mapped[str]
    bar_at: Mapped[int] = mapped_column(BigInteger)
    fired_at: Mapped[int] = mapped_column(BigInteger)
    age: Mapped[int]
    begun: Mapped[bool]
    close: Mapped[float]
    now: Mapped[float]
    tick: Mapped[float]
    score: Mapped[float]
    rank: Mapped[float | None]
    provisional: Mapped[bool]
    cells: Mapped[list[str]] = mapped_column(ARRAY(Text))
    parts: Mapped[list[str]] = mapped_column(ARRAY(Text), server_default="{}")
    body: Mapped[dict[str, Any]]


class VerdictRow(Owned, Table):
    """On a setup: a sieve, an instrument, a side, a timeframe and the moment it fired, in seconds since
    1970. ``run_id`` is the run in which it was seen. Verdicts are never changed, only followed by later
    ones; none takes the last one back."""

    __tablename__ = "verdicts"
    __table_args__ = (
        Index("verdicts_by_setup", "sieve_id", "code", "side", "timeframe", "fired_at", "id"),
    )
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    sieve_id: Mapped[int] = mapped_column(ForeignKey("sieves.id"))
    code: Mapped[str]
    side: Mapped[str]
    timeframe: Mapped[str]
    fired_at: Mapped[int] = mapped_column(BigInteger)
    verdict: Mapped[str | None]
    reason: Mapped[str]
    note: Mapped[str]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
