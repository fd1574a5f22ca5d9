"""The desk's formulas and their versions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import FormulaRow, FormulaVersionRow
from zealous_sieve.usecases.records.sieves import FormulaVersion, StoredFormula


class FormulaStore:
    """Implements FormulasPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[StoredFormula]:
        """Those that are not deleted."""
        return self._listed(FormulaRow.deleted_at.is_(None))

    def archived(self) -> list[StoredFormula]:
        """Those that are deleted."""
        return self._listed(FormulaRow.deleted_at.is_not(None))

    def _listed(self, which: ColumnElement[bool]) -> list[StoredFormula]:
        query = select(FormulaRow).where(which).order_by(FormulaRow.id)
        with self.database.session() as session:
            return [_stored(session, row) for row in session.scalars(query)]

    def get(self, formula_id: int) -> StoredFormula | None:
        with self.database.session() as session:
            row = session.get(FormulaRow, formula_id)
            return None if row is None else _stored(session, row)

    def add(self, name: str, text: str, note: str) -> StoredFormula | None:
        """Keep a new formula, unless there is one of that name."""
        with _one_of_a_name(), self.database.session() as session:
            row = FormulaRow(name=name, version=0)
            session.add(row)
            session.flush()
            return _keep(session, row, name, text, note)
        return None

    def add_version(
        self, formula_id: int, name: str, text: str, note: str, based_on: int
    ) -> StoredFormula | None:
        """Keep the next version, unless another was kept since ``based_on`` or has the name."""
        with _one_of_a_name(), self.database.session() as session:
            row = session.get_one(FormulaRow, formula_id, with_for_update=True)
            return _keep(session, row, name, text, note) if row.version == based_on else None
        return None

    def versions(self, formula_id: int) -> list[FormulaVersion]:
        """Every saved state, the newest first."""
        own = FormulaVersionRow.formula_id == formula_id
        query = select(FormulaVersionRow).where(own).order_by(FormulaVersionRow.version.desc())
        with self.database.session() as session:
            return [
                FormulaVersion(
                    version=v.version,
                    created_at=v.created_at,
                    name=v.name,
                    text=v.text,
                    note=v.note,
                )
                for v in session.scalars(query)
            ]

    def set_deleted(self, formula_id: int, deleted: bool) -> bool:
        """Archive one or bring it back; false where another has got its name."""
        with _one_of_a_name(), self.database.session() as session:
            moment = session.scalar(select(func.now())) if deleted else None
            session.get_one(FormulaRow, formula_id).deleted_at = moment
            session.flush()
            return True
        return False


@contextmanager
def _one_of_a_name() -> Iterator[None]:
    """Two saves of one name at once: the second is not kept."""
    with suppress(IntegrityError):
        yield


def _keep(session: Session, row: FormulaRow, name: str, text: str, note: str) -> StoredFormula:
    row.version += 1
    row.name = name
    session.add(
        FormulaVersionRow(
            formula_id=row.id, version=row.version, name=name, text=text, note=note
        )
    )  # fmt: skip
    session.flush()
    return _stored(session, row)


def _stored(session: Session, row: FormulaRow) -> StoredFormula:
    version = session.get_one(FormulaVersionRow, (row.id, row.version))
    return StoredFormula(
        id=row.id,
        version=row.version,
        name=row.name,
        text=version.text,
        note=version.note,
        deleted=row.deleted_at is not None,
    )
