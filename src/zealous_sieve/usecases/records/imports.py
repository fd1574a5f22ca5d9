"""Files that are brought in: what is kept of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from zealous_sieve.core.intake.difference import BarChange
from zealous_sieve.core.intake.layout import Layout
from zealous_sieve.core.intake.refusals import RefusedRow
from zealous_sieve.core.market.instruments import DatedFact, Event, Instrument, Venue
from zealous_sieve.usecases.records.work import Work, WorkState

TOLD_ONE_BY_ONE = 100
"""So many changed values, refused rows and codes are told on the page."""


class ImportState(WorkState):
    """Coming, file by file · being read · waiting for its owner · being taken · taken, or ended otherwise ·
    being taken back · taken back."""

    COMING = "coming"
    READING = "reading"
    READY = "ready"
    TAKING = "taking"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"
    GOING = "going"
    GONE = "gone"

    @property
    def at_work(self) -> bool:
        return self in (ImportState.READING, ImportState.TAKING, ImportState.GOING)

    @property
    def ended(self) -> bool:
        return not self.at_work and self not in (ImportState.COMING, ImportState.READY)


IMPORT = Work(name="take_import", noun="import", states=ImportState)


@dataclass(frozen=True, kw_only=True)
class Account:
    """What is in a file, against what is kept: rows that are ``new``, the ``same`` and ``changed``,
    ``doubled`` within the file, and ``refused``.

    The table has no columns of the ``unsaid`` prices and volume: they stay in ``kept`` bars; the closes
    ``beyond`` lie outside of the bars that are kept, and are not taken.

    ``nouns`` say what the rows are, ``codes`` the instruments concerned, ``fresh`` those of them that are
    not known yet; all only the first of ``instruments`` and ``fresh_count``. ``first`` and ``last`` are
    moments in seconds since 1970.
    """

    nouns: str
    new: int
    same: int
    changed: int
    doubled: int
    refused: int
    instruments: int = 0
    codes: tuple[str, ...] = ()
    fresh_count: int = 0
    fresh: tuple[str, ...] = ()
    first: int | None = None
    last: int | None = None
    changes: tuple[BarChange, ...] = ()
    unsaid: tuple[str, ...] = ()
    kept: int = 0
    beyond_count: int = 0
    beyond: tuple[BarChange, ...] = ()
    refusals: tuple[RefusedRow, ...] = ()
    mending_count: int = 0
    mendings: tuple[str, ...] = ()
    """What the adjusted closes tell to mend, the first of them one by one, and how many changes of theirs
    tell nothing."""
    unexplained: int = 0
    mended: tuple[int, ...] = ()
    """The numbers of the mendings, once they were made."""
    findings: int | None = None
    """What the data check doubts of the instruments, once the file was taken."""


@dataclass(frozen=True, kw_only=True)
class ImportLine:
    """What a table would change of one instrument: rows, and its first and last moment."""

    code: str
    fresh: bool
    new: int
    changed: int
    same: int
    first: int
    last: int


@dataclass(frozen=True)
class Covered:
    """How many rows a later import changed on top; of those of number 0 it is not known which."""

    import_id: int
    count: int


@dataclass(frozen=True, kw_only=True)
class TakenBack:
    """What taking an import back does, or did: rows that are ``removed``, and those of before that are
    ``restored``; those ``covered`` by later imports stay as these left them. Instruments that it made and
    that have nothing left are ``put_away``."""

    removed: int
    restored: int
    covered: tuple[Covered, ...] = ()
    put_away: int = 0


@dataclass(frozen=True, kw_only=True)
class Import:
    """A file that is brought in, and how far that is. ``names`` are those of its columns, ``done`` and
    ``total`` count bytes or rows."""

    id: int
    name: str
    size: int
    state: ImportState
    layout: Layout
    doubts: tuple[str, ...]
    names: tuple[str, ...]
    turn: int
    attempts: int
    done: int
    total: int
    reason: str | None
    account: Account | None
    file_count: int
    left_out: tuple[str, ...]
    """Instruments that are not to be taken, or were taken back, and how many rows that is."""
    left_rows: int
    reversible: bool
    """Whether it is known what stood there before, so that it can be taken back."""
    uncovered: TakenBack | None
    """What taking it back did."""
    created_at: datetime
    finished_at: datetime | None


Record = Instrument | DatedFact | Event | Venue


@dataclass(frozen=True, kw_only=True)
class Replaced:
    """A thing of a list as it was ``before``, where it was, and ``after`` an import."""

    before: Record | None
    after: Record


RowsDone = Callable[[int, int], None]


@dataclass(frozen=True, kw_only=True)
class HeldFile:
    """A file that came and belongs to no import yet; ``place`` is where it lies."""

    name: str
    size: int
    place: str
