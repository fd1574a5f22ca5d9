"""Everything the use cases reach beyond the core; bootstrap.py brings it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from threading import Event
from typing import Concatenate, ParamSpec, Protocol, TypeVar

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.ports.imports import ForeignFilesPort, ImportsPort
from zealous_sieve.usecases.ports.machine import (
    BackupPort,
    MachinePort,
    QueuePort,
    ServicesPort,
    TablesPort,
)
from zealous_sieve.usecases.ports.pages import ArrangementsPort, OutlooksPort
from zealous_sieve.usecases.ports.runs import HitsPort, RunsPort
from zealous_sieve.usecases.ports.sieves import FormulasPort, SievesPort
from zealous_sieve.usecases.ports.table import BarsPort, MarketPort, MendingsPort, UniversesPort
from zealous_sieve.usecases.ports.work import WorkPort

P = ParamSpec("P")
R = TypeVar("R")


class OrderKind(StrEnum):
    """What a computation is for: the first go before the others, the last get the most time. A ``file`` is
    looked at, an ``import`` read whole and taken."""

    GLANCE = "glance"
    PREVIEW = "preview"
    FILE = "file"
    RUN = "run"
    IMPORT = "import"

    @property
    def reads_files(self) -> bool:
        return self in (OrderKind.FILE, OrderKind.IMPORT)


@dataclass(frozen=True, kw_only=True)
class Order:
    """How a computation is wanted. ``gone`` is set when nobody waits for it any more; ``progress`` is
    told how many of all instruments are done. With ``as_of`` the desk is as it was at that moment."""

    kind: OrderKind = OrderKind.GLANCE
    as_of: datetime | None = None
    gone: Event = field(default_factory=Event)
    progress: Progress = field(default=lambda done, total: None)


class ComputePort(Protocol):
    def do(
        self, order: Order, work: Callable[Concatenate[Desk, P], R], *args: P.args, **kw: P.kwargs
    ) -> R:
        """What ``work`` makes of the desk, as it is now or was at the order's moment, and the arguments.

        Raises what the work raises; CancelledError when it was not wanted any more, TooMuchError when it
        needs more time or memory than it may have, DiedError when what computed ended without a result,
        AwayError when whoever computes is being started.
        """
        ...

    def do_outside(
        self,
        order: Order,
        work: Callable[Concatenate[Outside, P], R],
        *args: P.args,
        **kw: P.kwargs,
    ) -> R:
        """As ``do``, what ``work`` does with all that its owner has, files and database, instead of the
        desk."""
        ...


@dataclass(frozen=True, kw_only=True)
class Outside:
    """Everything the use cases reach beyond the core."""

    compute: ComputePort
    executor: Executor
    """By whom plans on panels are gone through, wherever ``compute`` has that done."""
    bars: BarsPort
    market: MarketPort
    mendings: MendingsPort
    universes: UniversesPort
    arrangements: ArrangementsPort
    outlooks: OutlooksPort
    formulas: FormulasPort
    sieves: SievesPort
    runs: RunsPort
    hits: HitsPort
    imports: ImportsPort
    work: WorkPort
    files: ForeignFilesPort
    tables: TablesPort
    backup: BackupPort
    queue: QueuePort
    machine: MachinePort
    services: ServicesPort
