"""What the use cases need from outside, as Protocols; wiring.py brings the implementations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any, Protocol

from zealous_sieve.core.engine.panel import Panel, Series
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import Event, Instrument, Universe, Venue
from zealous_sieve.core.market.soundness import Finding
from zealous_sieve.core.sieve.definition import Sieve


class RunState(StrEnum):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"

    @property
    def ended(self) -> bool:
        return self not in (RunState.QUEUED, RunState.RUNNING)


class VerdictKind(StrEnum):
    TAKE = "take"
    WATCH = "watch"
    DROP = "drop"


@dataclass(frozen=True, kw_only=True)
class StoredSieve:
    """A sieve with its number and version."""

    id: int
    version: int
    sieve: Sieve
    deleted: bool = False


@dataclass(frozen=True, kw_only=True)
class StoredFormula:
    """A formula of the desk with its number and version."""

    id: int
    version: int
    name: str
    text: str
    note: str
    deleted: bool = False


@dataclass(frozen=True, kw_only=True)
class Version:
    """One saved state of a sieve."""

    version: int
    created_at: datetime
    sieve: Sieve


@dataclass(frozen=True, kw_only=True)
class Run:
    """A sifting and how far it is. ``done`` and ``total`` count instruments."""

    id: int
    sieve_id: int
    version: int
    sieve: Sieve
    as_of: datetime
    state: RunState
    reason: str | None
    attempts: int
    done: int
    total: int
    hit_count: int
    outcome: dict[str, Any] | None
    created_at: datetime
    started_at: datetime | None
    finished_at: datetime | None


@dataclass(frozen=True, kw_only=True)
class Verdict:
    """What was decided about a hit, and why."""

    verdict: VerdictKind | None
    reason: str
    note: str
    created_at: datetime
    run_id: int
    """The run in which it was seen."""


class BarsPort(Protocol):
    def panel(self) -> Panel: ...
    def some(self, codes: Sequence[str]) -> Panel: ...
    def write(
        self, bars: Mapping[Base, Mapping[str, Series]], fresh: Sequence[Instrument] = ()
    ) -> int: ...
    def pack_periods(self) -> int: ...


class MarketPort(Protocol):
    def instruments(self) -> list[Instrument]: ...
    def instruments_away(self) -> list[Instrument]: ...
    def add_instruments(self, instruments: Sequence[Instrument]) -> None: ...
    def delete_instrument(self, code: str) -> None: ...
    def universes(self) -> list[Universe]: ...
    def add_universes(self, universes: Sequence[Universe]) -> None: ...
    def venues(self) -> list[Venue]: ...
    def add_venues(self, venues: Sequence[Venue]) -> None: ...
    def events(self) -> list[Event]: ...
    def replace_events(self, events: Sequence[Event]) -> None: ...
    def findings(self) -> list[Finding]: ...
    def replace_findings(
        self, findings: Sequence[Finding], about: Sequence[str] | None = None
    ) -> None: ...
    def setting(self, key: str) -> str | None: ...
    def set_setting(self, key: str, value: str) -> None: ...


class SievesPort(Protocol):
    def all(self) -> list[StoredSieve]: ...
    def get(self, sieve_id: int) -> StoredSieve | None: ...
    def add(self, sieve: Sieve) -> StoredSieve: ...
    def add_version(self, sieve_id: int, sieve: Sieve, based_on: int) -> StoredSieve | None: ...
    def versions(self, sieve_id: int) -> list[Version]: ...
    def set_deleted(self, sieve_id: int, deleted: bool) -> None: ...


class FormulasPort(Protocol):
    def all(self) -> list[StoredFormula]: ...
    def get(self, formula_id: int) -> StoredFormula | None: ...
    def away(self) -> list[StoredFormula]: ...
    def add(self, name: str, text: str, note: str) -> StoredFormula | None: ...
    def add_version(
        self, formula_id: int, name: str, text: str, note: str, based_on: int
    ) -> StoredFormula | None: ...
    def set_deleted(self, formula_id: int, deleted: bool) -> None: ...


class RunsPort(Protocol):
    def add(self, stored: StoredSieve, as_of: datetime) -> Run: ...
    def get(self, run_id: int) -> Run | None: ...
    def recent(self, limit: int) -> list[Run]: ...
    def unfinished(self) -> list[Run]: ...
    def before(self, run: Run) -> list[Run]: ...
    def begin(self, run_id: int, total: int) -> bool: ...
    def progress(self, run_id: int, done: int) -> RunState: ...
    def finish(
        self, run_id: int, hits: Sequence[dict[str, Any]], outcome: dict[str, Any]
    ) -> None: ...
    def end(self, run_id: int, state: RunState, reason: str | None) -> bool: ...
    def requeue(self, run_id: int) -> None: ...
    def hits(self, run_id: int) -> list[dict[str, Any]]: ...
    def verdicts(self, run: Run, setups: Mapping[str, int]) -> dict[str, Verdict]: ...
    def add_verdict(
        self, run: Run, code: str, fired_at: int, kind: VerdictKind | None, reason: str, note: str
    ) -> None: ...


class QueuePort(Protocol):
    def submit_run(self, run_id: int) -> None: ...


@dataclass(frozen=True, kw_only=True)
class Outside:
    """Everything the use cases reach beyond the core."""

    bars: BarsPort
    market: MarketPort
    formulas: FormulasPort
    sieves: SievesPort
    runs: RunsPort
    queue: QueuePort
