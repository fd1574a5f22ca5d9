"""The process that computes: it holds the bars, and makes a copy of itself for each computation.

A copy shares all memory until it writes, so that it starts in milliseconds and needs no bars of its own;
when it ends, in whatever way, everything it took is given back. This process computes nothing itself: it
keeps order, counts time and memory, and ends what is not wanted any more.
"""

from __future__ import annotations

import gc
import logging
import os
import selectors
import signal
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from multiprocessing.connection import Connection
from pathlib import Path
from typing import NoReturn

from zealous_sieve.compute.wire import (
    Asked,
    Died,
    Failed,
    Far,
    OverBudget,
    Result,
    accept,
    listen,
)
from zealous_sieve.core.errors import CoreError
from zealous_sieve.processes import ends_with, how_it_ended
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import UseCaseError
from zealous_sieve.usecases.ports import Kind

LOOK = 0.05
"""Seconds between two looks at what the copies take."""
IDLE = 0.25
GIB = 2**30
PAGE = os.sysconf("SC_PAGE_SIZE")

log = logging.getLogger(__name__)


@dataclass(frozen=True, kw_only=True)
class Budget:
    """What a computation may take. ``share`` is of the memory that is free when it begins, ``memory`` the
    most in bytes; ``at_once`` how many of the kind run, ``nice`` how far they stand back."""

    seconds: float
    share: float
    memory: int
    at_once: int
    nice: int


BUDGETS = {
    Kind.GLANCE: Budget(seconds=20, share=0.25, memory=2 * GIB, at_once=2, nice=2),
    Kind.PREVIEW: Budget(seconds=12, share=0.25, memory=3 * GIB, at_once=2, nice=2),
    Kind.RUN: Budget(seconds=1_800, share=0.5, memory=8 * GIB, at_once=1, nice=8),
}


@dataclass(eq=False)
class _Job:
    """A computation that was asked for; ``pid`` is that of its copy once it runs."""

    connection: Connection
    asked: Asked | None = None
    pid: int = 0
    begun: float = 0.0
    before: int = 0
    most: int = 0

    def taken(self) -> int:
        """Bytes that the copy holds beyond what it began with."""
        return max(0, _resident(self.pid) - self.before)


@dataclass
class Server:
    """Computations waiting and running; ``desk`` brings what they look at, by its owner."""

    name: str
    desk: Callable[[str], Desk]
    budgets: Mapping[Kind, Budget] = field(default_factory=lambda: BUDGETS)
    stopping: bool = False
    jobs: list[_Job] = field(default_factory=list)

    def run(self, ready: Callable[[], None] = lambda: None) -> None:
        """Compute what is asked for, until told to end."""
        self.listener = listen(self.name)
        self.selector = selectors.DefaultSelector()
        self.selector.register(self.listener, selectors.EVENT_READ)
        signal.signal(signal.SIGTERM, self._stop)
        signal.signal(signal.SIGINT, self._stop)
        ready()
        gc.collect()
        gc.freeze()
        while not self.stopping:
            running = any(job.pid for job in self.jobs)
            for key, _ in self.selector.select(LOOK if running else IDLE):
                if key.fileobj is self.listener:
                    self._arrive()
                else:
                    self._hear(key.data)
            self._reap()
            self._watch()
            while (job := self._next()) is not None:
                self._begin(job)
        for job in list(self.jobs):
            self._drop(job)

    def _stop(self, *_: object) -> None:
        self.stopping = True

    def _arrive(self) -> None:
        connection = accept(self.listener)
        if connection is not None:
            job = _Job(connection)
            self.jobs.append(job)
            self.selector.register(connection, selectors.EVENT_READ, job)

    def _hear(self, job: _Job) -> None:
        """What is asked, or, after that, the end of the connection: nobody waits any more."""
        if job not in self.jobs:
            return
        try:
            asked = job.connection.recv()
        except (EOFError, OSError):
            self._drop(job)
            return
        except Exception as error:
            log.exception("a question that can't be read")
            self._send(job, Failed(error))
            self._drop(job)
            return
        job.asked = asked

    def _next(self) -> _Job | None:
        """The next to begin: glances first, then previews, then runs, each in the order they came."""
        for kind, budget in self.budgets.items():
            own = [job for job in self.jobs if job.asked is not None and job.asked.kind == kind]
            running = sum(job.pid > 0 for job in own)
            if running < budget.at_once:
                for job in own:
                    if not job.pid:
                        return job
        return None

    def _begin(self, job: _Job) -> None:
        assert job.asked is not None
        try:
            desk = self.desk(job.asked.owner)
        except Exception as error:
            if not isinstance(error, UseCaseError | CoreError):
                log.exception("the desk can't be looked at")
            self._send(job, Failed(error))
            self._drop(job)
            return
        budget = self.budgets[job.asked.kind]
        job.most = min(budget.memory, int(budget.share * _available()))
        job.begun = time.monotonic()
        parent = os.getpid()
        # The copy waits until it has been measured, or what it takes at once would not count.
        measured, wait = os.pipe()
        job.pid = os.fork()
        if job.pid == 0:
            os.close(wait)
            os.read(measured, 1)
            os.close(measured)
            self._compute(job, desk, parent)
        job.before = _resident(job.pid)
        os.close(measured)
        os.close(wait)

    def _compute(self, job: _Job, desk: Desk, parent: int) -> NoReturn:
        """In the copy: compute, tell, and end without a trace."""
        assert job.asked is not None
        code = 1
        try:
            ends_with(parent, signal.SIGKILL)()
            signal.signal(signal.SIGTERM, signal.SIG_DFL)
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            os.nice(self.budgets[job.asked.kind].nice)
            self.listener.close()
            for other in self.jobs:
                if other is not job:
                    other.connection.close()
            job.connection.send(self._answer(job, desk))
            code = 0
        except BrokenPipeError:
            code = 0
        except BaseException:
            log.exception("a computation")
        finally:
            os._exit(code)

    @staticmethod
    def _answer(job: _Job, desk: Desk) -> Result | Failed:
        assert job.asked is not None
        connection, asked = job.connection, job.asked

        def progress(done: int, total: int) -> None:
            connection.send(Far(done, total))

        try:
            watched = replace(desk.at(asked.as_of), progress=progress)
            return Result(asked.work(watched, *asked.args, **asked.kw))
        except (CoreError, UseCaseError) as error:
            return Failed(error)

    def _reap(self) -> None:
        """Put away the copies that have ended."""
        for job in [job for job in self.jobs if job.pid]:
            ended, status = os.waitpid(job.pid, os.WNOHANG)
            if ended:
                job.pid = 0
                code = os.waitstatus_to_exitcode(status)
                if code != 0:
                    how = how_it_ended(code)
                    self._send(job, Died(f"was {how}" if code < 0 else how))
                self._drop(job)

    def _watch(self) -> None:
        """End what takes more than it may."""
        for job in [job for job in self.jobs if job.pid]:
            assert job.asked is not None
            seconds, memory = time.monotonic() - job.begun, job.taken()
            if memory > job.most or seconds > self.budgets[job.asked.kind].seconds:
                self._kill(job)
                self._send(job, OverBudget(seconds, memory))
                self._drop(job)

    def _kill(self, job: _Job) -> None:
        os.kill(job.pid, signal.SIGKILL)
        os.waitpid(job.pid, 0)
        job.pid = 0

    def _drop(self, job: _Job) -> None:
        """Forget a job, and end its copy if it still runs."""
        if job.pid:
            self._kill(job)
        self.jobs.remove(job)
        self.selector.unregister(job.connection)
        job.connection.close()

    @staticmethod
    def _send(job: _Job, message: object) -> None:
        try:
            job.connection.send(message)
        except OSError:
            log.info("nobody waits for it any more")


def _resident(pid: int) -> int:
    """Bytes of memory that a process has; 0 when it is gone."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * PAGE
    except OSError:
        return 0


def _available() -> int:
    """Bytes of memory that the machine can give."""
    for line in Path("/proc/meminfo").read_text().splitlines():
        if line.startswith("MemAvailable:"):
            return int(line.split()[1]) * 1024
    return GIB
