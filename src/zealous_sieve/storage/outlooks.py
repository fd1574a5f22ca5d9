"""Outlooks, as they were written, and how they came out."""

from __future__ import annotations

from pydantic import TypeAdapter
from sqlalchemy import func, select

from zealous_sieve.core.pages.outlook import Outlook, Settlement
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import OutlookRow
from zealous_sieve.usecases.records.pages import StoredOutlook

_BODY = TypeAdapter(Outlook)
_SETTLEMENT = TypeAdapter(Settlement)


class OutlookStore:
    """Implements OutlooksPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[StoredOutlook]:
        with self.database.session() as session:
            rows = session.scalars(select(OutlookRow).order_by(OutlookRow.id.desc()))
            return [_stored(row) for row in rows]

    def add(self, outlook: Outlook) -> StoredOutlook:
        with self.database.session() as session:
            row = OutlookRow(body=_BODY.dump_python(outlook, mode="json"))
            session.add(row)
            session.flush()
            return _stored(row)

    def settle(self, outlook_id: int, settlement: Settlement) -> None:
        with self.database.session() as session:
            row = session.get_one(OutlookRow, outlook_id)
            row.settlement = _SETTLEMENT.dump_python(settlement, mode="json")

    def set_deleted(self, outlook_id: int, deleted: bool) -> bool:
        with self.database.session() as session:
            row = session.get(OutlookRow, outlook_id)
            if row is not None:
                row.deleted_at = session.scalar(select(func.now())) if deleted else None
            return row is not None


def _stored(row: OutlookRow) -> StoredOutlook:
    return StoredOutlook(
        id=row.id,
        outlook=_BODY.validate_python(row.body),
        settlement=None if row.settlement is None else _SETTLEMENT.validate_python(row.settlement),
        deleted=row.deleted_at is not None,
    )
