"""Universes, by their numbers and names."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, func, select
from sqlalchemy.exc import IntegrityError

from zealous_sieve.core.market.universes import Rule, Universe
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import UniverseRow
from zealous_sieve.usecases.records.table import StoredUniverse

_RULE = TypeAdapter(Rule)


class UniverseStore:
    """Implements UniversesPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[StoredUniverse]:
        return self._listed(UniverseRow.deleted_at.is_(None))

    def archived(self) -> list[StoredUniverse]:
        return self._listed(UniverseRow.deleted_at.is_not(None))

    def _listed(self, which: ColumnElement[bool]) -> list[StoredUniverse]:
        query = select(UniverseRow).where(which).order_by(UniverseRow.id)
        with self.database.session() as session:
            return [_stored(row) for row in session.scalars(query)]

    def add(self, universes: Sequence[Universe]) -> list[StoredUniverse] | None:
        """Keep new universes, unless there is one of such a name."""
        try:
            with self.database.session() as session:
                rows = [UniverseRow(name=u.name, rule=_document(u.rule)) for u in universes]
                session.add_all(rows)
                session.flush()
                return [_stored(row) for row in rows]
        except IntegrityError:
            return None

    def change(self, universe_id: int, universe: Universe) -> bool:
        """Keep another name or rule, unless another universe has the name."""
        try:
            with self.database.session() as session:
                row = session.get_one(UniverseRow, universe_id)
                row.name, row.rule = universe.name, _document(universe.rule)
                return True
        except IntegrityError:
            return False

    def set_deleted(self, universe_id: int, deleted: bool) -> bool:
        """False where it can't come back since another universe has got its name."""
        try:
            with self.database.session() as session:
                row = session.get_one(UniverseRow, universe_id)
                row.deleted_at = session.scalar(select(func.now())) if deleted else None
                return True
        except IntegrityError:
            return False


def _document(rule: Rule) -> dict[str, object]:
    document: dict[str, object] = _RULE.dump_python(rule, mode="json")
    return document


def _stored(row: UniverseRow) -> StoredUniverse:
    return StoredUniverse(
        id=row.id,
        universe=Universe(name=row.name, rule=_RULE.validate_python(row.rule)),
    )
