"""How the processes of an installation are, as a small file that its supervisor writes."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from zealous_sieve import clock

TOLD_FOR = 120.0
"""Seconds for which it is told that a process was started again."""


@dataclass(frozen=True, kw_only=True)
class ServiceState:
    """One process; moments in seconds since 1970.

    ``ended`` says how it ended the last time, empty while it has run without a break. ``again_at`` is
    when it is started again, zero while it runs.
    """

    name: str
    ended: str = ""
    ended_at: float = 0.0
    again_at: float = 0.0
    restarts: int = 0


class ServicesFile:
    """Implements ServicesPort; without a file nothing is known, which is told as nothing."""

    def __init__(self, path: Path | None) -> None:
        self.path = path

    def write(self, states: Mapping[str, ServiceState]) -> None:
        """Replace what is told, in one step. Raises OSError."""
        assert self.path is not None
        new = self.path.with_suffix(".new")
        new.write_text(json.dumps([asdict(state) for state in states.values()]))
        new.rename(self.path)

    def states(self) -> list[ServiceState]:
        """All processes, as last told."""
        try:
            text = self.path.read_text() if self.path else "[]"
            return [ServiceState(**state) for state in json.loads(text)]
        except (OSError, ValueError, TypeError):
            return []

    def troubles(self) -> list[str]:
        """What the desk should know of processes that ended, in words."""
        return [words for state in self.states() if (words := _words(state, clock.seconds()))]


CRASHES = ("SIGSEGV", "SIGBUS", "SIGILL", "SIGABRT", "SIGFPE")
"""Signals by which the system ends a process that does what it must not."""


def crashed(states: Sequence[ServiceState], name: str) -> bool:
    """Whether a process ended the last time by what it did itself."""
    return any(s.name == name and s.ended.endswith(CRASHES) for s in states)


def _words(state: ServiceState, now: float) -> str:
    if state.again_at:
        wait = max(0, round(state.again_at - now))
        return f"the {state.name} stopped; it is started again {f'in {wait} s' if wait else 'now'}"
    if state.ended and now - state.ended_at < TOLD_FOR:
        ago = max(0, round(now - state.ended_at))
        return f"the {state.name} stopped {ago} s ago and was started again"
    return ""
