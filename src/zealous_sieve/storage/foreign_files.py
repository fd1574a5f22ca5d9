"""Files written elsewhere: their first rows, all their rows in a layout, and the rows that were refused."""

from __future__ import annotations

import codecs
import csv
import re
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
from zealous_sieve.core.intake.layout import SEPARATORS, Content, Encoding, Layout, check_layout
from zealous_sieve.core.intake.refusals import PLACE, Refusals
from zealous_sieve.core.intake.understand import (
    Glimpse,
    Sample,
    sample_of,
    understand,
    understand_columns,
)
from zealous_sieve.storage.files import csv_writer, safe_text

FIRST_LINES = 400
FIRST_BYTES = 256 * 1024
_BLOCK = 8 * 1024 * 1024
MOST_ROWS = 60_000_000
"""More rows than that are better brought in several files: all of them have to fit into memory."""
MOST_COLUMNS = 16_384
LONGEST_CELL = 10_000
"""Characters; a row with a longer cell is refused."""
NO_CELL = 4 * LONGEST_CELL
"""So much among the first rows, signs around it included, is no cell of a table at all."""
MOST_FOOTER = 64 * 1024 * 1024
"""Bytes of what a Parquet file says of itself."""
PARQUET = (".parquet", ".pq")
csv.field_size_limit(2 * _BLOCK)
RowsRead = Callable[[int, int], None]
"""Is told how many bytes of all have been read; raises to stop the reading."""


def unreadable_file(why: str, mend: str) -> DataError:
    """That a file is nothing that can be read, and what can be."""
    return DataError(Problem(code="unreadable_file", message=why, mend=mend))


def too_many_columns(count: int | str) -> DataError:
    message = f"there are {count} columns, and no more than {MOST_COLUMNS:,} are read"
    mend = "bring fewer columns, or a row for each instrument and time"
    return DataError(Problem(code="too_many_columns", message=message, mend=mend))


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
        if not is_parquet(name) and path.stat().st_size > FIRST_BYTES:
            raise _long_line(2)
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


def first_lines(path: Path, known_encoding: Encoding | None = None) -> tuple[list[str], Encoding]:
    """The first whole lines of a text, and how it is encoded. Raises DataError ``unreadable_file``,
    ``too_many_columns``."""
    with path.open("rb") as file:
        start = file.read(FIRST_BYTES)
    encoding = known_encoding or _encoding(start)
    try:
        text = start.decode("utf-8-sig" if encoding == Encoding.UTF_8 else encoding, "ignore")
    except (UnicodeDecodeError, LookupError):
        raise unreadable_file("the file is no text", "bring CSV or Parquet") from None
    if "\0" in text:
        raise unreadable_file("the file is no table of text", "bring CSV or Parquet")
    lines = text.splitlines()
    if len(start) == FIRST_BYTES:
        if len(lines) == 1:
            raise _long_line(1)
        lines.pop()
    for number, line in enumerate(lines[:FIRST_LINES], start=1):
        if len(line) > MOST_COLUMNS:
            _check_line(number, line)
    if not any(line.strip() for line in lines):
        raise DataError(
            Problem(code="no_rows", message="the file is empty", mend="bring one with rows")
        )
    return lines[:FIRST_LINES], encoding


def _long_line(number: int) -> DataError:
    why = f"line {number} goes on for more than {FIRST_BYTES // 1024} kB"
    return unreadable_file(why, "bring a table with a line for each row")


def _check_line(number: int, line: str) -> None:
    """Raises DataError where a line is no row of a table."""
    most = max(line.count(separator) for separator in SEPARATORS) + 1
    if most > MOST_COLUMNS:
        raise too_many_columns(f"{most:,}")
    longest = max(map(len, re.split("[" + "".join(SEPARATORS) + "]", line)))
    if longest > NO_CELL:
        why = f"line {number} has a cell of {longest:,} characters"
        raise unreadable_file(why, f"no cell has more than {LONGEST_CELL:,}")


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
    """Raises DataError ``unreadable_file``, ``too_many_columns``, ``too_many_rows``."""
    try:
        _check_footer(path)
        schema = pq.read_schema(path)
        if len(schema) > MOST_COLUMNS:
            raise too_many_columns(f"{len(schema):,}")
        # What stands often in a column is kept once: unfolded it could be any size.
        texts = [own.name for own in schema if _is_text(own.type)]
        file = pq.ParquetFile(path, read_dictionary=texts)
        _check_count(file.metadata.num_rows)
        return file
    except (pa.ArrowException, OSError) as error:
        why = f"the file is no Parquet: {str(error).splitlines()[0][:120]}"
        raise unreadable_file(why, "bring CSV or Parquet, with an ending that says which") from None


def _check_footer(path: Path) -> None:
    with path.open("rb") as file:
        size = file.seek(0, 2)
        file.seek(max(0, size - 8))
        told = int.from_bytes(file.read(4), "little")
    if MOST_FOOTER < told < size:
        raise too_many_columns("far too many")


def _check_count(rows: int) -> None:
    if rows > MOST_ROWS:
        message = f"there are more than {MOST_ROWS:,} rows"
        raise DataError(Problem(code="too_many_rows", message=message, mend="import them in parts"))


def _is_text(kind: Any) -> bool:
    kinds = (pa.types.is_string, pa.types.is_large_string)
    return any(check(kind) for check in (*kinds, pa.types.is_binary, pa.types.is_large_binary))


def _lengths(column: Any) -> Any:
    """How many bytes the texts of a column have, by row; None for what is none."""
    if pa.types.is_dictionary(column.type):
        if not _is_text(column.type.value_type):
            return None
        return pc.take(pc.binary_length(column.dictionary), column.indices)
    return pc.binary_length(column) if _is_text(column.type) else None


def _without_long(
    columns: Mapping[str, Any], lines: NDArray[np.int64], refusals: Refusals
) -> tuple[Mapping[str, Any], NDArray[np.int64]]:
    """Rows without those that have a cell of more characters than any cell has."""
    long = np.zeros(len(lines), bool)
    for name, column in columns.items():
        lengths = _lengths(column)
        if lengths is None or not len(lines) or (pc.max(lengths).as_py() or 0) <= LONGEST_CELL:
            continue
        over = pc.fill_null(pc.greater(lengths, LONGEST_CELL), False)
        for row in np.flatnonzero(over.to_numpy(zero_copy_only=False) & ~long):
            reason = f"the cell has more than {LONGEST_CELL:,} characters"
            refusals.add(int(lines[row]), name, str(column[row].as_py()), reason)
            long[row] = True
    if not long.any():
        return columns, lines
    kept = pa.array(~long)
    return {name: column.filter(kept) for name, column in columns.items()}, lines[~long]


def parquet_sample(path: Path) -> Sample:
    file = parquet_file(path)
    names = list(file.schema_arrow.names)
    batch = next(file.iter_batches(batch_size=FIRST_LINES), None)
    columns = []
    for column in () if batch is None else batch.columns:
        longest = pc.max(own).as_py() if (own := _lengths(column)) is not None else 0
        if (longest or 0) > NO_CELL:
            why = f"one of the first rows has a cell of {longest:,} characters"
            raise unreadable_file(why, f"no cell has more than {LONGEST_CELL:,}")
        columns.append(texts_of(column).to_pylist())
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
class FilePiece:
    """Some rows of a file, or of several: columns by their own names, the numbers of their lines, and of
    how many of the rows which instrument is the one that the layout names."""

    columns: Mapping[str, Any]
    lines: NDArray[np.int64]
    codes: Sequence[tuple[str, int]] = ()


@dataclass(frozen=True, kw_only=True)
class ForeignTable:
    """A file as it is read: where it lies, what it is called, and how it is written."""

    path: Path
    name: str
    layout: Layout


AT_LEAST = 100_000
"""Rows of small files that are read as one piece."""


def together(small_pieces: Iterable[FilePiece]) -> Iterator[FilePiece]:
    """Pieces as few as may be: small ones of the same columns are put together."""
    waiting: list[FilePiece] = []
    for piece in small_pieces:
        alike = not waiting or _types(waiting[0]) == _types(piece)
        if not alike or sum(len(own.lines) for own in waiting) >= AT_LEAST:
            yield _joined(waiting)
            waiting = []
        waiting.append(piece)
    if waiting:
        yield _joined(waiting)


def _types(piece: FilePiece) -> list[tuple[str, Any]]:
    return [(name, column.type) for name, column in piece.columns.items()]


def _joined(some: Sequence[FilePiece]) -> FilePiece:
    if len(some) == 1:
        return some[0]
    return FilePiece(
        columns={n: pa.concat_arrays([own.columns[n] for own in some]) for n in some[0].columns},
        lines=np.concatenate([own.lines for own in some]),
        codes=[code for own in some for code in own.codes],
    )


def pieces(
    tables: Sequence[ForeignTable], refusals: Refusals, report: RowsRead
) -> Iterator[FilePiece]:
    """All rows of some files, some at a time; lines of the second file are counted from ``PLACE`` on.
    Raises DataError where a file can't be read so; one of several is refused instead."""
    sizes = [max(1, table.path.stat().st_size) for table in tables]
    count = 0
    for place, table in enumerate(tables):
        before, first = sum(sizes[:place]), place * PLACE

        def part(done: int, of: int, before: int = before, size: int = sizes[place]) -> None:
            report(before + size * done // of, sum(sizes))

        read = _parquet_pieces if is_parquet(table.name) else _csv_pieces
        try:
            for piece in read(table, first, refusals, part):
                count += len(piece.lines)
                _check_count(count)
                yield replace(piece, codes=((table.layout.code, len(piece.lines)),))
        except DataError as error:
            if len(tables) == 1 or count > MOST_ROWS:
                raise
            refusals.add(first, "all", table.name, str(error.problem))


def _parquet_pieces(
    table: ForeignTable, first: int, refusals: Refusals, report: RowsRead
) -> Iterator[FilePiece]:
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
            report(done, total)
            whole = dict(zip(batch.schema.names, batch.columns, strict=True))
            columns, lines = _without_long(whole, lines, refusals)
            yield FilePiece(columns={n: _plain(own) for n, own in columns.items()}, lines=lines)
    except pa.ArrowException as error:
        raise unreadable_file(f"the file can't be read: {error}", "bring it anew") from None


def _csv_pieces(
    table: ForeignTable, first: int, refusals: Refusals, report: RowsRead
) -> Iterator[FilePiece]:
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
                    block_size=_BLOCK,
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
                report(min(total, file.tell()), total)
                columns, places = _without_blank(batch, numbers + first)
                columns, places = _without_long(columns, places, refusals)
                yield FilePiece(columns=columns, lines=places)
    except pa.ArrowException as error:
        why = f"the file can't be read as {layout.encoding}: {str(error).splitlines()[0][:160]}"
        raise unreadable_file(
            why, "choose another separator or encoding, or look at that line"
        ) from None


def _numbers_of(first: int, count: int, broken: Sequence[int]) -> NDArray[np.int64]:
    """The numbers of the next lines that are not among the broken ones."""
    later = [number for number in broken if number >= first]
    numbers = np.arange(first, first + count + len(later))
    return numbers[~np.isin(numbers, later)][:count]


def _plain(column: Any) -> Any:
    """A column with each value at its place."""
    return column.dictionary_decode() if pa.types.is_dictionary(column.type) else column


def _without_blank(
    batch: pa.RecordBatch, lines: NDArray[np.int64]
) -> tuple[Mapping[str, Any], NDArray[np.int64]]:
    """An empty line is no row."""
    blank = np.ones(batch.num_rows, bool)
    for column in batch.columns:
        if blank.any():
            blank &= pc.equal(pc.binary_length(column), 0).to_numpy(zero_copy_only=False)
    if blank.any():
        batch, lines = batch.filter(pa.array(~blank)), lines[~blank]
    return dict(zip(batch.schema.names, batch.columns, strict=True)), lines


def read_texts(
    tables: Sequence[ForeignTable], refusals: Refusals, report: RowsRead
) -> Iterator[tuple[int, dict[str, str]]]:
    """The rows of a table of instruments, events or venues: line, and texts by the names of the table's
    columns. Raises DataError where the file does not fit the layout."""
    for piece in pieces(tables, refusals, report):
        columns = {n: texts_of(column).to_pylist() for n, column in piece.columns.items()}
        for row, line in enumerate(piece.lines):
            yield int(line), {n: (own[row] or "").strip() for n, own in columns.items()}


def write_refused(tables: Sequence[ForeignTable], refusals: Refusals, out: Path) -> None:
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
        writer = csv_writer(file, separator)
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
                cells = [safe_text(cell) for cell in cells]
                writer.writerow([*cells, *[""] * (width - len(cells)), *where, *told])


def _kept_rows(
    table: ForeignTable, wanted: Iterable[int]
) -> Iterator[tuple[int | None, list[str]]]:
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
