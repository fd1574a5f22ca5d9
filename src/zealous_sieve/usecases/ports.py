"""What the use cases need from outside, as Protocols; bootstrap.py brings the implementations."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from threading import Event
from typing import BinaryIO, Concatenate, ParamSpec, Protocol, TypeVar

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel, Series
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.data_quality import Finding
from zealous_sieve.core.market.instruments import (
    DatedFact,
    Instrument,
    ReferenceData,
    Venue,
)
from zealous_sieve.core.market.instruments import Event as Scheduled
from zealous_sieve.core.market.mending import Mending
from zealous_sieve.core.market.universes import Universe
from zealous_sieve.core.pages.outlook import Outlook, Settlement
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.funnel import Count, Funnel
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.undecided import Undecided
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.import_ports import ForeignFilesPort, ImportsPort, TakenBack
from zealous_sieve.usecases.work import Work, WorkPort, WorkState

P = ParamSpec("P")
R = TypeVar("R")


class RunState(WorkState):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"

    @property
    def at_work(self) -> bool:
        return self in (RunState.QUEUED, RunState.RUNNING)


RUN = Work(
    name="run_sieve",
    noun="run",
    states=RunState,
    waiting=RunState.QUEUED,
    begun=RunState.RUNNING,
)


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
class FormulaVersion:
    """One saved state of a formula."""

    version: int
    created_at: datetime
    name: str
    text: str
    note: str


@dataclass(frozen=True, kw_only=True)
class Version:
    """One saved state of a sieve."""

    version: int
    created_at: datetime
    sieve: Sieve


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """What a run found beside its hits, in numbers."""

    instruments: int
    counts: tuple[Count, ...]
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]
    funnels: tuple[Funnel, ...] = ()
    """Of each side, where the sieve looks for both."""
    mended: tuple[str, ...] = ()
    """The mendings of its instruments that were in force, each as a sentence."""
    hindsight: tuple[str, ...] = ()
    """What a run of the past had to take from now, each as a sentence."""


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
    turn: int
    attempts: int
    done: int
    total: int
    hit_count: int
    outcome: Outcome | None
    """What came out; not told in lists of runs."""
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
    def some(
        self,
        codes: Sequence[str],
        bases: Collection[Base] = ...,
        since: int = 0,
        *,
        raw: bool = ...,
    ) -> Panel: ...
    def write(
        self,
        bars: Mapping[Base, Mapping[str, Series]],
        fresh: Sequence[Instrument] = (),
        told: Callable[[int], None] = ...,
        import_id: int | None = ...,
    ) -> int: ...
    def count_back(self, import_id: int) -> TakenBack: ...
    def take_back(self, import_id: int, codes: Sequence[str] | None = None) -> TakenBack: ...
    def newest(self) -> Mapping[Base, int]:
        """When the newest bar of each base opened, in seconds since 1970."""
        ...

    def put_away_empty(self, codes: Sequence[str]) -> int:
        """Put away those of some instruments that have no bars; returns how many."""
        ...

    def pack_periods(self) -> int: ...
    def drop(self, codes: Sequence[str]) -> None: ...


class MarketPort(Protocol):
    def reference(self) -> ReferenceData: ...
    def instruments(self) -> list[Instrument]: ...
    def archived_instruments(self) -> list[Instrument]: ...
    def add_instruments(self, instruments: Sequence[Instrument]) -> None: ...
    def add_instrument(self, instrument: Instrument) -> bool:
        """Add one, unless one that is there has its code."""
        ...

    def archive_instruments(self, codes: Sequence[str]) -> None: ...
    def rename(self, old: str, new: str, *, leads: bool) -> bool:
        """Another code for an instrument, in all that is kept of it; ``leads`` says whether the old one
        stays as an earlier name. False where another instrument has the code."""
        ...

    def forget_earlier(self, code: str) -> None: ...
    def remove_venues(self, names: Sequence[str]) -> None: ...
    def venues(self) -> list[Venue]: ...
    def add_venues(self, venues: Sequence[Venue]) -> None: ...
    def events(self) -> list[Scheduled]: ...
    def replace_events(self, events: Sequence[Scheduled]) -> None: ...
    def add_facts(self, facts: Sequence[DatedFact]) -> None: ...
    def drop_facts(self, codes: Sequence[str]) -> None: ...
    def remove_facts(self, facts: Sequence[DatedFact]) -> int:
        """Forget facts, by instrument, name and moments; returns how many."""
        ...

    def desk_mark(self) -> str:
        """A text that is the same as long as all that a desk is made of is: bars, instruments, mendings,
        findings, universes, formulas, preferences."""
        ...

    def findings(self) -> list[Finding]: ...
    def replace_findings(
        self, findings: Sequence[Finding], about: Sequence[str] | None = None
    ) -> None: ...
    def setting(self, key: str) -> str | None: ...
    def settings(self, *keys: str) -> list[str | None]:
        """Several settings at once."""
        ...

    def set_setting(self, key: str, value: str | None) -> None: ...


@dataclass(frozen=True, kw_only=True)
class StoredUniverse:
    """A universe with its number."""

    id: int
    universe: Universe


class UniversesPort(Protocol):
    def all(self) -> list[StoredUniverse]: ...
    def archived(self) -> list[StoredUniverse]: ...
    def add(self, universes: Sequence[Universe]) -> list[StoredUniverse] | None: ...
    def change(self, universe_id: int, universe: Universe) -> bool: ...
    def set_deleted(self, universe_id: int, deleted: bool) -> bool: ...


@dataclass(frozen=True, kw_only=True)
class StoredArrangement:
    """How a page is arranged, as it was kept."""

    name: str
    version: int
    body: Mapping[str, object]


class ArrangementsPort(Protocol):
    def all(self, page: str) -> list[StoredArrangement]:
        """Those of a page that are not archived, in the order in which they were made."""
        ...

    def put(self, page: str, name: str, body: Mapping[str, object], based_on: int) -> int | None:
        """Keep an arrangement as a new version of the one it is ``based_on``, 0 where there is none;
        returns its number, None where another version is there by now."""
        ...

    def archive(self, page: str, name: str) -> bool:
        """False where there is none of the name."""
        ...

    def restore(self, page: str, name: str) -> bool:
        """Bring the one back that was archived last; False where there is none, or its name is taken."""
        ...


@dataclass(frozen=True, kw_only=True)
class StoredOutlook:
    """An outlook with its number, and how it came out as soon as that is known."""

    id: int
    outlook: Outlook
    settlement: Settlement | None
    deleted: bool


class OutlooksPort(Protocol):
    def all(self) -> list[StoredOutlook]:
        """All of them, archived ones too, the last written first."""
        ...

    def add(self, outlook: Outlook) -> StoredOutlook: ...
    def settle(self, outlook_id: int, settlement: Settlement) -> None:
        """Keep how an outlook came out."""
        ...

    def set_deleted(self, outlook_id: int, deleted: bool) -> bool:
        """False where there is none of the number."""
        ...


@dataclass(frozen=True, kw_only=True)
class StoredMending:
    """A mending with its number."""

    id: int
    mending: Mending
    told: str
    """What it says, as a sentence."""
    created_at: datetime
    deleted: bool = False


class MendingsPort(Protocol):
    def all(self) -> list[StoredMending]:
        """Those in force, in the order in which they are applied."""
        ...

    def get(self, mending_id: int) -> StoredMending | None: ...
    def add(self, mending: Mending) -> StoredMending | None:
        """Put one in force, unless one that says the same is."""
        ...

    def add_all(self, mendings: Sequence[Mending]) -> list[int]:
        """Put several in force at once, but for those of which one that says the same is; their numbers."""
        ...

    def drop_all(self, numbers: Sequence[int]) -> None:
        """Take several back at once."""
        ...

    def set_deleted(self, mending_id: int, deleted: bool) -> bool:
        """Take one back or bring it back; false where another that says the same is in force."""
        ...


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
    def archived(self) -> list[StoredFormula]: ...
    def add(self, name: str, text: str, note: str) -> StoredFormula | None: ...
    def add_version(
        self, formula_id: int, name: str, text: str, note: str, based_on: int
    ) -> StoredFormula | None: ...
    def versions(self, formula_id: int) -> list[FormulaVersion]: ...
    def set_deleted(self, formula_id: int, deleted: bool) -> bool:
        """Archive one or bring it back; false where another has got its name."""
        ...


@dataclass(frozen=True, kw_only=True)
class HitsQuery:
    """Which hits of a run: those with all the ``words`` in their code, name, news or verdict, by a column,
    ``count`` of them from number ``first`` on."""

    sort: str = "place"
    down: bool = False
    words: str = ""
    first: int = 0
    count: int = 1_000_000


@dataclass(frozen=True, kw_only=True)
class SeenHit:
    """A hit of a run, where it stands, and how it stands to what was seen before.

    ``id`` is its number; ``told`` are its sentences where it was kept by an earlier version, empty where
    they are made from the values. ``news`` is new or kept against the run before.
    """

    id: int
    hit: Hit
    place: int
    told: tuple[str, ...]
    news: str
    verdict: Verdict | None


@dataclass(frozen=True, kw_only=True)
class HitTally:
    """How many hits of a run wait for a verdict, and are new against the run before."""

    waiting: int
    new: int


@dataclass(frozen=True, kw_only=True)
class HitCounts:
    """Hits of a run: those that wait for a verdict, and against the run before new and gone ones."""

    waiting: int
    new: int
    gone: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class RunMark:
    """What tells whether runs are to be compared: those of one ``looked_for`` looked for the same."""

    id: int
    sieve_id: int
    as_of: datetime
    state: RunState
    looked_for: str


@dataclass(frozen=True, kw_only=True)
class RunOf:
    """A run that is done, and which version of its sieve it used."""

    id: int
    version: int
    as_of: datetime
    hits: int


@dataclass(frozen=True, kw_only=True)
class OpenIdea:
    """A setup that is to be taken or watched, by the last verdict on it, and the run it was seen in, which
    looked from ``as_of``; ``id`` is the number of the hit."""

    id: int
    code: str
    side: str
    sieve: str
    run_id: int
    as_of: datetime
    verdict: VerdictKind


@dataclass(frozen=True, kw_only=True)
class WasHit:
    """A hit that an instrument was, by its number, and the run it was seen in."""

    id: int
    run_id: int
    sieve: str
    as_of: datetime
    place: int


@dataclass(frozen=True, kw_only=True)
class DecidedSetup:
    """A setup by the last verdict on it, as it was seen in a run: the number of the hit, the bar that was
    judged, and its close then."""

    id: int
    code: str
    name: str
    side: Side
    timeframe: str
    sieve_id: int
    sieve: str
    run_id: int
    as_of: datetime
    fired_at: int
    bar_at: int
    close: float
    tick: float
    verdict: VerdictKind
    reason: str
    note: str
    decided_at: datetime


@dataclass(frozen=True, kw_only=True)
class DecidedQuery:
    """Which decided setups: of one verdict or of all, with all the ``words``, by a column, so many from a
    place on."""

    verdict: VerdictKind | None = None
    words: str = ""
    sort: str = "decided_at"
    down: bool = True
    at: int = 0
    size: int = 100


class RunsPort(Protocol):
    def add(self, stored: StoredSieve, as_of: datetime) -> Run: ...
    def get(self, run_id: int) -> Run | None: ...
    def recent(self, limit: int, at: int = 0) -> list[Run]:
        """So many runs, the newest first, without the ``at`` newest."""
        ...

    def of_sieve(self, sieve_id: int) -> list[RunOf]:
        """The newest runs of a sieve that are done, the newest first."""
        ...

    def count(self, until: datetime | None = None) -> int:
        """How many runs there are, of those that looked from a moment up to that one."""
        ...

    def marks(self, limit: int) -> list[RunMark]:
        """So many runs, the newest first."""
        ...

    def before(self, sieve_id: int, run_id: int) -> list[RunMark]:
        """The finished runs of a sieve before one of it, the last first."""
        ...

    def finish(self, run_id: int, turn: int, hits: Sequence[Hit], outcome: Outcome) -> None:
        """Keep the hits and mark the run done, together; nothing where that turn is not wanted any more."""
        ...


class HitsPort(Protocol):
    def page(
        self, run: Run, before: int | None = None, query: HitsQuery = ...
    ) -> tuple[int, list[SeenHit]]:
        """How many hits fit a query, and those of the page asked for. News are against the run
        ``before``."""
        ...

    def run_of(self, hit_id: int) -> int | None:
        """The run in which a hit was seen."""
        ...

    def one(self, run: Run, hit_id: int, before: int | None = None) -> SeenHit | None: ...
    def first_of(self, run: Run, code: str, before: int | None = None) -> SeenHit | None:
        """The hit of an instrument, of several the first."""
        ...

    def next_open(self, run: Run, after: int) -> int | None:
        """The first hit without a verdict after a place, else the first of all."""
        ...

    def counts(self, run: Run, before: int | None) -> HitCounts: ...
    def tallies(self, compared: Mapping[int, int | None]) -> dict[int, HitTally]:
        """Of several runs, each against the one before it where there is one; by number, without those that
        have no hits."""
        ...

    def of_instrument(self, code: str, limit: int) -> list[WasHit]:
        """What an instrument was a hit of, the newest runs first."""
        ...

    def open_ideas(self) -> list[OpenIdea]:
        """The setups that are to be taken or watched, the last decided first."""
        ...

    def decided(self, as_of: datetime | None) -> list[DecidedSetup]:
        """The setups that were decided in runs that looked from no later moment, the last decided first."""
        ...

    def add_verdict(
        self, run: Run, hit: Hit, kind: VerdictKind | None, reason: str, note: str
    ) -> None: ...


class QueuePort(Protocol):
    def submit(self, work: Work, number: int) -> None:
        """Have a piece of work done; one that waits already is not queued twice. Raises AwayError."""
        ...


class Kind(StrEnum):
    """What a computation is for: the first go before the others, the last get the most time. A ``file`` is
    looked at, an ``import`` read whole and taken."""

    GLANCE = "glance"
    PREVIEW = "preview"
    FILE = "file"
    RUN = "run"
    IMPORT = "import"

    @property
    def reads_files(self) -> bool:
        return self in (Kind.FILE, Kind.IMPORT)


@dataclass(frozen=True, kw_only=True)
class Order:
    """How a computation is wanted. ``gone`` is set when nobody waits for it any more; ``progress`` is
    told how many of all instruments are done. With ``as_of`` the desk is as it was at that moment."""

    kind: Kind = Kind.GLANCE
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


class BackupPort(Protocol):
    def write(self, path: Path) -> dict[str, int]: ...
    def restore(self, path: Path, *, replace: bool) -> dict[str, int]: ...


class TablesPort(Protocol):
    def written(self, columns: Mapping[str, Sequence[object]], form: str) -> bytes:
        """A table as a file, ``csv`` or ``parquet``."""
        ...


class ServicesPort(Protocol):
    def troubles(self) -> list[str]:
        """What the desk should know of processes of the application that ended, in words."""
        ...


class MachinePort(Protocol):
    """What the owner of this machine allows."""

    def check(self, path: Path) -> None: ...
    def open(self, path: Path) -> BinaryIO: ...


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
