"""Files that are brought in, as their use cases need them from outside."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import IO, Protocol

from zealous_sieve.core.intake.layout import Layout
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import ForeignRows
from zealous_sieve.core.intake.understand import Glimpse, Sample
from zealous_sieve.usecases.records.imports import (
    Account,
    HeldFile,
    Import,
    ImportLine,
    ImportState,
    Replaced,
    RowsDone,
    TakenBack,
)


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

    def lines(self, import_id: int) -> list[ImportLine]: ...
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
        lines: Sequence[ImportLine] = (),
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


class ForeignFilesPort(Protocol):
    """The files themselves, by the number of their import; names tell their format by their ending."""

    def keep(self, number: int, name: str, pieces: Iterable[bytes]) -> tuple[int, str]:
        """Keep a file as it comes in, a packed one as the table within; returns how many bytes came, and
        what the table is called."""
        ...

    def hold(self, name: str, pieces: Iterable[bytes]) -> HeldFile: ...
    def look_at(self, held: HeldFile, zones: Mapping[str, str]) -> Glimpse: ...
    def head(self, held: HeldFile, skip: int) -> tuple[object, ...]:
        """What a file begins with, up to its header below some lines, and its encoding."""
        ...

    def is_across(self, held: HeldFile, layout: Layout) -> bool: ...
    def content(self, held: HeldFile) -> Iterator[bytes]: ...
    def let_go(self, held: HeldFile) -> None: ...
    def join(self, number: int, place: int, held: HeldFile) -> None:
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
        self, number: int, name: str, layout: Layout, refusals: Refusals, report: RowsDone
    ) -> ForeignRows: ...
    def texts(
        self, number: int, name: str, layout: Layout, refusals: Refusals, report: RowsDone
    ) -> Iterator[tuple[int, dict[str, str]]]: ...
    def write_refused(self, number: int, name: str, layout: Layout, refusals: Refusals) -> None: ...
    def refused(self, number: int) -> IO[bytes] | None:
        """The refused rows with what is wrong with them, as a table of text."""
        ...
