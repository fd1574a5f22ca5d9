"""How far pieces of work are, whatever they do."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, TypeAlias

from sqlalchemy import ColumnElement, Select, func, select, update

from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import DemoRow, ImportRow, RunRow
from zealous_sieve.usecases.records.imports import IMPORT
from zealous_sieve.usecases.records.runs import RUN
from zealous_sieve.usecases.records.work import Piece, Work, WorkState
from zealous_sieve.usecases.table.demo import DEMO

WorkRow: TypeAlias = type[RunRow] | type[ImportRow] | type[DemoRow]

_ROWS: dict[Work, WorkRow] = {RUN: RunRow, IMPORT: ImportRow, DEMO: DemoRow}


class WorkStore:
    """Implements WorkPort. Each change is one statement that asks whether it still holds."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def unfinished(self, work: Work) -> list[Piece]:
        row = _ROWS[work]
        return self._pieces(work, _columns(row).where(row.state.in_(work.open)).order_by(row.id))

    def told(self, work: Work, numbers: Iterable[int]) -> dict[int, Piece]:
        row = _ROWS[work]
        found = self._pieces(work, _columns(row).where(row.id.in_(numbers)))
        return {piece.number: piece for piece in found}

    def ask(
        self, work: Work, number: int, state: WorkState, *of: WorkState, reason: str | None = None
    ) -> bool:
        row = _ROWS[work]
        over = {"turn": row.turn + 1, **rested(state, reason)}
        values = asked(row, state) if state.at_work else over
        return self._change(work, number, row.state.in_(of), **values) is not None

    def begin(self, work: Work, number: int, turn: int) -> int | None:
        row = _ROWS[work]
        begun = {} if work.begun is None else {"state": work.begun}
        return self._change(
            work,
            number,
            row.turn == turn,
            row.state.in_(work.open),
            **begun,
            turn=row.turn + 1,
            attempts=row.attempts + 1,
            done=0,
            started_at=func.now(),
        )

    def wanted(self, work: Work, number: int, turn: int) -> bool:
        row = _ROWS[work]
        with self.database.session() as session:
            query = select(row.id).where(row.id == number, row.turn == turn)
            return session.scalar(query) is not None

    def progress(self, work: Work, number: int, turn: int, done: int, total: int) -> bool:
        row = _ROWS[work]
        return self._change(work, number, row.turn == turn, done=done, total=total) is not None

    def end(
        self, work: Work, number: int, turn: int, state: WorkState, reason: str | None = None
    ) -> bool:
        row = _ROWS[work]
        changed = self._change(work, number, row.turn == turn, **rested(state, reason))
        return changed is not None

    def wait(self, work: Work, piece: Piece) -> None:
        row = _ROWS[work]
        if work.waiting is not None:
            self._change(work, piece.number, row.turn == piece.turn, state=work.waiting, done=0)

    def _pieces(self, work: Work, query: Select[Any]) -> list[Piece]:
        with self.database.session() as session:
            return [
                Piece(
                    number=number,
                    state=work.states(state),
                    turn=turn,
                    attempts=attempts,
                    done=done,
                    total=total,
                )
                for number, state, turn, attempts, done, total in session.execute(query)
            ]

    def _change(
        self, work: Work, number: int, *where: ColumnElement[bool], **values: Any
    ) -> int | None:
        """Change a piece where something holds; returns its turn."""
        row = _ROWS[work]
        statement = update(row).where(row.id == number, *where).values(**values)
        with self.database.session() as session:
            return session.scalar(statement.returning(row.turn))


def _columns(row: WorkRow) -> Select[Any]:
    columns: tuple[Any, ...] = (row.id, row.state, row.turn, row.attempts, row.done, row.total)
    return select(*columns)


def asked(row: WorkRow, state: WorkState) -> dict[str, Any]:
    """The columns of a piece of which something is asked anew."""
    return {
        "state": state,
        "turn": row.turn + 1,
        "attempts": 0,
        "done": 0,
        "total": 0,
        "reason": None,
        "finished_at": None,
    }


def rested(state: WorkState, reason: str | None = None) -> dict[str, Any]:
    """The columns of a piece with which nothing is under way any more."""
    finished = {"finished_at": func.now()} if state.ended else {}
    return {"state": state, "reason": reason, **finished}
