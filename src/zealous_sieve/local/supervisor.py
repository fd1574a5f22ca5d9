"""Several processes that belong together: what dies is started again, and all end together."""

from __future__ import annotations

import signal
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from zealous_sieve import clock
from zealous_sieve.processes import how_it_ended, start_child
from zealous_sieve.storage.services import ServicesFile, ServiceState

FIRST_PAUSE = 0.25
LONGEST_PAUSE = 8.0
"""Seconds before a process that died is started again: doubled each time, up to this."""
SOUND = 60.0
"""A process that has run for so many seconds is well again: the next pause is the first."""
TURN = 0.1
_PATIENCE = 10.0
"""Seconds that a process has to end by itself."""


@dataclass(frozen=True, kw_only=True)
class Service:
    """A process to keep alive. ``end`` asks it to end, ``first`` is done before each start."""

    name: str
    command: Sequence[str]
    environment: Mapping[str, str] | None = None
    account: str | None = None
    end: signal.Signals = signal.SIGTERM
    log: int | None = None
    """A file for what it tells; else it goes where this process's does."""
    first: Callable[[], None] = field(default=lambda: None)


class Stop:
    """Set by the first of the signals that ask this process to end."""

    def __init__(self) -> None:
        self.asked = False
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._ask)

    def _ask(self, *_: object) -> None:
        self.asked = True

    def wait(self, process: subprocess.Popen[bytes]) -> int | None:
        """Wait for a process; asked to stop meanwhile, end it. Returns its code, or None then."""
        while process.poll() is None:
            if self.asked:
                end([process])
                return None
            time.sleep(TURN)
        return process.returncode


def end(
    processes: Sequence[subprocess.Popen[bytes]], number: signal.Signals = signal.SIGTERM
) -> None:
    """Ask processes to end; those that have not after a while are killed."""
    for process in processes:
        if process.poll() is None:
            process.send_signal(number)
    until = time.monotonic() + _PATIENCE
    for process in processes:
        try:
            process.wait(max(0.1, until - time.monotonic()))
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


class Supervisor:
    """Runs services, in the order given, until asked to stop; ends them in the opposite order."""

    def __init__(
        self,
        services: Sequence[Service],
        stop: Stop,
        states_file: ServicesFile,
        say: Callable[[str], None],
    ) -> None:
        self.services = {service.name: service for service in services}
        self.stop, self.told, self.say = stop, states_file, say
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.states = {name: ServiceState(name=name) for name in self.services}
        self._begun: dict[str, float] = {}
        self._pauses: dict[str, float] = {}
        self._due: dict[str, float] = {}

    def adopt(self, name: str, process: subprocess.Popen[bytes]) -> None:
        """Keep alive a process of a service that runs already."""
        self.processes[name] = process
        self._begun[name] = time.monotonic()

    def run(self) -> None:
        """Start what does not run yet, and return when asked to stop and all have ended."""
        try:
            for name in self.services:
                if name not in self.processes:
                    self._start(name)
            self._tell()
            while not self.stop.asked:
                self._turn()
                time.sleep(TURN)
        finally:
            self.end()

    def end(self) -> None:
        """End all services, the last started first."""
        for name, service in reversed(self.services.items()):
            if name in self.processes:
                end([self.processes.pop(name)], service.end)

    def _turn(self) -> None:
        for name, process in list(self.processes.items()):
            if process.poll() is not None:
                self._ended(name, process.returncode)
        for name, due in list(self._due.items()):
            if time.monotonic() >= due:
                del self._due[name]
                self._start(name)
                self._tell()

    def _start(self, name: str) -> None:
        service = self.services[name]
        try:
            service.first()
            self.adopt(
                name,
                start_child(
                    service.command,
                    environment=service.environment,
                    account=service.account,
                    at_our_end=service.end,
                    stdin=subprocess.DEVNULL,
                    **(
                        {}
                        if service.log is None
                        else {"stdout": service.log, "stderr": service.log}
                    ),
                ),
            )
        except (OSError, RuntimeError) as error:
            self._wait(name, f"could not be started: {error}")
            return
        self.states[name] = replace(self.states[name], again_at=0.0)

    def _ended(self, name: str, code: int) -> None:
        del self.processes[name]
        if time.monotonic() - self._begun[name] >= SOUND:
            self._pauses.pop(name, None)
        self._wait(name, f"was {how}" if (how := how_it_ended(code)).startswith("killed") else how)
        self._tell()

    def _wait(self, name: str, how: str) -> None:
        pause = self._pauses.get(name, FIRST_PAUSE)
        self._pauses[name] = min(LONGEST_PAUSE, pause * 2)
        self._due[name] = time.monotonic() + pause
        now, known = clock.seconds(), self.states[name]
        self.states[name] = replace(
            known, ended=how, ended_at=now, again_at=now + pause, restarts=known.restarts + 1
        )
        self.say(f"the {name} {how}; started again in {pause:g} s")

    def _tell(self) -> None:
        try:
            self.told.write(self.states)
        except OSError as error:
            self.say(f"how the processes are can't be written down: {error}")
