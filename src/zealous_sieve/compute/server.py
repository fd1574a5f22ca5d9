"""The process that computes: it holds the bars, and makes copies of itself that compute.

A copy shares all memory until it writes, so that it starts in milliseconds and needs no bars of its own;
when it ends, in whatever way, everything it took is given back. One that took little waits some seconds for
more of its kind on the same desk. This process computes nothing itself: it keeps order, counts time and
memory, and ends what is not wanted any more.
"""

from __future__ import annotations

import gc
import logging
import os
import pickle
import selectors
import signal
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from multiprocessing.connection import Connection, Pipe
from multiprocessing.reduction import recv_handle, send_handle
from pathlib import Path
from typing import NoReturn

from zealous_sieve.compute.wire import (
    ComputationAsked,
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
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.usecases.errors import UseCaseError

_LOOK = 0.05
"""Seconds between two looks at what the copies take."""
IDLE = 0.25
GIB = 2**30
PAGE = os.sysconf("SC_PAGE_SIZE")

_log = logging.getLogger(__name__)


@dataclass(frozen=True, kw_only=True)
class Budget:
    """What a computation may take. ``share`` is of the memory that is free when it begins, ``memory`` the
    most in bytes; ``at_once`` how many of the kind run, ``nice`` how far they stand back. A copy is used
    ``again`` where computations are short."""

    seconds: float
    share: float
    memory: int
    at_once: int
    nice: int
    again: bool = False


KEPT = 64 * 2**20
"""Bytes beyond what it began with that a copy may hold to be used again."""
RESTS = 20.0
"""Seconds for which a copy waits for more."""
LETS_KNOW = 0.02
"""Seconds in which a copy whose answer was taken says that it is done."""
BUDGETS = {
    OrderKind.GLANCE: Budget(seconds=20, share=0.25, memory=2 * GIB, at_once=2, nice=0, again=True),
    OrderKind.PREVIEW: Budget(
        seconds=12, share=0.25, memory=3 * GIB, at_once=2, nice=4, again=True
    ),
    OrderKind.FILE: Budget(seconds=60, share=0.25, memory=1 * GIB, at_once=1, nice=4),
    OrderKind.RUN: Budget(seconds=1_800, share=0.5, memory=8 * GIB, at_once=1, nice=8),
    OrderKind.IMPORT: Budget(seconds=1_800, share=0.5, memory=8 * GIB, at_once=1, nice=8),
}


@dataclass(eq=False, repr=False)
class _Copy:
    """A copy of this process for computations of a kind on a desk, none where they need none. Over
    ``link`` it is given the next and says that it is done; ``first`` are the bytes it began with."""

    pid: int
    link: Connection
    owner: str
    kind: OrderKind
    desk: Desk | None
    first: int
    idle_since: float = 0.0


@dataclass(eq=False, repr=False)
class _Job:
    """A computation that was asked for; ``copy`` works on it once it runs."""

    connection: Connection
    asked: ComputationAsked | None = None
    copy: _Copy | None = None
    begun: float = 0.0
    before: int = 0
    most: int = 0

    def taken(self) -> int:
        """Bytes that the copy holds beyond what it had before."""
        return max(0, _resident(self.copy.pid) - self.before) if self.copy else 0


@dataclass(repr=False)
class Server:
    """Computations waiting and running; ``desk`` brings what they look at, by its owner, ``outside`` all
    else that an owner has, with connections that no other process uses.

    It has no repr of all it holds: setting a signal's handler makes that of the one before, a method of it.
    """

    name: str
    desk: Callable[[str], Desk]
    outside: Callable[[str], Outside]
    budgets: Mapping[OrderKind, Budget] = field(default_factory=lambda: BUDGETS)
    stopping: bool = False
    jobs: list[_Job] = field(default_factory=list)
    resting: list[_Copy] = field(default_factory=list)

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
            running = any(job.copy for job in self.jobs)
            for key, _ in self.selector.select(_LOOK if running else IDLE):
                if key.fileobj is self.listener:
                    self._arrive()
                elif isinstance(key.data, _Job):
                    self._hear(key.data)
                else:
                    self._hear_copy(key.data)
            self._watch()
            while (job := self._next()) is not None:
                self._begin(job)
        for job in list(self.jobs):
            self._drop(job)
        for copy in list(self.resting):
            self._end(copy)

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
            if job.copy and job.copy.link.poll(LETS_KNOW):
                self._hear_copy(job.copy)
            else:
                self._drop(job)
            return
        except Exception as error:
            _log.exception("a question that can't be read")
            self._send(job, Failed(error))
            self._drop(job)
            return
        job.asked = asked

    def _next(self) -> _Job | None:
        """The next to begin: short ones before long ones, each kind in the order they came."""
        for kind, budget in self.budgets.items():
            own = [job for job in self.jobs if job.asked is not None and job.asked.kind == kind]
            running = sum(job.copy is not None for job in own)
            if running < budget.at_once:
                for job in own:
                    if not job.copy:
                        return job
        return None

    def _begin(self, job: _Job) -> None:
        assert job.asked is not None
        try:
            desk = None if job.asked.outside else self.desk(job.asked.owner)
        except Exception as error:
            if not isinstance(error, UseCaseError | CoreError):
                _log.exception("the desk can't be looked at")
            self._send(job, Failed(error))
            self._drop(job)
            return
        if desk is not None:
            self._end_of_earlier(job.asked.owner, desk)
        budget = self.budgets[job.asked.kind]
        job.copy = self._rested(job.asked, desk) or self._made(job.asked, desk)
        job.most = min(budget.memory, int(budget.share * _available()))
        job.begun = time.monotonic()
        job.before = _resident(job.copy.pid)
        try:
            job.copy.link.send(job.asked)
            send_handle(job.copy.link, job.connection.fileno(), job.copy.pid)
        except OSError:
            _log.warning("a copy ended before it was asked")

    def _end_of_earlier(self, owner: str, desk: Desk) -> None:
        """End the copies of what the desk of an owner was: they would keep bars that nobody looks at."""
        for copy in list(self.resting):
            if copy.owner == owner and copy.desk is not desk:
                self._end(copy)

    def _rested(self, request: ComputationAsked, desk: Desk | None) -> _Copy | None:
        """A copy that waits for more of this."""
        for copy in self.resting:
            if copy.kind == request.kind and copy.desk is desk:
                self.resting.remove(copy)
                return copy
        return None

    def _made(self, request: ComputationAsked, desk: Desk | None) -> _Copy:
        """A new copy, which waits for what it is asked."""
        parent = os.getpid()
        ours, its = Pipe()
        pid = os.fork()
        if pid == 0:
            ours.close()
            self._serve(its, request.kind, desk, parent)
        its.close()
        copy = _Copy(pid, ours, request.owner, request.kind, desk, first=_resident(pid))
        self.selector.register(ours, selectors.EVENT_READ, copy)
        return copy

    def _serve(self, link: Connection, kind: OrderKind, desk: Desk | None, parent: int) -> NoReturn:
        """In the copy: compute, tell, wait for more, and end without a trace."""
        code = 1
        try:
            ends_with(parent, signal.SIGKILL)()
            signal.signal(signal.SIGTERM, signal.SIG_DFL)
            signal.signal(signal.SIGINT, signal.SIG_IGN)
            os.nice(self.budgets[kind].nice)
            self.listener.close()
            self.selector.close()
            for job in self.jobs:
                job.connection.close()
                if job.copy:
                    job.copy.link.close()
            for copy in self.resting:
                copy.link.close()
            while True:
                asked = link.recv()
                with Connection(recv_handle(link)) as connection:
                    try:
                        connection.send(self._answer(connection, asked, desk))
                    except BrokenPipeError:
                        _log.info("nobody waits for it any more")
                link.send(None)
                asked = None
        except EOFError:
            code = 0
        except BaseException:
            _log.exception("a computation")
        finally:
            os._exit(code)

    def _answer(
        self, connection: Connection, request: ComputationAsked, desk: Desk | None
    ) -> Result | Failed | OverBudget:
        begun = time.monotonic()

        def progress(done: int, total: int) -> None:
            connection.send(Far(done, total))

        try:
            looked_at = (
                self.outside(request.owner)
                if desk is None
                else replace(desk.at(request.as_of), progress=progress)
            )
            value = request.work(looked_at, *request.args, **request.kw)
            return Result(pickle.dumps(value, pickle.HIGHEST_PROTOCOL))
        except (CoreError, UseCaseError) as error:
            return Failed(error)
        except MemoryError:
            return OverBudget(time.monotonic() - begun, _resident(os.getpid()))

    def _hear_copy(self, copy: _Copy) -> None:
        """That a copy is done, or has ended."""
        if copy.link.closed or not copy.link.poll():
            return
        job = next((job for job in self.jobs if job.copy is copy), None)
        try:
            copy.link.recv()
        except (EOFError, OSError):
            self._ended(copy, job)
            return
        if job is not None:
            job.copy = None
            self._drop(job)
        if self.budgets[copy.kind].again and _resident(copy.pid) - copy.first <= KEPT:
            copy.idle_since = time.monotonic()
            self.resting.append(copy)
        else:
            self._end(copy)

    def _ended(self, copy: _Copy, job: _Job | None) -> None:
        """Put away a copy that ended by itself."""
        status = self._end(copy)
        if job is not None:
            job.copy = None
            how = how_it_ended(os.waitstatus_to_exitcode(status))
            self._send(job, Died(f"was {how}" if os.WIFSIGNALED(status) else how))
            self._drop(job)

    def _watch(self) -> None:
        """End what takes more than it may, and what waited long enough for more."""
        now = time.monotonic()
        for job in [job for job in self.jobs if job.copy]:
            assert job.asked is not None
            seconds, memory = now - job.begun, job.taken()
            if memory > job.most or seconds > self.budgets[job.asked.kind].seconds:
                self._send(job, OverBudget(seconds, memory))
                self._drop(job)
        for copy in [copy for copy in self.resting if now - copy.idle_since > RESTS]:
            self._end(copy)

    def _end(self, copy: _Copy) -> int:
        """End a copy, whatever it does; returns how it ended."""
        if copy in self.resting:
            self.resting.remove(copy)
        self.selector.unregister(copy.link)
        copy.link.close()
        with suppress(ProcessLookupError):
            os.kill(copy.pid, signal.SIGKILL)
        return os.waitpid(copy.pid, 0)[1]

    def _drop(self, job: _Job) -> None:
        """Forget a job, and end its copy if it still works on it."""
        if job.copy:
            self._end(job.copy)
        self.jobs.remove(job)
        self.selector.unregister(job.connection)
        job.connection.close()

    @staticmethod
    def _send(job: _Job, message: object) -> None:
        try:
            job.connection.send(message)
        except OSError:
            _log.info("nobody waits for it any more")


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
