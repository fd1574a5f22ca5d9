"""Files that are brought in: what is kept of them, and what their use cases need from outside."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import IO, Protocol

from zealous_sieve.core.intake.difference import Change
from zealous_sieve.core.intake.layout import Layout
from zealous_sieve.core.intake.refusals import Refusals, RefusedRow
from zealous_sieve.core.intake.sifting import Rows
from zealous_sieve.core.intake.understand import Glimpse, Sample
from zealous_sieve.core.market.instruments import DatedFact, Event, Instrument, Venue
from zealous_sieve.usecases.work import Work, WorkState

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
    changes: tuple[Change, ...] = ()
    unsaid: tuple[str, ...] = ()
    kept: int = 0
    beyond_count: int = 0
    beyond: tuple[Change, ...] = ()
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
class Line:
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


class ImportsPort(Protocol):
    def add(self, name: str) -> Import: ...
    def get(self, import_id: int) -> Import | None: ...
    def recent(self, limit: int, words: str = "", before: int | None = None) -> list[Import]:
        """The latest whose name or codes hold some words, of numbers before one where that is said."""
        ...

    def gathering(self, token: str) -> list[Import]:
        """Those whose files come together."""
        ...

    def gather(
        self,
        import_id: int,
        token: str,
        layout: Layout,
        doubts: tuple[str, ...],
        names: Sequence[str],
    ) -> None:
        """Begin an import whose files come together under a token."""
        ...

    def grow(self, import_id: int, name: str, files: int, size: int) -> None:
        """Keep how many files an import has by now, and what it is called."""
        ...

    def lines(self, import_id: int) -> list[Line]: ...
    def leave_out(self, import_id: int, codes: Sequence[str], rows: int) -> bool:
        """Keep which instruments are not to be taken, or were taken back; False where it is neither ready
        nor done."""
        ...

    def understood(
        self,
        import_id: int,
        size: int,
        layout: Layout,
        doubts: tuple[str, ...],
        names: Sequence[str],
        name: str | None = None,
    ) -> None:
        """Keep what a file seems to be; it is to be read, whatever was under way with it."""
        ...

    def finish(
        self,
        import_id: int,
        turn: int,
        state: ImportState,
        account: Account,
        lines: Sequence[Line] = (),
    ) -> None:
        """Keep what a turn found in the file, or took, and how it ended, together; nothing where it is not
        wanted any more."""
        ...

    def forget(self, import_id: int) -> None: ...
    def replaced(self, import_id: int) -> list[Replaced]:
        """What an import of a list replaced."""
        ...

    def keep_replaced(self, import_id: int, replaced: Sequence[Replaced]) -> None:
        """Keep what an import of a list is going to replace, beside what it replaced already."""
        ...

    def keep_uncovered(self, import_id: int, uncovered: TakenBack) -> None: ...


Told = Callable[[int, int], None]


@dataclass(frozen=True, kw_only=True)
class Held:
    """A file that came and belongs to no import yet; ``place`` is where it lies."""

    name: str
    size: int
    place: str


class ForeignFilesPort(Protocol):
    """The files themselves, by the number of their import; names tell their format by their ending."""

    def keep(self, number: int, name: str, pieces: Iterable[bytes]) -> tuple[int, str]:
        """Keep a file as it comes in, a packed one as the table within; returns how many bytes came, and
        what the table is called."""
        ...

    def hold(self, name: str, pieces: Iterable[bytes]) -> Held: ...
    def look_at(self, held: Held, zones: Mapping[str, str]) -> Glimpse: ...
    def head(self, held: Held, skip: int) -> tuple[object, ...]:
        """What a file begins with, up to its header below some lines, and its encoding."""
        ...

    def is_across(self, held: Held, layout: Layout) -> bool: ...
    def content(self, held: Held) -> Iterator[bytes]: ...
    def let_go(self, held: Held) -> None: ...
    def join(self, number: int, place: int, held: Held) -> None:
        """Make a file that is held one of an import, the one at a place from 0 on."""
        ...

    def within(self, name: str, pieces: Iterable[bytes]) -> Iterator[tuple[str, Iterator[bytes]]]:
        """The tables of a zip, each to be read before the next; another file is itself."""
        ...

    def members(self, pieces: Iterable[bytes]) -> Iterator[tuple[str, Iterator[bytes]]]:
        """The files of a tar archive as it comes in, each to be read before the next."""
        ...

    def forget(self, number: int) -> None: ...
    def glimpse(
        self, number: int, name: str, zones: Mapping[str, str], *, across: bool | None = None
    ) -> Glimpse:
        """What a file seems to be; whether it has instruments ``across`` is seen, or said."""
        ...

    def unfolds(self, name: str) -> bool:
        """Whether a file of such a name can hold far more than its bytes."""
        ...

    def sample(self, number: int, name: str, layout: Layout) -> Sample: ...
    def keep_reading(self, number: int, reading: object) -> None:
        """Keep what a file was read as, until it is read again or forgotten."""
        ...

    def reading(self, number: int) -> object | None:
        """What a file was read as, if that was kept; once."""
        ...

    def rows(
        self, number: int, name: str, layout: Layout, refusals: Refusals, told: Told
    ) -> Rows: ...
    def texts(
        self, number: int, name: str, layout: Layout, refusals: Refusals, told: Told
    ) -> Iterator[tuple[int, dict[str, str]]]: ...
    def write_refused(self, number: int, name: str, layout: Layout, refusals: Refusals) -> None: ...
    def refused(self, number: int) -> IO[bytes] | None:
        """The refused rows with what is wrong with them, as a table of text."""
        ...
