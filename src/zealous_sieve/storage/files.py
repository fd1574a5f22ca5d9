"""Files in and out: bars from CSV and Parquet, hits to CSV, JSON and Parquet."""

from __future__ import annotations

import csv
import json
import re
import tempfile
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TextIO

import numpy as np
import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pq
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.intake.tables import (
    MOST_COUNTED,
    BarTable,
    check_columns,
    refusal,
    refused,
    take_table,
)
from zealous_sieve.core.market.soundness import OPTIONAL

_NUMBERS = ("open", "high", "low", "close", "volume")


def read_bars(path: Path) -> dict[str, Series]:
    """The bars of a CSV or Parquet file, by instrument.

    A file without an instrument column holds one instrument, named after the file. Raises DataError
    with file, line, column, value and reason for each faulty row.
    """
    try:
        if path.suffix.lower() in (".parquet", ".pq"):
            return take_table(_read_parquet(path))
        try:
            return take_table(_read_csv(path))
        except (pa.ArrowException, DataError):
            return take_table(_read_csv_by_line(path))
    except OSError as error:
        raise DataError(_unreadable(path, error.strerror or str(error))) from None
    except (UnicodeDecodeError, pa.ArrowException, csv.Error) as error:
        raise DataError(_unreadable(path, str(error).split("\n")[0])) from None


def _unreadable(path: Path, why: str) -> Problem:
    return Problem(code="unreadable_file", message=f"can't be read: {why}", subject=str(path))


def _names(row: Sequence[str]) -> list[str]:
    return [name.strip().lower() for name in row]


def _read_csv(path: Path) -> BarTable:
    """The quick way; what it can't read is read again line by line, to say where the fault is."""
    with path.open(newline="", encoding="utf-8-sig") as file:
        names = _names(next(csv.reader(file), []))
    check_columns(str(path), names)
    kinds = {name: pa.float64() for name in (*_NUMBERS, *OPTIONAL)}
    kinds |= {name: pa.string() for name in names if name not in kinds}
    table = pa_csv.read_csv(
        path,
        read_options=pa_csv.ReadOptions(column_names=names, skip_rows=1),
        convert_options=pa_csv.ConvertOptions(column_types=kinds, null_values=[""]),
    )
    return _table(path, table, np.arange(2, table.num_rows + 2))


def _table(path: Path, table: pa.Table, lines: NDArray[np.int64]) -> BarTable:
    """A table of texts and numbers, checked for nothing but the form of its times."""
    known = [name for name in (*_NUMBERS, *OPTIONAL) if name in table.column_names]
    columns = {n: table.column(n).to_numpy(zero_copy_only=False).astype(np.float64) for n in known}
    problems: list[Problem] = []
    times, local = _times(path, table.column("time"), lines, problems)
    if problems:
        raise refused(problems)
    has_codes = "instrument" in table.column_names
    codes = table.column("instrument").to_pylist() if has_codes else [path.stem] * len(lines)
    return BarTable(
        file=str(path), codes=codes, times=times, local=local, columns=columns, lines=lines
    )


def _read_csv_by_line(path: Path) -> BarTable:
    with path.open(newline="", encoding="utf-8-sig") as file:
        reader = csv.reader(file)
        names = _names(next(reader, []))
        check_columns(str(path), names)
        rows, lines, problems = [], [], []
        for row in reader:
            if not row:
                continue
            if len(row) != len(names):
                reason = f"the row has {len(row)} values for {len(names)} columns"
                problems.append(refusal(str(path), reader.line_num, "all", ",".join(row), reason))
            rows.append(row)
            lines.append(reader.line_num)
    if problems:
        raise refused(problems)
    by_name = dict(zip(names, zip(*rows, strict=True), strict=True)) if rows else {}
    texts = {name: by_name.get(name, ()) for name in names}
    numbers = [n for n in (*_NUMBERS, *OPTIONAL) if n in texts]
    columns = {n: pa.array(_numbers(path, n, texts[n], lines, problems)) for n in numbers}
    _times(path, pa.array(texts["time"], pa.string()), lines, problems)
    if problems:
        raise refused(problems)
    rest = {n: pa.array(texts[n], pa.string()) for n in ("time", "instrument") if n in texts}
    return _table(path, pa.table(columns | rest), np.array(lines, np.int64))


def _numbers(
    path: Path, name: str, texts: Sequence[str], lines: list[int], problems: list[Problem]
) -> Column:
    if name in OPTIONAL:
        texts = [text or "nan" for text in texts]
    try:
        return np.array([float(text) for text in texts])
    except ValueError:
        for text, line in zip(texts, lines, strict=True):
            try:
                float(text)
            except ValueError:
                problems.append(refusal(str(path), line, name, text, "this is not a number"))
        return np.full(len(texts), np.nan)


def _times(
    path: Path, column: Any, lines: Sequence[int] | NDArray[np.int64], problems: list[Problem]
) -> tuple[Times, Times]:
    """Seconds since 1970, by UTC and by the clock that they are written in. Many bars share a time, so
    each is read once."""
    encoded = column.dictionary_encode()
    encoded = encoded.combine_chunks() if isinstance(encoded, pa.ChunkedArray) else encoded
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0) if encoded.num_chunks else pa.array([], column.type)
    places = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64)
    read = [_moment(value) for value in encoded.dictionary.to_pylist()] + [_moment(None)]
    faults = np.array([isinstance(moment, str) for moment in read])
    for row in np.flatnonzero(faults[places])[:MOST_COUNTED]:
        value = None if places[row] < 0 else encoded.dictionary[int(places[row])].as_py()
        reason = str(read[places[row]])
        problems.append(refusal(str(path), int(lines[row]), "time", value, reason))
    utc = np.array([0 if isinstance(m, str) else m[0] for m in read], np.int64)
    local = np.array([0 if isinstance(m, str) else m[1] for m in read], np.int64)
    return utc[places], local[places]


_DAY = re.compile(r"\d{4}-\d{2}-\d{2}")


def _moment(value: object) -> tuple[int, int] | str:
    """A time as seconds by UTC and by its own clock; or why it is none. A date without a time is a day."""
    if isinstance(value, str) and _DAY.fullmatch(value):
        value = f"{value}T00:00:00+00:00"
    try:
        moment = value if isinstance(value, datetime) else datetime.fromisoformat(str(value))
    except ValueError:
        return "this is not a time in ISO 8601, such as 2026-06-15T09:00:00+00:00"
    offset = moment.utcoffset()
    if offset is None:
        return "the time needs an offset, such as +00:00 or Z"
    seconds = int(moment.timestamp())
    return seconds, seconds + int(offset.total_seconds())


def _read_parquet(path: Path) -> BarTable:
    table = pq.read_table(path)
    names = [name.lower() for name in table.column_names]
    check_columns(str(path), names)
    table = table.rename_columns(names)
    problems: list[Problem] = []
    for name in (n for n in (*_NUMBERS, *OPTIONAL) if n in names):
        kind = table.schema.field(name).type
        if not (pa.types.is_floating(kind) or pa.types.is_integer(kind)):
            problems.append(refusal(str(path), 1, name, kind, "the column has to hold numbers"))
    kind = table.schema.field("time").type
    if not (pa.types.is_timestamp(kind) or pa.types.is_string(kind)):
        reason = "the column has to hold times with an offset"
        problems.append(refusal(str(path), 1, "time", kind, reason))
    if problems:
        raise refused(problems)
    return _table(path, table, np.arange(1, table.num_rows + 1))


def iso(seconds: int) -> str:
    """A moment as ISO 8601 with offset."""
    return datetime.fromtimestamp(int(seconds), UTC).isoformat()


def exact(value: float) -> str:
    """A number as the shortest text that reads back the same, empty where missing."""
    return "" if value != value else repr(float(value)).removesuffix(".0")


def write_bars(series: Mapping[str, tuple[Times, Mapping[str, Column]]], path: Path) -> None:
    """Bars to CSV or Parquet, by the file's ending, in the form that can be imported."""
    extras = [name for name in OPTIONAL if any(name in columns for _, columns in series.values())]
    names = (*_NUMBERS, *extras)
    rows: dict[str, list[Any]] = {name: [] for name in ("instrument", "time", *names)}
    for code, (times, columns) in series.items():
        rows["instrument"] += [code] * len(times)
        rows["time"] += [iso(t) for t in times]
        for name in names:
            missing = np.full(len(times), np.nan)
            rows[name] += columns.get(name, missing).tolist()
    write_table(rows, path)


def write_table(columns: Mapping[str, Sequence[Any]], path: Path) -> None:
    """Columns to a file in the format of its ending. Raises DataError for another ending."""
    match path.suffix.lower():
        case ".csv":
            with path.open("w", newline="", encoding="utf-8") as file:
                writer = csv_writer(file)
                writer.writerow(map(safe_text, columns))
                writer.writerows(zip(*(_texts(c) for c in columns.values()), strict=True))
        case ".json":
            rows = zip(*columns.values(), strict=True)
            listed = [dict(zip(columns, row, strict=True)) for row in rows]
            text = json.dumps(listed, indent=1, ensure_ascii=False, default=_stamp)
            path.write_text(text + "\n", "utf-8")
        case ".parquet":
            pq.write_table(
                pa.table({name: _typed(values) for name, values in columns.items()}), path
            )
        case other:
            message = f"{other or 'a file without ending'} can't be written"
            mend = "end the name in .csv, .json or .parquet"
            raise DataError(
                Problem(code="unknown_format", message=message, mend=mend, subject=str(path))
            )


def _stamp(value: object) -> str:
    """A moment as it stands in a text."""
    if isinstance(value, datetime):
        return value.isoformat()
    raise TypeError(f"{value!r} is nothing that a table holds")


_STAMP = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)")


def _typed(values: Sequence[Any]) -> pa.Array:
    """Values as what they are: moments as moments, also where they are written as texts."""
    told = [value for value in values if value is not None and value != ""]
    if told and all(isinstance(value, str) and _STAMP.fullmatch(value) for value in told):
        moments = [datetime.fromisoformat(value) if value else None for value in values]
        return pa.array(moments, pa.timestamp("us", "UTC"))
    if told and all(isinstance(value, datetime) for value in told):
        return pa.array(list(values), pa.timestamp("us", "UTC"))
    return pa.array(list(values))


EXACT, WHOLE = 2**53, 2**63
"""Up to these whole numbers stand as they are among others with decimals, and among whole ones."""


class TableFiles:
    """Implements TablesPort."""

    def written(self, columns: Mapping[str, Sequence[object]], form: str) -> bytes:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"table.{form}"
            write_table({name: _alike(values) for name, values in columns.items()}, path)
            return path.read_bytes()


def _alike(values: Sequence[object]) -> Sequence[object]:
    """Values of one kind: texts where some are, or where a whole number would lose digits as a number."""
    kinds = {type(value) for value in values if value is not None}
    most = EXACT if float in kinds else WHOLE
    fits = all(-most <= value < most for value in values if isinstance(value, int))
    if fits and (len(kinds) < 2 or kinds <= {int, float}):
        return values
    return [None if value is None else str(value) for value in values]


def _texts(values: Sequence[Any]) -> list[str]:
    return [_cell(value) for value in values]


def _cell(value: Any) -> str:
    """A value as it stands in a CSV file."""
    if isinstance(value, float):
        return exact(value)
    if isinstance(value, datetime):
        return _stamp(value)
    if isinstance(value, str):
        return safe_text(value)
    return "" if value is None else str(value)


class _Lines:
    """A text file that is written a row at a time, each ended by a line feed alone."""

    def __init__(self, file: TextIO) -> None:
        self.file = file

    def write(self, row: str) -> int:
        return self.file.write(row.removesuffix("\r\n") + "\n")


def csv_writer(file: TextIO, separator: str = ",") -> Any:
    """A writer of CSV that quotes carriage returns too, which would begin another row: the one of the
    standard library quotes what ends its own rows."""
    return csv.writer(_Lines(file), delimiter=separator, lineterminator="\r\n")


RISKY = "=+-@\t\r\n＝＋－＠"
"""With one of these a spreadsheet begins a formula, wide ones included."""


def safe_text(text: str) -> str:
    """A text as it stands in a CSV file: one that a spreadsheet would read as a formula is marked as text
    by a quote before it; what is a number stays one."""
    risky = text.lstrip(" ")[:1] in tuple(RISKY)
    return f"'{text}" if risky and not _is_number(text) else text


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True
