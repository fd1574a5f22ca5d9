"""Mendings of bars, and which are in force."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import psycopg
from pydantic import TypeAdapter
from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from zealous_sieve.core.engine.session import Clock, clock_of
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.mending import Mending, MendingKind
from zealous_sieve.storage import bar_statements as sql
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import InstrumentRow, MendingRow
from zealous_sieve.usecases.records.table import StoredMending

_BODY = TypeAdapter(Mending)


class MendingStore:
    """Implements MendingsPort. Whatever changes here, the bars of the instrument are read anew."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[StoredMending]:
        query = (
            select(MendingRow, InstrumentRow.code)
            .join(InstrumentRow)
            .where(MendingRow.deleted_at.is_(None))
            .order_by(MendingRow.id)
        )
        with self.database.session() as session:
            return [_stored(row, code) for row, code in session.execute(query)]

    def get(self, mending_id: int) -> StoredMending | None:
        query = (
            select(MendingRow, InstrumentRow.code)
            .join(InstrumentRow)
            .where(MendingRow.id == mending_id)
        )
        with self.database.session() as session:
            found = session.execute(query).first()
            return None if found is None else _stored(*found)

    def add(self, mending: Mending) -> StoredMending | None:
        with self.database.session() as session:
            row = _added(session, mending)
            if row is None:
                return None
            session.refresh(row)
            stored, number = _stored(row, mending.code), row.instrument_id
        self._changed([number])
        return stored

    def add_all(self, mendings: Sequence[Mending]) -> list[int]:
        with self.database.session() as session:
            rows = [row for own in mendings if (row := _added(session, own)) is not None]
            numbers = [row.id for row in rows]
            instruments = [row.instrument_id for row in rows]
        self._changed(instruments)
        return numbers

    def drop_all(self, numbers: Sequence[int]) -> None:
        with self.database.session() as session:
            gone = (
                update(MendingRow)
                .where(MendingRow.id.in_(numbers), MendingRow.deleted_at.is_(None))
                .values(deleted_at=func.now())
                .returning(MendingRow.instrument_id)
            )
            instruments = list(session.scalars(gone))
        self._changed(instruments)

    def set_deleted(self, mending_id: int, deleted: bool) -> bool:
        with self.database.session() as session:
            row = session.get_one(MendingRow, mending_id)
            if not deleted and _doubled(session, row):
                return False
            row.deleted_at = session.scalar(select(func.now())) if deleted else None
            number = row.instrument_id
        self._changed([number])
        return True

    def _changed(self, instruments: Sequence[int]) -> None:
        with self.database.raw() as connection:
            version = connection.execute(sql.BUMP).fetchone()
            for base in Base:
                connection.execute(
                    sql.CHANGED, (sorted(set(instruments)), int(base), version and version[0])
                )


def _added(session: Session, mending: Mending) -> MendingRow | None:
    """A mending that is in force from now on; none where another says the same."""
    number = session.scalars(
        select(InstrumentRow.id).where(InstrumentRow.code == mending.code)
    ).one()
    row = MendingRow(instrument_id=number, body=_BODY.dump_python(mending, mode="json"))
    if _doubled(session, row):
        return None
    session.add(row)
    session.flush()
    return row


IN_FORCE = """
SELECT i.code, v.zone, m.body FROM mendings m JOIN instruments i ON i.id = m.instrument_id
LEFT JOIN venues v ON v.name = i.venue WHERE m.deleted_at IS NULL ORDER BY m.id
"""


@dataclass(frozen=True)
class InForce:
    """The mendings of an instrument in the order in which they are applied, and the clock of its venue."""

    clock: Clock
    mendings: list[Mending] = field(default_factory=list)


def in_force(connection: psycopg.Connection) -> dict[str, InForce]:
    """The mendings that are in force by code."""
    in_force: dict[str, InForce] = {}
    for code, zone, body in connection.execute(IN_FORCE.encode()).fetchall():
        kept = in_force.setdefault(code, InForce(clock_of(zone or "UTC")))
        kept.mendings.append(_BODY.validate_python(body))
    return in_force


CLOCKS_MOVED = f"""
WITH split AS (
    SELECT DISTINCT m.instrument_id FROM mendings m
    WHERE m.deleted_at IS NULL AND m.body->>'kind' IN ('{MendingKind.SPLIT}', '{MendingKind.PAYMENT}')
), version AS ({sql.BUMP})
INSERT INTO bar_changes
SELECT split.instrument_id, base, version.value FROM split, version, unnest(:bases) AS base
ON CONFLICT (instrument_id, base) DO UPDATE SET version = excluded.version
"""


def read_splits_anew(session: Session) -> None:
    """Venues or the instruments at them changed, and so may the moments from which splits count."""
    session.execute(text(CLOCKS_MOVED), {"bases": [int(base) for base in Base]})


def _doubled(session: Session, row: MendingRow) -> bool:
    """Whether another that says the same is in force; until the session ends none can come to be."""
    number = row.instrument_id
    session.execute(select(InstrumentRow.id).where(InstrumentRow.id == number).with_for_update())
    others = select(MendingRow).where(
        MendingRow.instrument_id == number, MendingRow.deleted_at.is_(None)
    )
    return any(own.body == row.body and own.id != row.id for own in session.scalars(others))


def _stored(row: MendingRow, code: str) -> StoredMending:
    mending = _BODY.validate_python(row.body)
    return StoredMending(
        id=row.id,
        mending=mending,
        told=str(mending),
        created_at=row.created_at,
        deleted=row.deleted_at is not None,
    )
