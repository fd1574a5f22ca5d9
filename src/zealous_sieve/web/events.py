"""Progress of work as server-sent events: one look at the database serves all who listen."""

from __future__ import annotations

import asyncio
import json
import re
from collections import defaultdict
from collections.abc import AsyncIterator, Iterable, Mapping
from dataclasses import asdict

from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse

from zealous_sieve.admission import Admission
from zealous_sieve.core.errors import CoreError, DataError, Problem
from zealous_sieve.usecases.errors import NotFoundError, UseCaseError
from zealous_sieve.usecases.ports.work import WorkPort
from zealous_sieve.usecases.records.imports import IMPORT
from zealous_sieve.usecases.records.runs import RUN
from zealous_sieve.usecases.records.work import Piece, Work
from zealous_sieve.usecases.table.demo import DEMO
from zealous_sieve.web.contract import LARGEST_NUMBER
from zealous_sieve.web.errors import failure_of, problems_of
from zealous_sieve.web.strangers import check_host, check_pass

POLL = 0.08
"""Seconds between two looks while somebody listens."""
PAUSE = 1.0
"""Seconds before the next look when the database is away."""
STILL_HERE = 10.0
"""Seconds after which a stream says that it is still there, so that a dead one is noticed."""
_LONGEST = 600.0
"""Seconds after which a stream ends; the page opens it again."""
MOST_AT_ONCE = 100
"""So many pieces of work are told of by one stream."""

_Name = tuple[Work, int]
"""A piece of work: its kind and number."""
_KINDS = {work.noun: work for work in (RUN, IMPORT, DEMO)}
_NAME = re.compile(r"([a-z]+)-(\d{1,10})")


class Streams:
    """Who listens to which work. Lives in one event loop; no thread waits."""

    def __init__(self, works: WorkPort, admission: Admission) -> None:
        self.works, self.admission = works, admission
        self._listeners: dict[_Name, set[asyncio.Queue[_Name]]] = defaultdict(set)
        self._known: dict[_Name, Piece | None] = {}
        self._looking: asyncio.Task[None] | None = None

    async def answer(self, request: Request) -> Response:
        """``GET /api/events?of=run-7&of=import-5``: how far pieces of work are, until nothing is under way
        with any of them. Each event is a piece: ``of`` its name, ``state``, ``done``, ``total``,
        ``at_work``."""
        try:
            host = request.headers.get("host", "")
            check_host(host)
            check_pass(
                self.admission, host, request.cookies, request.headers.get("authorization", "")
            )
            names = _names(request.query_params.getlist("of"))
            known = await asyncio.to_thread(_pieces, self.works, names)
            for (work, number), piece in known.items():
                if piece is None:
                    raise NotFoundError(work.noun, number)
        except (CoreError, UseCaseError) as error:
            problems, status = problems_of(error)
            return JSONResponse(asdict(failure_of(problems)), status)
        headers = {"Cache-Control": "no-cache", "X-Accel-Buffering": "no"}
        told = self._told(known)
        return StreamingResponse(told, media_type="text/event-stream", headers=headers)

    async def _told(self, pieces: Mapping[_Name, Piece | None]) -> AsyncIterator[str]:
        open_ones = set(pieces)
        news: asyncio.Queue[_Name] = asyncio.Queue()
        for name, piece in pieces.items():
            self._known.setdefault(name, piece)
            self._listeners[name].add(news)
            news.put_nowait(name)
        if self._looking is None:
            self._looking = asyncio.create_task(self._look())
        end = asyncio.get_running_loop().time() + _LONGEST
        try:
            while open_ones and asyncio.get_running_loop().time() < end:
                try:
                    name = await asyncio.wait_for(news.get(), STILL_HERE)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                piece = self._known[name]
                if piece is not None:
                    yield f"data: {json.dumps(_event(name, piece))}\n\n"
                if piece is None or not piece.state.at_work:
                    open_ones.discard(name)
        finally:
            for name in pieces:
                self._listeners[name].discard(news)
                if not self._listeners[name]:
                    del self._listeners[name], self._known[name]

    async def _look(self) -> None:
        """Tell every listener what has changed, while there is one."""
        try:
            while self._listeners:
                try:
                    found = await asyncio.to_thread(_pieces, self.works, list(self._listeners))
                except UseCaseError:
                    await asyncio.sleep(PAUSE)
                    continue
                for name, piece in found.items():
                    if name in self._known and self._known[name] != piece:
                        self._known[name] = piece
                        for news in self._listeners[name]:
                            news.put_nowait(name)
                await asyncio.sleep(POLL)
        finally:
            self._looking = None


def _names(names: list[str]) -> list[_Name]:
    """The pieces of work that are named. Raises DataError."""
    parts = [_NAME.fullmatch(own) for own in names[:MOST_AT_ONCE]]
    if not names or not all(own and own[1] in _KINDS for own in parts):
        message = f"not said what to tell of: each is one of {', '.join(_KINDS)} and a number"
        raise DataError(Problem(code="no_work", message=message, mend="say for instance of=run-7"))
    return [(_KINDS[own[1]], min(int(own[2]), LARGEST_NUMBER)) for own in parts if own]


def _pieces(works: WorkPort, names: Iterable[_Name]) -> dict[_Name, Piece | None]:
    """Pieces of work as they are now; none where there is no such piece."""
    numbers: dict[Work, list[int]] = defaultdict(list)
    for work, number in names:
        numbers[work].append(number)
    found: dict[_Name, Piece | None] = {}
    for work, own in numbers.items():
        told = works.told(work, own)
        found |= {(work, number): told.get(number) for number in own}
    return found


def _event(name: _Name, piece: Piece) -> dict[str, object]:
    work, number = name
    return {
        "of": work.key(number),
        "state": piece.state,
        "done": piece.done,
        "total": piece.total,
        "at_work": piece.state.at_work,
    }
