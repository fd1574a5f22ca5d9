"""How pages are arranged, by page and name."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import ArrangementRow
from zealous_sieve.usecases.records.pages import StoredArrangement


class ArrangementStore:
    """Implements ArrangementsPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self, page: str) -> list[StoredArrangement]:
        query = (
            select(ArrangementRow)
            .where(ArrangementRow.page == page, ArrangementRow.deleted_at.is_(None))
            .order_by(ArrangementRow.id)
        )
        with self.database.session() as session:
            return [
                StoredArrangement(name=row.name, version=row.version, body=row.body)
                for row in session.scalars(query)
            ]

    def put(self, page: str, name: str, body: Mapping[str, object], based_on: int) -> int | None:
        try:
            with self.database.session() as session:
                row = _find(session, page, name, archived=False)
                if (row.version if row else 0) != based_on:
                    return None
                if row is None:
                    row = ArrangementRow(page=page, name=name)
                    session.add(row)
                row.version, row.body = based_on + 1, dict(body)
                return based_on + 1
        except IntegrityError:
            return None

    def archive(self, page: str, name: str) -> bool:
        with self.database.session() as session:
            row = _find(session, page, name, archived=False)
            if row is not None:
                row.deleted_at = session.scalar(select(func.now()))
            return row is not None

    def restore(self, page: str, name: str) -> bool:
        try:
            with self.database.session() as session:
                row = _find(session, page, name, archived=True)
                if row is not None:
                    row.deleted_at = None
                return row is not None
        except IntegrityError:
            return False


def _find(session: Session, page: str, name: str, *, archived: bool) -> ArrangementRow | None:
    """The one of a name, kept from others until it is written; of archived ones the last."""
    gone = ArrangementRow.deleted_at
    return session.scalar(
        select(ArrangementRow)
        .where(ArrangementRow.page == page, ArrangementRow.name == name)
        .where(gone.is_not(None) if archived else gone.is_(None))
        .order_by(gone.desc(), ArrangementRow.id.desc())
        .limit(1)
        .with_for_update()
    )
