"""Files that are brought in, and how far they are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, astuple, fields
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, select, update

from zealous_sieve.core.intake.layout import Content, Layout
from zealous_sieve.core.market.instruments import DatedFact, Event, Instrument, Venue
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import ImportRow
from zealous_sieve.storage.work import asked, rested
from zealous_sieve.usecases.records.imports import (
    Account,
    Import,
    ImportLine,
    ImportState,
    Replaced,
    TakenBack,
)

_ACCOUNT = TypeAdapter(Account)
_LINE = [field.name for field in fields(ImportLine)]
_UNCOVERED = TypeAdapter(TakenBack)
_RECORDS: dict[Content, TypeAdapter[Any]] = {
    Content.INSTRUMENTS: TypeAdapter(Instrument),
    Content.FACTS: TypeAdapter(DatedFact),
    Content.EVENTS: TypeAdapter(Event),
    Content.VENUES: TypeAdapter(Venue),
}
_LAYOUT = TypeAdapter(Layout)


class ImportStore:
    """Implements ImportsPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def add(self, name: str) -> Import:
        with self.database.session() as session:
            row = ImportRow(
                name=name, size=0, state=ImportState.CANCELLED, layout=asdict(Layout()), doubts=[]
            )
            session.add(row)
            session.flush()
            session.refresh(row)
            return _import(row)

    def get(self, import_id: int) -> Import | None:
        with self.database.session() as session:
            row = session.get(ImportRow, import_id)
            return _import(row) if row else None

    def recent(self, limit: int, words: str = "", before: int | None = None) -> list[Import]:
        query = select(ImportRow).order_by(ImportRow.id.desc()).limit(limit)
        if words:
            found = ImportRow.account["codes"].astext.icontains(words, autoescape=True)
            query = query.where(ImportRow.name.icontains(words, autoescape=True) | found)
        if before is not None:
            query = query.where(ImportRow.id < before)
        with self.database.session() as session:
            return [_import(row) for row in session.scalars(query)]

    def gathering(self, token: str) -> list[Import]:
        query = select(ImportRow).where(ImportRow.gathering == token).order_by(ImportRow.id)
        with self.database.session() as session:
            return [_import(row) for row in session.scalars(query)]

    def gather(
        self,
        import_id: int,
        token: str,
        layout: Layout,
        doubts: tuple[str, ...],
        names: Sequence[str],
    ) -> None:
        self._change(
            import_id,
            state=ImportState.COMING,
            gathering=token,
            layout=_LAYOUT.dump_python(layout, mode="json"),
            doubts=list(doubts),
            names=list(names),
            file_count=0,
        )

    def grow(self, import_id: int, name: str, files: int, size: int) -> None:
        self._change(import_id, name=name, file_count=files, size=size)

    def lines(self, import_id: int) -> list[ImportLine]:
        with self.database.session() as session:
            kept = session.get_one(ImportRow, import_id).lines
            return [ImportLine(**dict(zip(_LINE, own, strict=True))) for own in kept]

    def leave_out(self, import_id: int, codes: Sequence[str], rows: int) -> bool:
        still = ImportRow.state.in_((ImportState.READY, ImportState.DONE))
        return self._change(import_id, still, left_out=list(codes), left_rows=rows)

    def understood(
        self,
        import_id: int,
        size: int,
        layout: Layout,
        doubts: tuple[str, ...],
        names: Sequence[str],
        name: str | None = None,
    ) -> None:
        called = {} if name is None else {"name": name}
        self._change(
            import_id,
            **called,
            size=size,
            layout=_LAYOUT.dump_python(layout, mode="json"),
            doubts=list(doubts),
            names=list(names),
            account=None,
            **asked(ImportRow, ImportState.READING),
        )

    def finish(
        self,
        import_id: int,
        turn: int,
        state: ImportState,
        account: Account,
        lines: Sequence[ImportLine] = (),
    ) -> None:
        self._change(
            import_id,
            ImportRow.turn == turn,
            account=_ACCOUNT.dump_python(account, mode="json"),
            lines=[list(astuple(line)) for line in lines],
            **rested(state),
        )

    def forget(self, import_id: int) -> None:
        with self.database.session() as session:
            row = session.get(ImportRow, import_id)
            if row is not None:
                session.delete(row)

    def replaced(self, import_id: int) -> list[Replaced]:
        with self.database.session() as session:
            row = session.get_one(ImportRow, import_id)
            read = _RECORDS[_import(row).layout.content].validate_python
            return [
                Replaced(before=own["before"] and read(own["before"]), after=read(own["after"]))
                for own in row.replaced
            ]

    def keep_replaced(self, import_id: int, replaced: Sequence[Replaced]) -> None:
        with self.database.session() as session:
            row = session.get_one(ImportRow, import_id)
            written = _RECORDS[_import(row).layout.content].dump_python
            fresh = [
                {
                    "before": own.before and written(own.before, mode="json"),
                    "after": written(own.after, mode="json"),
                }
                for own in replaced
            ]
            row.replaced, row.reversible = [*row.replaced, *fresh], True

    def keep_uncovered(self, import_id: int, uncovered: TakenBack) -> None:
        self._change(import_id, uncovered=_UNCOVERED.dump_python(uncovered, mode="json"))

    def _change(self, import_id: int, *where: ColumnElement[bool], **values: Any) -> bool:
        statement = update(ImportRow).where(ImportRow.id == import_id, *where)
        with self.database.session() as session:
            changed = session.scalar(statement.values(**values).returning(ImportRow.id))
            return changed is not None


def _import(row: ImportRow) -> Import:
    return Import(
        id=row.id,
        name=row.name,
        size=row.size,
        state=ImportState(row.state),
        layout=_LAYOUT.validate_python(row.layout),
        doubts=tuple(row.doubts),
        names=tuple(row.names),
        turn=row.turn,
        attempts=row.attempts,
        done=row.done,
        total=row.total,
        reason=row.reason,
        account=None if row.account is None else _ACCOUNT.validate_python(row.account),
        file_count=row.file_count,
        left_out=tuple(row.left_out),
        left_rows=row.left_rows,
        reversible=row.reversible,
        uncovered=None if row.uncovered is None else _UNCOVERED.validate_python(row.uncovered),
        created_at=row.created_at,
        finished_at=row.finished_at,
    )
