"""Progress of runs as server-sent events: one look at the database serves all who listen."""

from __future__ import annotations

import asyncio
import json
from collections import defaultdict
from collections.abc import AsyncIterator
from dataclasses import asdict

from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse

from zealous_sieve.admission import Admission
from zealous_sieve.core.errors import CoreError
from zealous_sieve.usecases.errors import NotFoundError, UseCaseError
from zealous_sieve.usecases.ports import RunProgress, RunsPort
from zealous_sieve.web.contract import MOST
from zealous_sieve.web.errors import failure_of, problems_of
from zealous_sieve.web.strangers import check_host, check_pass

POLL = 0.08
"""Seconds between two looks while somebody listens."""
PAUSE = 1.0
"""Seconds before the next look when the database is away."""
STILL_HERE = 10.0
"""Seconds after which a stream says that it is still there, so that a dead one is noticed."""
LONGEST = 600.0
"""Seconds after which a stream ends; the page opens it again."""


class Streams:
    """Who listens to which run. Lives in one event loop; no thread waits."""

    def __init__(self, runs: RunsPort, admission: Admission) -> None:
        self.runs, self.admission = runs, admission
        self._listeners: dict[int, set[asyncio.Queue[RunProgress | None]]] = defaultdict(set)
        self._looking: asyncio.Task[None] | None = None

    async def answer(self, request: Request) -> Response:
        """``GET /api/runs/<number>/events``: states of a run until it ends."""
        run_id = request.path_params["run_id"]
        try:
            host = request.headers.get("host", "")
            check_host(host)
            check_pass(
                self.admission, host, request.cookies, request.headers.get("authorization", "")
            )
            known = run_id <= MOST and await asyncio.to_thread(self.runs.progress_of, [run_id])
            if not known:
                raise NotFoundError("run", run_id)
        except (CoreError, UseCaseError) as error:
            problems, status = problems_of(error)
            return JSONResponse(asdict(failure_of(problems)), status)
        headers = {"Cache-Control": "no-cache", "X-Accel-Buffering": "no"}
        told = self._told(run_id)
        return StreamingResponse(told, media_type="text/event-stream", headers=headers)

    async def _told(self, run_id: int) -> AsyncIterator[str]:
        news: asyncio.Queue[RunProgress | None] = asyncio.Queue()
        self._listeners[run_id].add(news)
        if self._looking is None:
            self._looking = asyncio.create_task(self._look())
        end = asyncio.get_running_loop().time() + LONGEST
        try:
            while asyncio.get_running_loop().time() < end:
                try:
                    progress = await asyncio.wait_for(news.get(), STILL_HERE)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                if progress is None:
                    return
                yield f"data: {json.dumps(asdict(progress))}\n\n"
                if progress.state.ended:
                    return
        finally:
            self._listeners[run_id].discard(news)
            if not self._listeners[run_id]:
                del self._listeners[run_id]

    async def _look(self) -> None:
        """Tell every listener what has changed, while there is one."""
        told: dict[asyncio.Queue[RunProgress | None], RunProgress | None] = {}
        try:
            while self._listeners:
                try:
                    found = await asyncio.to_thread(self.runs.progress_of, list(self._listeners))
                except UseCaseError:
                    await asyncio.sleep(PAUSE)
                    continue
                listening = [(n, queue) for n, own in self._listeners.items() for queue in own]
                told = {queue: told[queue] for _, queue in listening if queue in told}
                for number, queue in listening:
                    progress = found.get(number)
                    if queue not in told or told[queue] != progress:
                        told[queue] = progress
                        queue.put_nowait(progress)
                await asyncio.sleep(POLL)
        finally:
            self._looking = None
