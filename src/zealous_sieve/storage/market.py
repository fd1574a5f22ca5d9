"""Instruments, venues, events, findings and settings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, fields
from threading import Lock
from typing import Any

from sqlalchemy import ColumnElement, delete, exists, func, insert, or_, select, text, update
from sqlalchemy.dialects.postgresql import Insert
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from zealous_sieve.core.market.data_quality import Finding, FindingKind
from zealous_sieve.core.market.instruments import (
    DatedFact,
    Event,
    Instrument,
    InstrumentKind,
    ReferenceData,
    Venue,
)
from zealous_sieve.storage.bar_statements import BUMP_MARKET, FACTS_VERSION, MARKET_VERSION
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.facts import add_facts, drop_facts, read_facts, remove_facts
from zealous_sieve.storage.mendings import read_splits_anew
from zealous_sieve.storage.models import (
    BarRow,
    EarlierCodeRow,
    EventRow,
    FindingRow,
    InstrumentRow,
    SettingRow,
    TradeRow,
    VenueRow,
)
from zealous_sieve.storage.renaming import rename_everywhere


class MarketStore:
    """Implements MarketPort."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self._lock = Lock()
        self._kept: tuple[str | None, ReferenceData] | None = None
        self._facts: tuple[str | None, tuple[DatedFact, ...]] | None = None

    def reference(self) -> ReferenceData:
        """Instruments, venues and events; the same object until one of them changes."""
        with self._lock:
            version = self.setting(MARKET_VERSION)
            if self._kept is None or self._kept[0] != version:
                self._kept = (version, self._read())
            return self._kept[1]

    def _read(self) -> ReferenceData:
        with self.database.session() as session:
            there = select(InstrumentRow).where(InstrumentRow.deleted_at.is_(None))
            rows = session.scalars(there.order_by(InstrumentRow.id))
            venues = session.scalars(select(VenueRow).order_by(VenueRow.name))
            events = session.scalars(select(EventRow).order_by(EventRow.day, EventRow.id))
            instruments = tuple(_instrument(row) for row in rows)
            codes = {instrument.code for instrument in instruments}
            return ReferenceData(
                instruments=instruments,
                venues=tuple(_venue(row) for row in venues),
                events=tuple(_event(row) for row in events),
                dated=tuple(fact for fact in self._dated() if fact.code in codes),
                earlier=_earlier(session),
            )

    def _dated(self) -> tuple[DatedFact, ...]:
        """Facts through time, of which there may be very many: read again only when one of them changed."""
        version = self.setting(FACTS_VERSION)
        if self._facts is None or self._facts[0] != version:
            self._facts = (version, read_facts(self.database))
        return self._facts[1]

    def instruments(self) -> list[Instrument]:
        return list(self.reference().instruments)

    def archived_instruments(self) -> list[Instrument]:
        """Those that were archived and can come back: with bars, or made of others."""
        with self.database.session() as session:
            bars = exists().where(BarRow.instrument_id == InstrumentRow.id)
            trades = exists().where(TradeRow.instrument_id == InstrumentRow.id)
            gone = select(InstrumentRow).where(
                InstrumentRow.deleted_at.is_not(None),
                or_(InstrumentRow.kind == InstrumentKind.PAIR, bars, trades),
            )
            return [_instrument(row) for row in session.scalars(gone.order_by(InstrumentRow.id))]

    def add_instruments(self, instruments: Sequence[Instrument]) -> None:
        """Add instruments; one whose code exists gets the new particulars."""
        if not instruments:
            return
        with self.database.session() as session:
            session.execute(_upserted(), [_row(instrument) for instrument in instruments])
            read_splits_anew(session)
            session.execute(text(BUMP_MARKET))

    def add_instrument(self, instrument: Instrument) -> bool:
        """Add one, unless one that is there has its code."""
        gone = InstrumentRow.deleted_at.is_not(None)
        with self.database.session() as session:
            statement = _upserted(gone).values(_row(instrument)).returning(InstrumentRow.id)
            if session.scalar(statement) is None:
                return False
            session.execute(text(BUMP_MARKET))
            return True

    def archive_instruments(self, codes: Sequence[str]) -> None:
        """Archive instruments with what was found of them; one that comes again is there again."""
        with self.database.session() as session:
            own = select(InstrumentRow.id).where(InstrumentRow.code.in_(codes))
            session.execute(delete(FindingRow).where(FindingRow.instrument_id.in_(own)))
            session.execute(
                update(InstrumentRow)
                .where(InstrumentRow.code.in_(codes))
                .values(deleted_at=func.now())
            )
            session.execute(text(BUMP_MARKET))

    def rename(self, old: str, new: str, *, leads: bool) -> bool:
        """Another code for an instrument, all at once; False where another instrument has it."""
        try:
            with self.database.session() as session:
                rename_everywhere(session, old, new, leads=leads)
        except IntegrityError:
            return False
        return True

    def forget_earlier(self, code: str) -> None:
        """What was an earlier code of an instrument leads to it no longer, and is free."""
        with self.database.session() as session:
            session.execute(delete(EarlierCodeRow).where(EarlierCodeRow.code == code))
            session.execute(text(BUMP_MARKET))

    def remove_venues(self, names: Sequence[str]) -> None:
        with self.database.session() as session:
            session.execute(delete(VenueRow).where(VenueRow.name.in_(names)))
            read_splits_anew(session)
            session.execute(text(BUMP_MARKET))

    def venues(self) -> list[Venue]:
        return list(self.reference().venues)

    def add_venues(self, venues: Sequence[Venue]) -> None:
        """Add venues; one whose name exists gets the new hours and calendar."""
        with self.database.session() as session:
            for venue in venues:
                session.merge(VenueRow(**asdict(venue)))
            session.flush()
            read_splits_anew(session)
            session.execute(text(BUMP_MARKET))

    def events(self) -> list[Event]:
        return list(self.reference().events)

    def replace_events(self, events: Sequence[Event]) -> None:
        with self.database.session() as session:
            session.execute(delete(EventRow))
            session.add_all([EventRow(**asdict(event)) for event in events])
            session.execute(text(BUMP_MARKET))

    def add_facts(self, facts: Sequence[DatedFact]) -> None:
        """Keep facts through time; one of the same instrument, name and moments gets the new value."""
        add_facts(self.database, facts)

    def drop_facts(self, codes: Sequence[str]) -> None:
        """Forget the facts through time of some instruments."""
        drop_facts(self.database, codes)

    def remove_facts(self, facts: Sequence[DatedFact]) -> int:
        """Forget facts, by instrument, name and moments; returns how many."""
        return remove_facts(self.database, facts)

    def findings(self) -> list[Finding]:
        query = select(FindingRow, InstrumentRow.code).join(InstrumentRow).order_by(FindingRow.id)
        with self.database.session() as session:
            return [
                Finding(
                    code=code,
                    kind=FindingKind(row.kind),
                    first=row.first,
                    last=row.last,
                    bars=row.bars,
                    detail=row.detail,
                )
                for row, code in session.execute(query)
            ]

    def replace_findings(
        self, findings: Sequence[Finding], about: Sequence[str] | None = None
    ) -> None:
        """Keep findings in place of all there were, or of those ``about`` some instruments."""
        with self.database.session() as session:
            known = session.execute(select(InstrumentRow.code, InstrumentRow.id))
            ids = {row.code: row.id for row in known}
            old = delete(FindingRow)
            if about is not None:
                old = old.where(FindingRow.instrument_id.in_([ids[code] for code in about]))
            session.execute(old)
            rows = [
                {"instrument_id": ids[f.code], "kind": str(f.kind), "first": f.first, "last": f.last,
                 "bars": f.bars, "detail": f.detail}
                for f in findings
            ]  # fmt: skip
            if rows:
                session.execute(insert(FindingRow), rows)

    def desk_mark(self) -> str:
        with self.database.connection() as connection:
            return "/".join(connection.execute(_MARK, {"owner": self.database.owner_id}).one())

    def setting(self, key: str) -> str | None:
        return self.settings(key)[0]

    def settings(self, *keys: str) -> list[str | None]:
        with self.database.connection() as connection:
            kept: dict[str, str] = dict(connection.execute(_SETTINGS, {"keys": list(keys)}).all())
        return [kept.get(key) for key in keys]

    def set_setting(self, key: str, value: str | None) -> None:
        """Keep a setting; None takes it away."""
        if value is None:
            with self.database.session() as session:
                session.execute(delete(SettingRow).where(SettingRow.key == key))
            return
        statement = upsert(SettingRow).values(key=key, value=value)
        with self.database.session() as session:
            session.execute(
                statement.on_conflict_do_update(index_elements=["key"], set_={"value": value})
            )


def _rows_of(table: str, key: str, where: str = "") -> str:
    """A digest of which rows a table has, each in the state that some transaction left it in."""
    rows = f"string_agg({key} || ' ' || xmin, ',' ORDER BY {key})"
    return f"(SELECT md5(coalesce({rows}, '')) FROM {table} {where})"


_SETTINGS = text("SELECT key, value FROM settings WHERE key = ANY(:keys)")
_OWN = "WHERE owner_id = :owner"
_PARTS = (
    # Settings count the changes of bars, instruments, venues, events and facts.
    _rows_of("settings", "key"),
    _rows_of("findings", "id"),
    _rows_of("mendings", "id"),
    _rows_of("universes", "id", _OWN),
    _rows_of("formulas", "id", _OWN),
)
_MARK = text(f"SELECT {', '.join(_PARTS)}")


def _earlier(session: Session) -> dict[str, str]:
    """Earlier codes, the newest first, with the present code of each."""
    names = (
        select(EarlierCodeRow.code, InstrumentRow.code)
        .join(InstrumentRow)
        .order_by(EarlierCodeRow.until.desc(), EarlierCodeRow.code)
    )
    return {row[0]: row[1] for row in session.execute(names)}


def _event(row: EventRow) -> Event:
    return Event(
        kind=row.kind, day=row.day, title=row.title, code=row.code, announced=row.announced
    )


def _venue(row: VenueRow) -> Venue:
    return Venue(
        name=row.name,
        hours=row.hours,
        zone=row.zone,
        half_days=row.half_days,
        holidays=row.holidays,
    )


def _row(instrument: Instrument) -> dict[str, Any]:
    own = asdict(instrument)
    return own | {"kind": str(instrument.kind), "facts": dict(instrument.facts)}


def _upserted(where: ColumnElement[bool] | None = None) -> Insert:
    """Adds instruments; one whose code exists, and is ``where`` it may be, gets the new particulars."""
    statement = upsert(InstrumentRow)
    names = [field.name for field in fields(Instrument) if field.name != "code"]
    fresh = {name: statement.excluded[name] for name in names} | {"deleted_at": None}
    return statement.on_conflict_do_update(index_elements=["code"], set_=fresh, where=where)


def _instrument(row: InstrumentRow) -> Instrument:
    return Instrument(
        code=row.code,
        name=row.name,
        kind=InstrumentKind(row.kind),
        venue=row.venue,
        currency=row.currency,
        tick=row.tick,
        point_value=row.point_value,
        facts=row.facts,
    )
