"""Bringing in files of one's own: understood, corrected, read against what is kept, then taken."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from threading import Event, Thread
from typing import IO, Concatenate

from zealous_sieve.core.errors import CancelledError, CoreError, DataError, Problem
from zealous_sieve.core.intake.layout import LAYOUT_FIELDS, Field, Layout, check_layout
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.understand import (
    Glimpse,
    Sample,
    Understood,
    doubts_of_clock,
    doubts_of_lack,
    zone_of_times,
)
from zealous_sieve.usecases.desk.outside import Order, OrderKind, Outside, P, R
from zealous_sieve.usecases.desk.present import find_newest
from zealous_sieve.usecases.desk.reporter import Reporter
from zealous_sieve.usecases.errors import (
    ConflictError,
    DiedError,
    NotFoundError,
    OutageError,
    TooMuchError,
    UseCaseError,
)
from zealous_sieve.usecases.records.imports import (
    IMPORT,
    Account,
    Import,
    ImportLine,
    ImportState,
    TakenBack,
)
from zealous_sieve.usecases.table.data_check import check_data
from zealous_sieve.usecases.table.imported_bars import take_bars
from zealous_sieve.usecases.table.imported_lists import take_list, take_list_back
from zealous_sieve.usecases.table.mending import take_all_back

_LOOK_EVERY = 0.3
"""Seconds between two looks whether an import is still wanted."""
_REPORT_EVERY = 0.2
"""Seconds between two reports of progress."""
_MOST_KEPT = 60
"""Imports that are listed."""
FIRST_ROWS = 8
LONGEST_NAME = 200


@dataclass(frozen=True, kw_only=True)
class ImportView:
    """An import with the first rows of its file, under the names of their columns."""

    own: Import
    names: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    fields: tuple[Field, ...]
    """What a column can be."""


def bring(outside: Outside, name: str, pieces: Iterable[bytes], *, queued: bool = True) -> Import:
    """Keep a file, say what it seems to be, and begin to read it; without being ``queued``, whoever brings
    it goes on with it. Raises DataError for what is no table;
    then nothing is kept."""
    name = plain_name(name)
    own = outside.imports.add(name)
    try:
        size, name = outside.files.keep(own.id, name, pieces)
        name = plain_name(name)
        glimpse = _look(outside, own.id, name)
        understood, names = as_before(outside, glimpse), glimpse.sample.names
    except BaseException:
        outside.files.forget(own.id)
        outside.imports.forget(own.id)
        raise
    outside.imports.understood(own.id, size, understood.layout, understood.doubts, names, name)
    if queued:
        outside.queue.submit(IMPORT, own.id)
    return get_import(outside, own.id)


def look_apart(
    outside: Outside, look: Callable[Concatenate[Outside, P], R], *args: P.args, **kw: P.kwargs
) -> R:
    """What a look at a file finds, within the budget of one. Raises what it raises, and DataError
    ``too_much`` and ``unreadable_file`` where it did not come to its end."""
    try:
        return outside.compute.do_outside(Order(kind=OrderKind.FILE), look, *args, **kw)
    except TooMuchError as error:
        raise DataError(error.problem) from None
    except DiedError as error:
        message = f"the file can't be looked at: {error.problem.message}"
        mend = "bring it anew, or as CSV"
        raise DataError(Problem(code="unreadable_file", message=message, mend=mend)) from None


def _look(outside: Outside, import_id: int, name: str, *, across: bool | None = None) -> Glimpse:
    return look_apart(outside, _glimpse, import_id, name, zones_of(outside), across=across)


def _glimpse(
    outside: Outside, number: int, name: str, zones: Mapping[str, str], *, across: bool | None
) -> Glimpse:
    return outside.files.glimpse(number, name, zones, across=across)


def _first_rows(outside: Outside, imported: Import) -> Sample:
    """The first rows of a file; within the budget of a look where there is no telling what they take."""
    if outside.files.unfolds(imported.name):
        return look_apart(outside, _sample, imported)
    return _sample(outside, imported)


def _sample(outside: Outside, imported: Import) -> Sample:
    return outside.files.sample(imported.id, imported.name, imported.layout)


def plain_name(name: str) -> str:
    """The name of a file without its folders."""
    plain = "".join(sign for sign in name.replace("\\", "/") if sign.isprintable())
    return plain.rsplit("/", 1)[-1][-LONGEST_NAME:] or "table.csv"


def as_before(outside: Outside, glimpse: Glimpse) -> Understood:
    """A file with just the columns of one that was taken is read as that was, corrections included."""
    layout, names = glimpse.understood.layout, set(glimpse.sample.names)
    for past in outside.imports.recent(_MOST_KEPT):
        alike = way_of_writing(past.layout) == way_of_writing(layout) and set(past.names) == names
        if past.state == ImportState.DONE and alike:
            return _read_as(past, glimpse, zones_of(outside))
    return glimpse.understood


def way_of_writing(layout: Layout) -> tuple[object, ...]:
    """How a text is parted into cells."""
    return (
        layout.separator, layout.header, layout.skip, layout.under, layout.decimal, layout.across
    )  # fmt: skip


def _read_as(past: Import, glimpse: Glimpse, zones: Mapping[str, str]) -> Understood:
    """A file read as one before it. Its times are of that one's clock where it is of the same instruments,
    else of the clock of its own; that they have no offset is told again."""
    own, sample = glimpse.understood.layout, glimpse.sample
    code = "" if "instrument" in past.layout.columns else own.code
    layout = replace(past.layout, code=code, by_file=False, encoding=own.encoding)
    column = layout.column("instrument")
    codes = set(sample.cells(column)) if column else {code}
    before = set(past.account.codes) if past.account else set()
    if not codes & before and codes & zones.keys():
        layout = replace(layout, zone=zone_of_times(codes, zones))
    doubts = (
        f"it is read as {past.name} was",
        *doubts_of_lack(sample, layout),
        *doubts_of_clock(sample, layout),
    )
    return Understood(layout=layout, doubts=doubts)


def zones_of(outside: Outside) -> Mapping[str, str]:
    """The clocks of the instruments that are known."""
    venues = {venue.name: venue.zone for venue in outside.market.venues()}
    return {i.code: venues[i.venue] for i in outside.market.instruments() if i.venue in venues}


def get_import(outside: Outside, import_id: int) -> Import:
    """Raises NotFoundError."""
    found = outside.imports.get(import_id)
    if found is None:
        raise NotFoundError("import", import_id)
    return found


def view_import(outside: Outside, import_id: int) -> ImportView:
    """An import with its first rows, which are gone once it was taken. Raises NotFoundError."""
    own = get_import(outside, import_id)
    sample = Sample(names=(), rows=())
    if own.state not in (ImportState.DONE, ImportState.GOING, ImportState.GONE):
        try:
            sample = _first_rows(outside, own)
        except CoreError as error:
            own = replace(own, reason=own.reason or str(error.problem))
    return ImportView(
        own=own,
        names=tuple(sample.names),
        rows=tuple(tuple(row) for row in sample.rows[:FIRST_ROWS]),
        fields=LAYOUT_FIELDS[own.layout.content],
    )


def correct(outside: Outside, import_id: int, layout: Layout) -> Import:
    """Read a file in another layout. Raises DataError ``wrong_columns``, ``unknown_zone``, ConflictError
    when it is being taken or was."""
    own = get_import(outside, import_id)
    if own.state not in (
        ImportState.READING,
        ImportState.READY,
        ImportState.FAILED,
        ImportState.CANCELLED,
    ):
        raise ConflictError("import_ended", f"{own.name} is {own.state}", "bring the file in anew")
    if layout.across and own.file_count > 1:
        message = "instruments across are read from one file at a time"
        raise DataError(
            Problem(code="wrong_layout", message=message, mend="import these files one by one")
        )
    if layout.across != own.layout.across:
        glimpse = _look(outside, own.id, own.name, across=layout.across)
        understood, names = glimpse.understood, glimpse.sample.names
        outside.imports.understood(own.id, own.size, understood.layout, understood.doubts, names)
        outside.queue.submit(IMPORT, own.id)
        return get_import(outside, own.id)
    sample = _first_rows(outside, replace(own, layout=layout))
    check_layout(layout, sample.names)
    lack = doubts_of_lack(sample, layout)
    outside.imports.understood(own.id, own.size, layout, lack, sample.names)
    outside.queue.submit(IMPORT, own.id)
    return get_import(outside, own.id)


def take_import(outside: Outside, import_id: int, *, queued: bool = True) -> Import:
    """Take what was read. Raises ConflictError when it is not ready, or something has to be said before;
    asked twice it is taken once."""
    own = get_import(outside, import_id)
    if own.state == ImportState.READY and own.layout.asked:
        message = (
            f"{own.name} can't be taken before it is said in which order its dates are written"
        )
        raise ConflictError("import_asks", message, "say it in the sentence of the import")
    if outside.work.ask(IMPORT, own.id, ImportState.TAKING, ImportState.READY):
        if queued:
            outside.queue.submit(IMPORT, own.id)
    elif own.state not in (ImportState.TAKING, ImportState.DONE):
        raise ConflictError(
            "import_not_ready", f"{own.name} is {own.state}", "wait until it has been read"
        )
    return get_import(outside, own.id)


def cancel(outside: Outside, import_id: int) -> Import:
    """Stop what is under way with a file; nothing of it is taken. Raises ConflictError when it has
    ended."""
    own = get_import(outside, import_id)
    open_ones = (
        ImportState.COMING,
        ImportState.READING,
        ImportState.READY,
        ImportState.TAKING,
    )
    if not outside.work.ask(IMPORT, own.id, ImportState.CANCELLED, *open_ones):
        raise ConflictError("import_ended", f"{own.name} is {own.state} already")
    return get_import(outside, own.id)


@dataclass(frozen=True, kw_only=True)
class Lines:
    """What a table would change, by instrument: those that were asked for, of ``total``."""

    total: int
    lines: tuple[ImportLine, ...]


def import_lines(outside: Outside, import_id: int, words: str, at: int, size: int) -> Lines:
    """Some of the instruments of an import whose code holds some words. Raises NotFoundError."""
    own = get_import(outside, import_id)
    wanted = words.strip().upper()
    found = [line for line in outside.imports.lines(own.id) if wanted in line.code.upper()]
    return Lines(total=len(found), lines=tuple(found[at : at + size]))


def leave_out(outside: Outside, import_id: int, codes: Sequence[str]) -> Import:
    """Say which instruments of an import are not to be taken. Raises ConflictError where it is not
    ready."""
    own = get_import(outside, import_id)
    if own.state != ImportState.READY:
        raise ConflictError("import_not_ready", f"{own.name} is {own.state}")
    known = {line.code for line in outside.imports.lines(own.id)}
    _leave(outside, own, known & set(codes))
    return get_import(outside, own.id)


def _leave(outside: Outside, imported: Import, codes: Collection[str]) -> None:
    lines = [line for line in outside.imports.lines(imported.id) if line.code in codes]
    rows = sum(line.new + line.changed for line in lines)
    outside.imports.leave_out(imported.id, sorted(codes), rows)


def take_some_back(outside: Outside, import_id: int, codes: Sequence[str]) -> TakenBack:
    """Undo what an import did to some instruments. Raises ConflictError where it can't be taken back."""
    own = get_import(outside, import_id)
    if own.state != ImportState.DONE or not own.reversible or not own.layout.content.timed:
        raise _irreversible(own)
    done = outside.bars.take_back(own.id, codes)
    _unmend(outside, own, codes)
    _leave(outside, own, {*own.left_out, *codes})
    _look_again(outside)
    return done


def _unmend(outside: Outside, imported: Import, codes: Collection[str] | None = None) -> None:
    """Take back what was mended by the adjusted closes of an import, of all instruments or of some, as far
    as it is in force still."""
    made = set(imported.account.mended) if imported.account else set()
    numbers = [
        stored.id
        for stored in outside.mendings.all()
        if stored.id in made and (codes is None or stored.mending.code in codes)
    ]
    if numbers:
        take_all_back(outside, numbers)


def _look_again(outside: Outside) -> None:
    """What is known of all bars, once some were taken away."""
    outside.bars.pack_periods()
    find_newest(outside)
    check_data(outside)


def count_back(outside: Outside, import_id: int) -> TakenBack:
    """What taking an import back would do. Raises ConflictError where it can't be taken back."""
    own = get_import(outside, import_id)
    if own.state != ImportState.DONE or not own.reversible:
        raise _irreversible(own)
    if own.layout.content.timed:
        return outside.bars.count_back(own.id)
    return take_list_back(outside, own, dry=True)


def take_import_back(outside: Outside, import_id: int) -> Import:
    """Undo what an import did. Raises ConflictError where that can't be; asked twice it is done once."""
    own = get_import(outside, import_id)
    if own.reversible and outside.work.ask(IMPORT, own.id, ImportState.GOING, ImportState.DONE):
        outside.queue.submit(IMPORT, own.id)
    elif own.state not in (ImportState.GOING, ImportState.GONE):
        raise _irreversible(own)
    return get_import(outside, own.id)


def _irreversible(imported: Import) -> ConflictError:
    if imported.state != ImportState.DONE:
        return ConflictError(
            "import_not_taken", f"{imported.name} is {imported.state}: it is not taken"
        )
    gone = "is not kept: it changed nothing, or is too old"
    why = f"what stood there before {imported.name} was taken {gone}"
    return ConflictError("import_irreversible", why)


def forget(outside: Outside, import_id: int) -> None:
    """Take an import off the list, with its file; what was taken of it stays. Raises ConflictError while it
    is under way."""
    own = get_import(outside, import_id)
    if own.state.at_work:
        raise ConflictError("import_at_work", f"{own.name} is {own.state}", "cancel it first")
    outside.imports.forget(own.id)
    outside.files.forget(own.id)


def refused_rows(outside: Outside, import_id: int) -> IO[bytes]:
    """The rows that are not taken, as a table to be mended. Raises NotFoundError."""
    own = get_import(outside, import_id)
    found = outside.files.refused(own.id)
    if found is None:
        raise NotFoundError("refused row of", own.name)
    return found


def execute_import(outside: Outside, import_id: int) -> None:
    """Do what a file waits for, within the budget of an import: it is read, or taken whole, or fails and
    nothing of it is taken. Given up as soon as it is not wanted any more.

    Raises OutageError when what it needs goes away: it is left to be taken up again.
    """
    asked = outside.imports.get(import_id)
    if asked is None:
        return
    turn = outside.work.begin(IMPORT, asked.id, asked.turn)
    if turn is None:
        return
    own = replace(asked, turn=turn)
    order = Order(kind=OrderKind.IMPORT)
    ended = Event()
    watching = Thread(target=_watch, args=(outside, own, order.gone, ended), daemon=True)
    watching.start()
    try:
        outside.compute.do_outside(order, go_on, own)
    except CancelledError:
        pass
    except (TooMuchError, DiedError) as error:
        settled = settled_import(outside, own.id)
        outside.work.end(IMPORT, own.id, own.turn, settled, str(error))
    finally:
        ended.set()
        watching.join()


def _watch(outside: Outside, imported: Import, gone: Event, ended: Event) -> None:
    """Say when an import is not wanted any more, until its work has ended."""
    while not ended.wait(_LOOK_EVERY):
        with suppress(OutageError):
            if not outside.work.wanted(IMPORT, imported.id, imported.turn):
                gone.set()
                return


def settled_import(outside: Outside, import_id: int) -> ImportState:
    """What becomes of an import whose work ended without a word: what was written whole by then stays."""
    own = get_import(outside, import_id)
    written = own.state == ImportState.GOING or (own.state == ImportState.TAKING and own.reversible)
    return ImportState.DONE if written else ImportState.FAILED


def go_on(outside: Outside, imported: Import) -> None:
    """Do what an import that was begun waits for, and say how it ended. Raises OutageError."""
    if imported.state == ImportState.GOING:
        _go_back(outside, imported)
        return
    try:
        account, lines = _work(outside, imported)
        wanted = ImportState.READY if imported.state == ImportState.READING else ImportState.DONE
        outside.imports.finish(imported.id, imported.turn, wanted, account, lines)
        if wanted == ImportState.DONE:
            outside.files.forget(imported.id)
    except CancelledError:
        pass
    except OutageError:
        raise
    except (CoreError, UseCaseError) as error:
        outside.work.end(IMPORT, imported.id, imported.turn, ImportState.FAILED, str(error))


def _go_back(outside: Outside, imported: Import) -> None:
    """Take an import back whole; where that fails, it stays taken."""
    try:
        by = outside.bars.take_back if imported.layout.content.timed else None
        done = by(imported.id) if by else take_list_back(outside, imported)
        if imported.uncovered is None:
            outside.imports.keep_uncovered(imported.id, done)
        outside.work.end(IMPORT, imported.id, imported.turn, ImportState.GONE)
        if imported.layout.content.timed:
            _unmend(outside, imported)
            _look_again(outside)
    except OutageError:
        raise
    except (CoreError, UseCaseError) as error:
        outside.work.end(IMPORT, imported.id, imported.turn, ImportState.DONE, str(error))


def _not_wanted() -> None:
    raise CancelledError


def _work(outside: Outside, imported: Import) -> tuple[Account, list[ImportLine]]:
    report = Reporter(outside.work, IMPORT, imported.id, imported.turn, _not_wanted)
    refusals = Refusals()
    sample = outside.files.sample(imported.id, imported.name, imported.layout)
    check_layout(imported.layout, sample.names)
    taken = imported.state == ImportState.TAKING
    lines: list[ImportLine] = []
    if imported.layout.content.timed:
        account, lines = take_bars(outside, imported, refusals, report, taken=taken)
    else:
        account = take_list(outside, imported, refusals, report, taken=taken)
    if not taken and refusals.count:
        outside.files.write_refused(imported.id, imported.name, imported.layout, refusals)
    return account, lines
