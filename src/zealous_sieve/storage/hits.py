"""Hits of runs, by page and column, and the verdicts on them."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import fields
from datetime import datetime
from typing import Any

import psycopg
from sqlalchemy import (
    ColumnElement,
    ScalarSelect,
    Select,
    and_,
    case,
    delete,
    exists,
    func,
    literal,
    select,
    text,
    true,
)
from sqlalchemy.orm import Session, aliased

from zealous_sieve.core.sieve.definition import Side, read_sieve
from zealous_sieve.core.sieve.hit import Cell, Hit
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.documents import read_hit, write_hit
from zealous_sieve.storage.models import HitRow, RunRow, VerdictRow
from zealous_sieve.usecases.records.hits import (
    DecidedSetup,
    HitCounts,
    HitsQuery,
    HitTally,
    OpenIdea,
    SeenHit,
    Verdict,
    VerdictKind,
    WasHit,
)
from zealous_sieve.usecases.records.runs import Run

_IN_BODY = ("values", "unknown")
_COLUMNS = tuple(f.name for f in fields(Hit) if f.name not in _IN_BODY)
_EVERYTHING = HitsQuery()
MOST_IDEAS = 1_000
MOST_DECIDED = 20_000
_SETUP = (
    VerdictRow.sieve_id, VerdictRow.code, VerdictRow.side, VerdictRow.timeframe, VerdictRow.fired_at,
)  # fmt: skip
_LAST_VERDICTS = select(func.max(VerdictRow.id)).group_by(*_SETUP)
_OF_HIT_NAMES = ("id", "name", "bar_at", "close", "tick")
_OF_HIT = tuple(getattr(HitRow, name) for name in _OF_HIT_NAMES)


class HitStore:
    """Implements HitsPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def page(
        self, run: Run, before: int | None = None, query: HitsQuery = _EVERYTHING
    ) -> tuple[int, list[SeenHit]]:
        """How many hits fit a query, and those of the page asked for."""
        seen = _Seen(run, before)
        fitting = seen.fitting(query.words)
        order = seen.by(query.sort)
        ordered = (order.desc() if query.down else order.asc()).nulls_last()
        page = fitting.order_by(ordered, HitRow.place).offset(query.first).limit(query.count)
        with self.database.session() as session:
            rows = session.execute(page).all()
            whole = select(func.count()).select_from(fitting.subquery())
            count = session.scalars(whole).one()
            return count, [_seen_hit(*row) for row in rows]

    def run_of(self, hit_id: int) -> int | None:
        mine = select(RunRow.id).join(HitRow, HitRow.run_id == RunRow.id)
        with self.database.session() as session:
            return session.scalar(mine.where(HitRow.id == hit_id))

    def one(self, run: Run, hit_id: int, before: int | None = None) -> SeenHit | None:
        return self._first(run, _Seen(run, before).all.where(HitRow.id == hit_id))

    def first_of(self, run: Run, code: str, before: int | None = None) -> SeenHit | None:
        mine = _Seen(run, before).all.where(HitRow.code == code)
        return self._first(run, mine.order_by(HitRow.place))

    def _first(self, run: Run, query: Select[Any]) -> SeenHit | None:
        with self.database.session() as session:
            row = session.execute(query).first()
            return None if row is None else _seen_hit(*row)

    def next_open(self, run: Run, after: int) -> int | None:
        """The first hit without a verdict after a place, else the first of all."""
        seen = _Seen(run, None)
        waiting = select(HitRow.id).outerjoin(VerdictRow, seen.last).where(seen.waits, seen.mine)
        with self.database.session() as session:
            return session.scalar(
                waiting.order_by((HitRow.place <= after).asc(), HitRow.place).limit(1)
            )

    def counts(self, run: Run, before: int | None) -> HitCounts:
        """How many wait and are new; and which are gone."""
        seen = _Seen(run, before)
        own, earlier = aliased(HitRow), aliased(HitRow)
        numbers = (
            select(
                func.count().filter(seen.waits),
                func.count().filter(seen.news == "new"),
            )
            .select_from(HitRow)
            .outerjoin(VerdictRow, seen.last)
            .where(seen.mine)
        )
        still = exists().where(own.run_id == run.id, *_same_setup(own, earlier))
        gone = select(earlier.code).where(earlier.run_id == before, ~still)
        with self.database.session() as session:
            waiting, new = session.execute(numbers).one()
            codes = session.scalars(gone.order_by(earlier.place)) if before is not None else ()
            return HitCounts(waiting=waiting, new=new, gone=tuple(codes))

    def tallies(self, compared: Mapping[int, int | None]) -> dict[int, HitTally]:
        given = {
            "runs": list(compared),
            "before": list(compared.values()),
            "owner": self.database.owner_id,
        }
        with self.database.connection() as connection:
            rows = connection.execute(_TALLIES, given).all() if compared else ()
            return {run: HitTally(waiting=waiting, new=new) for run, waiting, new in rows}

    def of_instrument(self, code: str, limit: int) -> list[WasHit]:
        query = (
            select(HitRow.id, RunRow.id, RunRow.body, RunRow.as_of, HitRow.place)
            .join(RunRow, RunRow.id == HitRow.run_id)
            .where(HitRow.code == code)
            .order_by(RunRow.id.desc(), HitRow.place)
        )
        with self.database.session() as session:
            return [
                WasHit(id=hit, run_id=run, sieve=read_sieve(body).name, as_of=as_of, place=place)
                for hit, run, body, as_of, place in session.execute(query.limit(limit))
            ]

    def open_ideas(self) -> list[OpenIdea]:
        query = (
            select(VerdictRow, RunRow.body, RunRow.as_of, HitRow.id)
            .join(RunRow, RunRow.id == VerdictRow.run_id)
            .join(
                HitRow, and_(HitRow.run_id == VerdictRow.run_id, *_same_setup(HitRow, VerdictRow))
            )
            .where(VerdictRow.id.in_(_LAST_VERDICTS))
            .where(VerdictRow.verdict.in_((VerdictKind.TAKE, VerdictKind.WATCH)))
            .order_by(VerdictRow.id.desc())
            .limit(MOST_IDEAS)
        )
        with self.database.session() as session:
            return [
                OpenIdea(
                    id=hit,
                    code=row.code,
                    side=row.side,
                    sieve=read_sieve(body).name,
                    run_id=row.run_id,
                    as_of=as_of,
                    verdict=VerdictKind(row.verdict or ""),
                )
                for row, body, as_of, hit in session.execute(query)
            ]

    def decided(self, as_of: datetime | None) -> list[DecidedSetup]:
        query = (
            select(VerdictRow, RunRow.body, RunRow.as_of, *_OF_HIT)
            .join(RunRow, RunRow.id == VerdictRow.run_id)
            .join(
                HitRow, and_(HitRow.run_id == VerdictRow.run_id, *_same_setup(HitRow, VerdictRow))
            )
            .where(VerdictRow.id.in_(_LAST_VERDICTS), VerdictRow.verdict.is_not(None))
            .where(true() if as_of is None else RunRow.as_of <= as_of)
            .order_by(VerdictRow.id.desc())
            .limit(MOST_DECIDED)
        )
        names: dict[str, str] = {}
        with self.database.session() as session:
            return [
                DecidedSetup(
                    code=row.code,
                    side=Side(row.side),
                    timeframe=row.timeframe,
                    sieve_id=row.sieve_id,
                    sieve=names.get(body) or names.setdefault(body, read_sieve(body).name),
                    run_id=row.run_id,
                    as_of=moment,
                    fired_at=row.fired_at,
                    verdict=VerdictKind(row.verdict or ""),
                    reason=row.reason,
                    note=row.note,
                    decided_at=row.created_at,
                    **dict(zip(_OF_HIT_NAMES, of_hit, strict=True)),
                )
                for row, body, moment, *of_hit in session.execute(query)
            ]

    def add_verdict(
        self, run: Run, hit: Hit, kind: VerdictKind | None, reason: str, note: str
    ) -> None:
        with self.database.session() as session:
            session.add(
                VerdictRow(
                    run_id=run.id,
                    sieve_id=run.sieve_id,
                    code=hit.code,
                    side=hit.side,
                    timeframe=hit.timeframe,
                    fired_at=hit.fired_at,
                    verdict=kind,
                    reason=reason,
                    note=note,
                )
            )


_TALLIES = text("""
SELECT wanted.run, count(*) FILTER (WHERE last.verdict IS NULL), count(*) FILTER (
    WHERE wanted.before IS NOT NULL AND NOT EXISTS (
        SELECT FROM hits e WHERE e.run_id = wanted.before AND e.sieve_id = h.sieve_id
            AND e.code = h.code AND e.side = h.side AND e.timeframe = h.timeframe
    )
)
FROM unnest(cast(:runs AS int[]), cast(:before AS int[])) AS wanted (run, before)
JOIN hits h ON h.run_id = wanted.run
LEFT JOIN LATERAL (
    SELECT v.verdict FROM verdicts v
    WHERE v.owner_id = :owner AND v.sieve_id = h.sieve_id AND v.code = h.code AND v.side = h.side
        AND v.timeframe = h.timeframe AND v.fired_at = h.fired_at
    ORDER BY v.id DESC LIMIT 1
) last ON true
GROUP BY wanted.run
""")


class _Seen:
    """The hits of a run with what was seen before: the last verdict on the setup, whichever run it was
    seen in, and whether the run ``before`` had the instrument."""

    def __init__(self, run: Run, before: int | None) -> None:
        earlier = aliased(HitRow)
        known = exists().where(earlier.run_id == before, *_same_setup(earlier, HitRow))
        self.mine = HitRow.run_id == run.id
        self.last = VerdictRow.id == _last_verdict()
        self.waits: ColumnElement[bool] = VerdictRow.verdict.is_(None)
        self.news: ColumnElement[str] = (
            literal("") if before is None else case((known, "kept"), else_="new")
        )
        self.mark: ColumnElement[str] = func.coalesce(VerdictRow.verdict, "")
        self.all: Select[Any] = (
            select(HitRow, self.news.label("news"), VerdictRow)
            .outerjoin(VerdictRow, self.last)
            .where(self.mine)
        )

    def fitting(self, words: str) -> Select[Any]:
        """Those with all the words in their code, name, parts, news or verdict."""
        state = case((self.waits, "open"), else_=self.mark)
        told = func.lower(
            func.concat_ws(
                " ",
                HitRow.code,
                HitRow.name,
                HitRow.side,
                func.array_to_string(HitRow.parts, " "),
                self.news,
                state,
            )
        )
        wanted = [told.contains(word, autoescape=True) for word in words.lower().split()]
        return self.all.where(and_(true(), *wanted))

    def by(self, column: str) -> ColumnElement[Any]:
        """What a column is sorted by."""
        own: dict[str, ColumnElement[Any]] = {"news": self.news, "verdict": self.mark}
        return own[column] if column in own else HitRow.__table__.c[column]


def _same_setup(one: Any, other: Any) -> list[ColumnElement[bool]]:
    """Whether two rows are of the same sieve, instrument, side and timeframe."""
    names = ("sieve_id", "code", "side", "timeframe")
    return [getattr(one, name) == getattr(other, name) for name in names]


def _last_verdict() -> ScalarSelect[int]:
    """The number of the last verdict on the setup of a hit."""
    numbers = select(func.max(VerdictRow.id)).where(
        *_same_setup(VerdictRow, HitRow), VerdictRow.fired_at == HitRow.fired_at
    )
    return numbers.correlate(HitRow).scalar_subquery()


def _seen_hit(kept: HitRow, news: str, given: VerdictRow | None) -> SeenHit:
    body = read_hit(kept.body)
    verdict = None
    if given is not None and given.verdict is not None:
        verdict = Verdict(
            verdict=VerdictKind(given.verdict),
            reason=given.reason,
            note=given.note,
            created_at=given.created_at,
            run_id=given.run_id,
        )
    columns = {name: getattr(kept, name) for name in _COLUMNS} | {
        "cells": tuple(Cell(cell) for cell in kept.cells),
        "parts": tuple(kept.parts),
        "side": Side(kept.side),
    }
    hit = Hit(
        **columns,
        values=tuple(float("nan") if value is None else value for value in body["values"]),
        unknown={int(n): words for n, words in body["unknown"].items()},
    )
    told = tuple(body.get("told", ()))
    return SeenHit(id=kept.id, hit=hit, place=kept.place, told=told, news=news, verdict=verdict)


def write_hits(session: Session, run: RunRow, hits: Sequence[Hit]) -> None:
    """Keep the hits of a run in place of those that it had."""
    session.execute(delete(HitRow).where(HitRow.run_id == run.id))
    connection = session.connection().connection.driver_connection
    assert isinstance(connection, psycopg.Connection)
    names = ", ".join(("run_id", "sieve_id", "place", "body", *_COLUMNS))
    with connection.cursor() as cursor, cursor.copy(f"COPY hits ({names}) FROM STDIN") as out:
        for place, hit in enumerate(hits, start=1):
            own = (getattr(hit, name) for name in _COLUMNS)
            columns = (
                list(map(str, value)) if isinstance(value, tuple) else value for value in own
            )
            out.write_row((run.id, run.sieve_id, place, json.dumps(write_hit(hit)), *columns))
