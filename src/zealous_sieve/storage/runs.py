"""Runs, their hits, and verdicts on them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, insert, select, update

from zealous_sieve.core.sieve.definition import read_sieve, write_sieve
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import HitRow, RunRow, VerdictRow
from zealous_sieve.storage.owners import owner_id
from zealous_sieve.usecases.ports import Run, RunState, StoredSieve, Verdict, VerdictKind

LOOKED_BACK = 100
"""So many earlier runs are looked through for one to compare with."""
_OPEN = (RunState.QUEUED, RunState.RUNNING)


class RunStore:
    """Implements RunsPort. A run leaves an open state once, whoever is first."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def add(self, stored: StoredSieve, as_of: datetime) -> Run:
        with self.database.session() as session:
            row = RunRow(
                owner_id=owner_id(session),
                sieve_id=stored.id,
                version=stored.version,
                body=write_sieve(stored.sieve),
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

    def recent(self, limit: int) -> list[Run]:
        with self.database.session() as session:
            rows = session.scalars(select(RunRow).order_by(RunRow.id.desc()).limit(limit))
            return [_run(row) for row in rows]

    def unfinished(self) -> list[Run]:
        query = select(RunRow).where(RunRow.state.in_(_OPEN)).order_by(RunRow.id)
        with self.database.session() as session:
            return [_run(row) for row in session.scalars(query)]

    def before(self, run: Run) -> list[Run]:
        """The finished runs of the same sieve before this one, the last first."""
        query = (
            select(RunRow)
            .where(
                RunRow.sieve_id == run.sieve_id, RunRow.id < run.id, RunRow.state == RunState.DONE
            )
            .order_by(RunRow.id.desc())
            .limit(LOOKED_BACK)
        )
        with self.database.session() as session:
            return [_run(row) for row in session.scalars(query)]

    def begin(self, run_id: int, total: int) -> bool:
        return self._change(
            run_id,
            state=RunState.RUNNING,
            total=total,
            done=0,
            attempts=RunRow.attempts + 1,
            started_at=func.now(),
        )

    def progress(self, run_id: int, done: int) -> RunState:
        self._change(run_id, done=done)
        with self.database.session() as session:
            return RunState(session.scalars(select(RunRow.state).where(RunRow.id == run_id)).one())

    def finish(self, run_id: int, hits: Sequence[dict[str, Any]], outcome: dict[str, Any]) -> None:
        """Keep the hits and mark the run done, together; nothing if it was cancelled meanwhile."""
        with self.database.session() as session:
            row = session.get_one(RunRow, run_id, with_for_update=True)
            if row.state not in _OPEN:
                return
            session.execute(delete(HitRow).where(HitRow.run_id == run_id))
            rows = [
                {"run_id": run_id, "code": hit["code"], "place": place, "body": hit}
                for place, hit in enumerate(hits)
            ]
            if rows:
                session.execute(insert(HitRow), rows)
            row.state, row.outcome, row.hit_count = RunState.DONE, outcome, len(rows)
            row.done = row.total
            row.finished_at = session.scalar(select(func.now()))

    def end(self, run_id: int, state: RunState, reason: str | None) -> bool:
        return self._change(run_id, state=state, reason=reason, finished_at=func.now())

    def requeue(self, run_id: int) -> None:
        self._change(run_id, state=RunState.QUEUED, done=0)

    def _change(self, run_id: int, **values: Any) -> bool:
        statement = update(RunRow).where(RunRow.id == run_id, RunRow.state.in_(_OPEN))
        with self.database.session() as session:
            changed = session.execute(statement.values(**values).returning(RunRow.id)).first()
            return changed is not None

    def hits(self, run_id: int) -> list[dict[str, Any]]:
        query = select(HitRow.body).where(HitRow.run_id == run_id).order_by(HitRow.place)
        with self.database.session() as session:
            return list(session.scalars(query))

    def verdicts(self, run: Run, setups: Mapping[str, int]) -> dict[str, Verdict]:
        """The last verdict on each setup of a run, given as ``code: moment it fired``, whichever run it
        was seen in; those taken back are left out."""
        query = select(VerdictRow).where(
            VerdictRow.sieve_id == run.sieve_id,
            VerdictRow.code.in_(setups),
            VerdictRow.side == run.sieve.side,
            VerdictRow.timeframe == run.sieve.timeframe,
        )
        with self.database.session() as session:
            rows = session.scalars(query.order_by(VerdictRow.id))
            latest = {row.code: row for row in rows if row.fired_at == setups[row.code]}
        return {
            code: Verdict(
                verdict=VerdictKind(row.verdict),
                reason=row.reason,
                note=row.note,
                created_at=row.created_at,
                run_id=row.run_id,
            )
            for code, row in latest.items()
            if row.verdict is not None
        }

    def add_verdict(
        self, run: Run, code: str, fired_at: int, kind: VerdictKind | None, reason: str, note: str
    ) -> None:
        with self.database.session() as session:
            session.add(
                VerdictRow(
                    owner_id=owner_id(session),
                    run_id=run.id,
                    sieve_id=run.sieve_id,
                    code=code,
                    side=run.sieve.side,
                    timeframe=run.sieve.timeframe,
                    fired_at=fired_at,
                    verdict=kind,
                    reason=reason,
                    note=note,
                )
            )


def _run(row: RunRow) -> Run:
    return Run(
        id=row.id,
        sieve_id=row.sieve_id,
        version=row.version,
        sieve=read_sieve(row.body),
        as_of=row.as_of,
        state=RunState(row.state),
        reason=row.reason,
        attempts=row.attempts,
        done=row.done,
        total=row.total,
        hit_count=row.hit_count,
        outcome=row.outcome,
        created_at=row.created_at,
        started_at=row.started_at,
        finished_at=row.finished_at,
    )
