"""Background work on PostgreSQL: durable, one job a run or import, taken up again after a restart."""

from __future__ import annotations

import asyncio
import logging
import os
from collections.abc import Callable
from threading import Lock

import procrastinate
import psycopg
from procrastinate.exceptions import AlreadyEnqueued, ConnectorException
from procrastinate.jobs import Status

from zealous_sieve.jobs.tasks import TASKS, Task
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import OutageError, database_away
from zealous_sieve.usecases.records.work import Work
from zealous_sieve.usecases.table.sources import FileReading, read_sources

ONLY_WORKER = 7_215_001
"""Number of the advisory lock that the one worker of a database holds."""
_LOOK_EVERY = 3.0
READ_EVERY = 20.0
"""Seconds between two looks at the folders that are kept as sources."""
LEFT = 75
"""The code with which the worker ends when it can't go on but another start can."""

_log = logging.getLogger(__name__)


class Queue:
    """Implements QueuePort."""

    def __init__(self, address: str, owner: str) -> None:
        self.owner = owner
        self._app = procrastinate.App(
            # Connections are made when they are needed: none is waited for after the database was away.
            connector=procrastinate.SyncPsycopgConnector(conninfo=address, min_size=0, max_size=8)
        )
        self._lock = Lock()
        self._opened = False

    def submit(self, work: Work, number: int) -> None:
        name = work.key(number)
        try:
            with self._lock:
                if not self._opened:
                    self._app.open()
                    self._opened = True
            job = self._app.configure_task(work.name, lock=name, queueing_lock=name)
            job.defer(number=number, owner=self.owner)
        except AlreadyEnqueued:
            _log.info("%s is waiting already", name)
        except ConnectorException as error:
            raise database_away() from error


ForOwner = Callable[[str], Outside]
"""What the use cases need, for an owner by name."""


def work(address: str, for_owner: ForOwner, owners: Callable[[], list[str]]) -> None:
    """Take up what a former worker left, then work until told to stop.

    The worker keeps nothing that is not in the database: when that goes away, the process ends, so that
    the one started after it takes up what was under way. Raises RuntimeError when another worker is at
    work on the same database. ``owners`` lists whose runs there may be.
    """
    with psycopg.connect(address, autocommit=True) as keeper:
        held = keeper.execute("SELECT pg_try_advisory_lock(%s)", (ONLY_WORKER,)).fetchone()
        if not (held and held[0]):
            raise RuntimeError("another worker is at work on this database")
        asyncio.run(_worker(address, for_owner, owners, keeper))


async def _worker(
    address: str,
    for_owner: ForOwner,
    owners: Callable[[], list[str]],
    keeper: psycopg.Connection,
) -> None:
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=address))
    at_work: set[str] = set()
    for task in TASKS:
        _know(app, task, for_owner, at_work)

    async with app.open_async():
        for job in await app.job_manager.list_jobs_async(status=Status.DOING.value):
            await app.job_manager.finish_job(job, Status.FAILED, delete_job=False)
        for owner in await asyncio.to_thread(owners):
            for task in TASKS:
                for number in await asyncio.to_thread(task.recover, for_owner(owner)):
                    _log.warning("%s was interrupted and is queued again", task.work.key(number))
        watching = asyncio.create_task(_watch(app, for_owner, owners, keeper, at_work))
        reading = asyncio.create_task(_read_folders(for_owner, owners))
        await app.run_worker_async(
            concurrency=2, fetch_job_polling_interval=2.0, delete_jobs="always"
        )
        watching.cancel()
        reading.cancel()


def _know(app: procrastinate.App, task: Task, for_owner: ForOwner, at_work: set[str]) -> None:
    """Tell the queue what to do for a task."""

    @app.task(name=task.work.name)  # type: ignore[untyped-decorator]
    def work(number: int, owner: str) -> None:
        name = task.work.key(number)
        at_work.add(name)
        outside = for_owner(owner)
        try:
            task.execute(outside, number)
        except OutageError as error:
            _leave(f"during {name}: {error}")
        except Exception as error:
            _log.exception(name)
            _give_up(task, outside, number, error)
        finally:
            at_work.discard(name)


async def _watch(
    app: procrastinate.App,
    for_owner: ForOwner,
    owners: Callable[[], list[str]],
    keeper: psycopg.Connection,
    at_work: set[str],
) -> None:
    """Look every few seconds whether the database still knows this worker, and for work that waits without
    a job, which happens when the database went away between the two."""
    while True:
        await asyncio.sleep(_LOOK_EVERY)
        try:
            await asyncio.to_thread(keeper.execute, "SELECT 1")
            for owner in await asyncio.to_thread(owners):
                own = for_owner(owner)
                for task in TASKS:
                    for piece in await asyncio.to_thread(own.work.unfinished, task.work):
                        name = task.work.key(piece.number)
                        jobs = await app.job_manager.list_jobs_async(lock=name)
                        live = any(job.status in (Status.TODO, Status.DOING) for job in jobs)
                        if not live and name not in at_work:
                            await asyncio.to_thread(own.queue.submit, task.work, piece.number)
        except Exception as error:
            _leave(f"the database can't be used: {error}")


async def _read_folders(for_owner: ForOwner, owners: Callable[[], list[str]]) -> None:
    """Take what is new in the folders that are kept as sources, again and again."""
    settled: dict[str, dict[str, str]] = {}
    while True:
        await asyncio.sleep(READ_EVERY)
        try:
            for owner in await asyncio.to_thread(owners):
                own = settled.get(owner, {})
                settled[owner] = await asyncio.to_thread(
                    read_sources, for_owner(owner), own, _tell_of
                )
        except OutageError as error:
            _leave(f"while reading folders: {error}")
        except Exception:
            _log.exception("while reading folders")


def _tell_of(reading: FileReading) -> None:
    _log.info(
        "%s: %s taken, %s refused %s", reading.name, reading.taken, reading.refused, reading.trouble
    )


def _leave(reason: str) -> None:
    _log.warning("%s; the worker ends, the next one takes up its work", reason)
    os._exit(LEFT)


def _give_up(task: Task, outside: Outside, number: int, error: Exception) -> None:
    reason = f"an error inside the program: {type(error).__name__}: {error}"
    try:
        task.give_up(outside, number, reason)
    except OutageError as outage:
        _leave(f"during {task.work.key(number)}: {outage}")
