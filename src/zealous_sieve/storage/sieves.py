"""Sieves and their versions."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zealous_sieve.core.sieve.definition import Sieve, read_sieve, write_sieve
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import SieveRow, SieveVersionRow
from zealous_sieve.usecases.records.sieves import StoredSieve, Version


class SieveStore:
    """Implements SievesPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[StoredSieve]:
        query = (
            select(SieveRow, SieveVersionRow.body)
            .join(
                SieveVersionRow,
                (SieveVersionRow.sieve_id == SieveRow.id)
                & (SieveVersionRow.version == SieveRow.version),
            )
            .order_by(SieveRow.id)
        )
        with self.database.session() as session:
            return [_stored(row, body) for row, body in session.execute(query)]

    def get(self, sieve_id: int) -> StoredSieve | None:
        with self.database.session() as session:
            row = session.get(SieveRow, sieve_id)
            if row is None:
                return None
            version = session.get_one(SieveVersionRow, (sieve_id, row.version))
            return _stored(row, version.body)

    def add(self, sieve: Sieve) -> StoredSieve:
        with self.database.session() as session:
            row = SieveRow(version=1)
            session.add(row)
            session.flush()
            return _keep(session, row, sieve)

    def add_version(self, sieve_id: int, sieve: Sieve, based_on: int) -> StoredSieve | None:
        """Keep the next version, unless another was kept since ``based_on``."""
        with self.database.session() as session:
            row = session.get_one(SieveRow, sieve_id, with_for_update=True)
            if row.version != based_on:
                return None
            row.version += 1
            return _keep(session, row, sieve)

    def versions(self, sieve_id: int) -> list[Version]:
        query = select(SieveVersionRow).where(SieveVersionRow.sieve_id == sieve_id)
        with self.database.session() as session:
            return [
                Version(version=v.version, created_at=v.created_at, sieve=read_sieve(v.body))
                for v in session.scalars(query)
            ]

    def set_deleted(self, sieve_id: int, deleted: bool) -> None:
        with self.database.session() as session:
            moment = session.scalar(select(func.now())) if deleted else None
            session.get_one(SieveRow, sieve_id).deleted_at = moment


def _keep(session: Session, row: SieveRow, sieve: Sieve) -> StoredSieve:
    body = write_sieve(sieve)
    session.add(SieveVersionRow(sieve_id=row.id, version=row.version, body=body))
    return _stored(row, body)


def _stored(row: SieveRow, body: str) -> StoredSieve:
    return StoredSieve(
        id=row.id,
        version=row.version,
        sieve=read_sieve(body),
        deleted=row.deleted_at is not None,
    )
