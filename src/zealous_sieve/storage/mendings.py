"""Mendings of bars, and which are in force."""

from __future__ import annotations

import psycopg
from pydantic import TypeAdapter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.mending import Mending
from zealous_sieve.storage import bar_statements as sql
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import InstrumentRow, MendingRow
from zealous_sieve.usecases.ports import StoredMending

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
            code = mending.code
            number = session.scalars(
                select(InstrumentRow.id).where(InstrumentRow.code == code)
            ).one()
            row = MendingRow(instrument_id=number, body=_BODY.dump_python(mending, mode="json"))
            if _doubled(session, row):
                return None
            session.add(row)
            session.flush()
            session.refresh(row)
            stored = _stored(row, code)
        self._changed(number)
        return stored

    def set_deleted(self, mending_id: int, deleted: bool) -> bool:
        with self.database.session() as session:
            row = session.get_one(MendingRow, mending_id)
            if not deleted and _doubled(session, row):
                return False
            row.deleted_at = session.scalar(select(func.now())) if deleted else None
            number = row.instrument_id
        self._changed(number)
        return True

    def _changed(self, instrument: int) -> None:
        with self.database.raw() as connection:
            version = connection.execute(sql.BUMP).fetchone()
            for base in Base:
                connection.execute(sql.CHANGED, ([instrument], int(base), version and version[0]))


IN_FORCE = """
SELECT i.code, m.body FROM mendings m JOIN instruments i ON i.id = m.instrument_id
WHERE m.deleted_at IS NULL ORDER BY m.id
"""


def in_force(connection: psycopg.Connection) -> dict[str, list[Mending]]:
    """The mendings that are in force by code, in the order in which they are applied."""
    found: dict[str, list[Mending]] = {}
    for code, body in connection.execute(IN_FORCE.encode()).fetchall():
        found.setdefault(code, []).append(_BODY.validate_python(body))
    return found


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
