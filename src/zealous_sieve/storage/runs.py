"""Runs: waiting, at work, ended."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import Select, case, func, select
from sqlalchemy.orm import defer

from zealous_sieve.core.sieve.definition import read_sieve, write_sieve
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.documents import read_outcome, write_outcome
from zealous_sieve.storage.hits import write_hits
from zealous_sieve.storage.models import RunRow
from zealous_sieve.usecases.records.runs import Outcome, Run, RunMark, RunOf, RunState
from zealous_sieve.usecases.records.sieves import StoredSieve

MOST_TOLD = 1_000
"""So many runs of a sieve are told with its versions."""
LOOKED_BACK = 100
"""So many earlier runs are looked through for one to compare with."""
_WITHOUT = defer(RunRow.outcome)
"""For lists, which do not tell what came out."""
_MARK = (
    RunRow.id, RunRow.sieve_id, RunRow.as_of, RunRow.state, RunRow.looked_for,
    case((RunRow.looked_for.is_(None), RunRow.body)),
)  # fmt: skip


class RunStore:
    """Implements RunsPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def add(self, stored: StoredSieve, as_of: datetime) -> Run:
        with self.database.session() as session:
            row = RunRow(
                sieve_id=stored.id,
                version=stored.version,
                body=write_sieve(stored.sieve),
                looked_for=stored.sieve.looked_for,
                as_of=as_of,
                state=RunState.QUEUED,
            )
            session.add(row)
            session.flush()
            session.refresh(row)
            return _run(row)

    def get(self, run_id: int) -> Run | None:
        with self.database.session() as session:
            row = session.get(RunRow, run_id)
            return _run(row) if row else None

    def recent(self, limit: int, at: int = 0) -> list[Run]:
        query = select(RunRow).options(_WITHOUT).order_by(RunRow.id.desc())
        with self.database.session() as session:
            rows = session.scalars(query.offset(at).limit(limit))
            return [_run(row, whole=False) for row in rows]

    def of_sieve(self, sieve_id: int) -> list[RunOf]:
        query = (
            select(RunRow.id, RunRow.version, RunRow.as_of, RunRow.hit_count)
            .where(RunRow.sieve_id == sieve_id, RunRow.state == RunState.DONE)
            .order_by(RunRow.id.desc())
            .limit(MOST_TOLD)
        )
        with self.database.session() as session:
            return [
                RunOf(id=own, version=version, as_of=as_of, hits=hits)
                for own, version, as_of, hits in session.execute(query)
            ]

    def count(self, until: datetime | None = None) -> int:
        counted = select(func.count()).select_from(RunRow)
        if until is not None:
            counted = counted.where(RunRow.as_of <= until)
        with self.database.session() as session:
            return session.scalars(counted).one()

    def marks(self, limit: int) -> list[RunMark]:
        return self._marks(select(*_MARK), limit)

    def before(self, sieve_id: int, run_id: int) -> list[RunMark]:
        earlier = select(*_MARK).where(
            RunRow.sieve_id == sieve_id, RunRow.id < run_id, RunRow.state == RunState.DONE
        )
        return self._marks(earlier, LOOKED_BACK)

    def _marks(self, query: Select[Any], limit: int) -> list[RunMark]:
        with self.database.session() as session:
            return [
                RunMark(
                    id=own,
                    sieve_id=sieve_id,
                    as_of=as_of,
                    state=RunState(state),
                    looked_for=looked_for or read_sieve(body).looked_for,
                )
                for own, sieve_id, as_of, state, looked_for, body in session.execute(
                    query.order_by(RunRow.id.desc()).limit(limit)
                )
            ]

    def finish(self, run_id: int, turn: int, hits: Sequence[Hit], outcome: Outcome) -> None:
        with self.database.session() as session:
            row = session.get(RunRow, run_id, with_for_update=True)
            if row is None or row.turn != turn:
                return
            write_hits(session, row, hits)
            row.state, row.hit_count = RunState.DONE, len(hits)
            row.outcome = write_outcome(outcome)
            row.done = row.total
            row.finished_at = session.scalar(select(func.now()))


def _run(row: RunRow, *, whole: bool = True) -> Run:
    return Run(
        id=row.id,
        sieve_id=row.sieve_id,
        version=row.version,
        sieve=read_sieve(row.body),
        as_of=row.as_of,
        state=RunState(row.state),
        reason=row.reason,
        turn=row.turn,
        attempts=row.attempts,
        done=row.done,
        total=row.total,
        hit_count=row.hit_count,
        outcome=read_outcome(row.outcome) if whole and row.outcome else None,
        created_at=row.created_at,
        started_at=row.started_at,
        finished_at=row.finished_at,
    )
