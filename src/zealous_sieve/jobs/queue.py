"""Background work on PostgreSQL: durable, one job a run, taken up again after a restart."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable

import procrastinate
import psycopg
from procrastinate.exceptions import AlreadyEnqueued

from zealous_sieve.usecases.ports import Outside, RunState
from zealous_sieve.usecases.runs import execute_run, recover_runs

RUN_TASK = "run_sieve"
ONLY_WORKER = 7_215_001
"""Number of the advisory lock that the one worker of a database holds."""

log = logging.getLogger(__name__)


class Queue:
    """Implements QueuePort."""

    def __init__(self, address: str) -> None:
        self._app = procrastinate.App(
            connector=procrastinate.SyncPsycopgConnector(conninfo=address)
        )
        self._opened = False

    def submit_run(self, run_id: int) -> None:
        """Queue a run; a run that waits already is not queued twice."""
        if not self._opened:
            self._app.open()
            self._opened = True
        name = f"run-{run_id}"
        job = self._app.configure_task(RUN_TASK, lock=name, queueing_lock=name)
        try:
            job.defer(run_id=run_id)
        except AlreadyEnqueued:
            log.info("run %s is waiting already", run_id)


def work(address: str, outside: Outside, ready: Callable[[], None] | None = None) -> None:
    """Take up what a former worker left, then work until told to stop.

    Raises RuntimeError when another worker is at work on the same database.
    """
    with psycopg.connect(address, autocommit=True) as keeper:
        held = keeper.execute("SELECT pg_try_advisory_lock(%s)", (ONLY_WORKER,)).fetchone()
        if not (held and held[0]):
            raise RuntimeError("another worker is at work on this database")
        keeper.execute("UPDATE procrastinate_jobs SET status = 'failed' WHERE status = 'doing'")
        for run_id in recover_runs(outside):
            log.warning("run %s was interrupted and is queued again", run_id)
        outside.bars.panel()
        if ready:
            ready()
        asyncio.run(_worker(address, outside))


async def _worker(address: str, outside: Outside) -> None:
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=address))

    @app.task(name=RUN_TASK)  # type: ignore[untyped-decorator]
    def run_sieve(run_id: int) -> None:
        try:
            execute_run(outside, run_id)
        except Exception as error:
            log.exception("run %s", run_id)
            _give_up(outside, run_id, error)

    async with app.open_async():
        await app.run_worker_async(concurrency=2, fetch_job_polling_interval=2.0)


def _give_up(outside: Outside, run_id: int, error: Exception) -> None:
    reason = f"an error inside the program: {type(error).__name__}: {error}"
    outside.runs.end(run_id, RunState.FAILED, reason)
