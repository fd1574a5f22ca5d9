"""Files written elsewhere: their first rows, all their rows in a layout, and the rows that were refused."""

from __future__ import annotations

import codecs
import csv
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pa_csv
import pyarrow.parquet as pq
from numpy.typing import NDArray

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.foreign.layout import Content, Encoding, Layout, check_layout
from zealous_sieve.core.market.foreign.refusals import PLACE, Refusals
from zealous_sieve.core.market.foreign.understand import (
    Glimpse,
    Sample,
    sample_of,
    understand,
    understand_columns,
)

FIRST_LINES = 400
FIRST_BYTES = 256 * 1024
BLOCK = 8 * 1024 * 1024
MOST_ROWS = 60_000_000
"""More rows than that are better brought in several files: all of them have to fit into memory."""
PARQUET = (".parquet", ".pq")
Told = Callable[[int, int], None]
"""Is told how many bytes of all have been read; raises to stop the reading."""


def unreadable(why: str, mend: str) -> DataError:
    """That a file is nothing that can be read, and what can be."""
    return DataError(Problem(code="unreadable_file", message=why, mend=mend))


def is_parquet(name: str) -> bool:
    return Path(name).suffix.lower() in PARQUET


def glimpse(path: Path, name: str, zones: Mapping[str, str]) -> Glimpse:
    """Look at the beginning of a file that came under a name. Raises DataError ``unreadable_file``,
    ``no_rows``."""
    stem = Path(name).stem
    if is_parquet(name):
        sample = parquet_sample(path)
        understood = understand_columns(sample, stem, zones)
    else:
        lines, encoding = first_lines(path)
        understood = understand(lines, stem, zones, encoding)
        sample = sample_of(lines, understood.layout)
    if not sample.rows:
        raise DataError(
            Problem(
                code="no_rows",
                message="the file has a header and no rows"
                if sample.names
                else "the file is empty",
                mend="bring a file with rows below its header",
            )
        )
    return Glimpse(understood=understood, sample=sample)


def sample_in(path: Path, name: str, layout: Layout) -> Sample:
    """The first rows of a file as a layout reads them."""
    if is_parquet(name):
        return parquet_sample(path)
    lines, _ = first_lines(path, layout.encoding)
    return sample_of(lines, layout)


def first_lines(path: Path, known: Encoding | None = None) -> tuple[list[str], Encoding]:
    """The first whole lines of a text, and how it is encoded. Raises DataError ``unreadable_file``."""
    with path.open("rb") as file:
        start = file.read(FIRST_BYTES)
    encoding = known or _encoding(start)
    try:
        text = start.decode("utf-8-sig" if encoding == Encoding.UTF_8 else encoding, "ignore")
    except (UnicodeDecodeError, LookupError):
        raise unreadable("the file is no text", "bring CSV or Parquet") from None
    if "\0" in text:
        raise unreadable("the file is no table of text", "bring CSV or Parquet")
    lines = text.splitlines()
    if len(start) == FIRST_BYTES and len(lines) > 1:
        lines.pop()
    if not any(line.strip() for line in lines):
        raise DataError(
            Problem(code="no_rows", message="the file is empty", mend="bring one with rows")
        )
    return lines[:FIRST_LINES], encoding


def head_of(path: Path, name: str, skip: int) -> tuple[object, ...]:
    """What a file begins with, up to its header below some lines, and how it is encoded: where that is the
    same, files have the same columns."""
    if is_parquet(name):
        return (str(parquet_file(path).schema_arrow.remove_metadata()),)
    with path.open("rb") as file:
        start = file.read(FIRST_BYTES)
    return (b"\n".join(start.split(b"\n", skip + 1)[: skip + 1]).rstrip(b"\r"), _encoding(start))


def _encoding(start: bytes) -> Encoding:
    if start.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return Encoding.UTF_16
    try:
        codecs.getincrementaldecoder("utf-8")().decode(start)
    except UnicodeDecodeError:
        return Encoding.WESTERN
    return Encoding.UTF_8


def parquet_file(path: Path) -> pq.ParquetFile:
    try:
        return pq.ParquetFile(path)
    except (pa.ArrowException, OSError) as error:
        why = f"the file is no Parquet: {str(error).splitlines()[0][:120]}"
        raise unreadable(why, "bring CSV or Parquet, with an ending that says which") from None


def parquet_sample(path: Path) -> Sample:
    file = parquet_file(path)
    names = list(file.schema_arrow.names)
    batch = next(file.iter_batches(batch_size=FIRST_LINES), None)
    columns = [] if batch is None else [texts_of(column).to_pylist() for column in batch.columns]
    return Sample(names=names, rows=[[c or "" for c in row] for row in zip(*columns, strict=True)])


def texts_of(column: Any) -> Any:
    """A column as texts; what can't be one is empty."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        column = column.dictionary_decode()
        kind = column.type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return column
    if pa.types.is_timestamp(kind):
        offset = "" if kind.tz is None else "+00:00"
        plain = column.cast(pa.timestamp("s"), safe=False)
        return pc.binary_join_element_wise(pc.strftime(plain, "%Y-%m-%d %H:%M:%S"), offset, "")
    try:
        return column.cast(pa.string())
    except pa.ArrowException:
        return pa.nulls(len(column), pa.string())


@dataclass(frozen=True, kw_only=True)
class Piece:
    """Some rows of a file, or of several: columns by their own names, the numbers of their lines, and of
    how many of the rows which instrument is the one that the layout names."""

    columns: Mapping[str, Any]
    lines: NDArray[np.int64]
    codes: Sequence[tuple[str, int]] = ()


@dataclass(frozen=True, kw_only=True)
class Table:
    """A file as it is read: where it lies, what it is called, and how it is written."""

    path: Path
    name: str
    layout: Layout


AT_LEAST = 100_000
"""Rows of small files that are read as one piece."""


def together(found: Iterable[Piece]) -> Iterator[Piece]:
    """Pieces as few as may be: small ones of the same columns are put together."""
    waiting: list[Piece] = []
    for piece in found:
        alike = not waiting or _types(waiting[0]) == _types(piece)
        if not alike or sum(len(own.lines) for own in waiting) >= AT_LEAST:
            yield _joined(waiting)
            waiting = []
        waiting.append(piece)
    if waiting:
        yield _joined(waiting)


def _types(piece: Piece) -> list[tuple[str, Any]]:
    return [(name, column.type) for name, column in piece.columns.items()]


def _joined(some: Sequence[Piece]) -> Piece:
    if len(some) == 1:
        return some[0]
    return Piece(
        columns={n: pa.concat_arrays([own.columns[n] for own in some]) for n in some[0].columns},
        lines=np.concatenate([own.lines for own in some]),
        codes=[code for own in some for code in own.codes],
    )


def pieces(tables: Sequence[Table], refusals: Refusals, told: Told) -> Iterator[Piece]:
    """All rows of some files, some at a time; lines of the second file are counted from ``PLACE`` on.
    Raises DataError where a file can't be read so; one of several is refused instead."""
    sizes = [max(1, table.path.stat().st_size) for table in tables]
    count = 0
    for place, table in enumerate(tables):
        before, first = sum(sizes[:place]), place * PLACE

        def part(done: int, of: int, before: int = before, size: int = sizes[place]) -> None:
            told(before + size * done // of, sum(sizes))

        read = _parquet_pieces if is_parquet(table.name) else _csv_pieces
        try:
            for piece in read(table, first, refusals, part):
                count += len(piece.lines)
                if count > MOST_ROWS:
                    message = f"there are more than {MOST_ROWS:,} rows"
                    mend = "bring them in parts"
                    raise DataError(Problem(code="too_many_rows", message=message, mend=mend))
                yield replace(piece, codes=((table.layout.code, len(piece.lines)),))
        except DataError as error:
            if len(tables) == 1 or count > MOST_ROWS:
                raise
            refusals.add(first, "all", table.name, str(error.problem))


def _parquet_pieces(table: Table, first: int, _: Refusals, told: Told) -> Iterator[Piece]:
    layout = table.layout
    file = parquet_file(table.path)
    check_layout(layout, file.schema_arrow.names)
    wanted = list(dict.fromkeys(layout.columns.values()))
    if layout.content == Content.INSTRUMENTS:
        wanted = list(file.schema_arrow.names)
    total, done = max(1, file.metadata.num_rows), 0
    try:
        for batch in file.iter_batches(columns=wanted):
            lines = np.arange(first + done + 1, first + done + 1 + batch.num_rows)
            done += batch.num_rows
            told(done, total)
            yield Piece(columns={n: batch.column(n) for n in batch.schema.names}, lines=lines)
    except pa.ArrowException as error:
        raise unreadable(f"the file can't be read: {error}", "bring it anew") from None


def _csv_pieces(table: Table, first: int, refusals: Refusals, told: Told) -> Iterator[Piece]:
    path, layout = table.path, table.layout
    lines, _ = first_lines(path, layout.encoding)
    names = list(sample_of(lines, layout).names)
    check_layout(layout, names)
    broken: list[int] = []

    def skip(row: pa_csv.InvalidRow) -> str:
        reason = f"the row has {row.actual_columns} values for {row.expected_columns} columns"
        broken.append(row.number)
        refusals.add(first + row.number, "all", row.text, reason)
        return "skip"

    before = layout.skip + layout.header + layout.under
    total = max(1, path.stat().st_size)
    following = before + 1
    try:
        with pa.OSFile(str(path)) as file:
            reader = pa_csv.open_csv(
                file,
                read_options=pa_csv.ReadOptions(
                    use_threads=False,
                    skip_rows=before,
                    column_names=names,
                    block_size=BLOCK,
                    encoding=str(layout.encoding),
                ),
                parse_options=pa_csv.ParseOptions(
                    delimiter=layout.separator,
                    invalid_row_handler=skip,
                    ignore_empty_lines=False,
                ),
                convert_options=pa_csv.ConvertOptions(
                    column_types={name: pa.string() for name in names}, strings_can_be_null=False
                ),
            )
            for batch in reader:
                numbers = _numbers_of(following, batch.num_rows, broken)
                following = int(numbers[-1]) + 1 if len(numbers) else following
                told(min(total, file.tell()), total)
                yield _without_blank(batch, numbers + first)
    except pa.ArrowException as error:
        why = f"the file can't be read as {layout.encoding}: {str(error).splitlines()[0][:160]}"
        raise unreadable(
            why, "choose another separator or encoding, or look at that line"
        ) from None


def _numbers_of(first: int, count: int, broken: Sequence[int]) -> NDArray[np.int64]:
    """The numbers of the next lines that are not among the broken ones."""
    later = [number for number in broken if number >= first]
    numbers = np.arange(first, first + count + len(later))
    return numbers[~np.isin(numbers, later)][:count]


def _without_blank(batch: pa.RecordBatch, lines: NDArray[np.int64]) -> Piece:
    """An empty line is no row."""
    blank = np.ones(batch.num_rows, bool)
    for column in batch.columns:
        if blank.any():
            blank &= pc.equal(pc.binary_length(column), 0).to_numpy(zero_copy_only=False)
    if blank.any():
        batch, lines = batch.filter(pa.array(~blank)), lines[~blank]
    return Piece(columns=dict(zip(batch.schema.names, batch.columns, strict=True)), lines=lines)


def read_texts(
    tables: Sequence[Table], refusals: Refusals, told: Told
) -> Iterator[tuple[int, dict[str, str]]]:
    """The rows of a table of instruments, events or venues: line, and texts by the names of the table's
    columns. Raises DataError where the file does not fit the layout."""
    for piece in pieces(tables, refusals, told):
        columns = {n: texts_of(column).to_pylist() for n, column in piece.columns.items()}
        for row, line in enumerate(piece.lines):
            yield int(line), {n: (own[row] or "").strip() for n, own in columns.items()}


def write_refused(tables: Sequence[Table], refusals: Refusals, out: Path) -> None:
    """The refused rows as they stand in their files, with what is wrong with each of them beside: mended,
    they can be brought in again. Rows of a Parquet file are told by their numbers; a file of which nothing
    can be read has one row without cells."""
    reasons: dict[int, dict[int, str]] = {}
    for one in refusals.listed:
        reasons.setdefault(one.place, {}).setdefault(one.line, f"{one.column}: {one.reason}")
    first = tables[0]
    separator = "," if is_parquet(first.name) else first.layout.separator
    many, width, headed = len(tables) > 1, 0, False
    with out.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, delimiter=separator, lineterminator="\n")
        for place, own in sorted(reasons.items()):
            table = tables[place]
            whole = [(0, [""])] if 0 in own else []
            for line, cells in (*(() if whole else _kept_rows(table, own)), *whole):
                if line is None and headed:
                    continue
                headed = headed or line is None
                told = ("line", "reason") if line is None else (str(line), own[line])
                width = max(width, len(cells))
                where = ("file" if line is None else table.name,) if many else ()
                writer.writerow([*cells, *[""] * (width - len(cells)), *where, *told])


def _kept_rows(table: Table, wanted: Iterable[int]) -> Iterator[tuple[int | None, list[str]]]:
    """The header, without a number, and the wanted rows with theirs."""
    path, name, layout = table.path, table.name, table.layout
    numbers = set(wanted)
    if is_parquet(name):
        file = parquet_file(path)
        yield None, list(file.schema_arrow.names)
        done = 0
        for batch in file.iter_batches():
            places = [n - done - 1 for n in numbers if done < n <= done + batch.num_rows]
            done += batch.num_rows
            for place in sorted(places):
                cells = [texts_of(column)[place].as_py() or "" for column in batch.columns]
                yield done - batch.num_rows + place + 1, cells
        return
    encoding = "utf-8-sig" if layout.encoding == Encoding.UTF_8 else str(layout.encoding)
    with path.open(newline="", encoding=encoding, errors="replace") as lines:
        for line, cells in enumerate(csv.reader(lines, delimiter=layout.separator), start=1):
            if line == layout.skip + 1 and layout.header:
                yield None, cells
            elif line in numbers:
                yield line, cells
