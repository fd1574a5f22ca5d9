"""Files in and out: bars from CSV and Parquet, hits to CSV, JSON and Parquet."""

from __future__ import annotations

import csv
import json
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from zealous_sieve.core.engine.panel import Column, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.intake import (
    MOST_PROBLEMS,
    OPTIONAL,
    Table,
    check_columns,
    refusal,
    take,
)

NUMBERS = ("open", "high", "low", "close", "volume")
Series = tuple[Times, dict[str, Column]]


def read_bars(path: Path) -> dict[str, Series]:
    """The bars of a CSV or Parquet file, by instrument.

    A file without an instrument column holds one instrument, named after the file. Raises DataError
    with file, line, column, value and reason for each faulty row.
    """
    try:
        parquet = path.suffix.lower() in (".parquet", ".pq")
        return take(_read_parquet(path) if parquet else _read_csv(path))
    except OSError as error:
        raise DataError(_unreadable(path, error.strerror or str(error))) from None
    except (UnicodeDecodeError, pa.ArrowException, csv.Error) as error:
        raise DataError(_unreadable(path, str(error).split("\n")[0])) from None


def _unreadable(path: Path, why: str) -> Problem:
    return Problem(code="unreadable_file", message=f"can't be read: {why}", subject=str(path))


def _read_csv(path: Path) -> Table:
    with path.open(newline="", encoding="utf-8-sig") as file:
        reader = csv.reader(file)
        names = [name.strip().lower() for name in next(reader, [])]
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
        raise DataError(*problems[:MOST_PROBLEMS])
    by_name = dict(zip(names, zip(*rows, strict=True), strict=True)) if rows else {}
    texts = {name: by_name.get(name, ()) for name in names}
    known = [n for n in (*NUMBERS, *OPTIONAL) if n in texts]
    columns = {n: _numbers(path, n, texts[n], lines, problems) for n in known}
    times = _times(path, texts["time"], lines, problems)
    if problems:
        raise DataError(*problems[:MOST_PROBLEMS])
    codes = list(texts["instrument"]) if "instrument" in texts else [path.stem] * len(rows)
    return Table(
        file=str(path), codes=codes, times=times, columns=columns, lines=np.array(lines, np.int64)
    )


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
        return np.empty(0)


def _times(
    path: Path, texts: Sequence[Any], lines: Sequence[int], problems: list[Problem]
) -> Times:
    seconds = np.zeros(len(texts), np.int64)
    for row, (text, line) in enumerate(zip(texts, lines, strict=True)):
        try:
            moment = text if isinstance(text, datetime) else datetime.fromisoformat(str(text))
        except ValueError:
            reason = "this is not a time in ISO 8601, such as 2026-06-15T09:00:00+00:00"
            problems.append(refusal(str(path), line, "time", text, reason))
            continue
        if moment.tzinfo is None:
            reason = "the time needs an offset, such as +00:00 or Z"
            problems.append(refusal(str(path), line, "time", text, reason))
            continue
        seconds[row] = int(moment.timestamp())
    return seconds


def _read_parquet(path: Path) -> Table:
    table = pq.read_table(path)
    names = [name.lower() for name in table.column_names]
    check_columns(str(path), names)
    table = table.rename_columns(names)
    problems: list[Problem] = []
    lines = list(range(1, table.num_rows + 1))
    columns = {}
    for name in (n for n in (*NUMBERS, *OPTIONAL) if n in names):
        kind = table.schema.field(name).type
        if not (pa.types.is_floating(kind) or pa.types.is_integer(kind)):
            problems.append(refusal(str(path), 1, name, kind, "the column has to hold numbers"))
            continue
        values = table.column(name).cast(pa.float64()).to_numpy(zero_copy_only=False)
        columns[name] = np.array(values, dtype=np.float64)
    times = _times(path, table.column("time").to_pylist(), lines, problems)
    if problems:
        raise DataError(*problems[:MOST_PROBLEMS])
    has_codes = "instrument" in names
    codes = table.column("instrument").to_pylist() if has_codes else [path.stem] * len(lines)
    return Table(
        file=str(path), codes=codes, times=times, columns=columns, lines=np.array(lines, np.int64)
    )


def iso(seconds: int) -> str:
    """A moment as ISO 8601 with offset."""
    return datetime.fromtimestamp(int(seconds), UTC).isoformat()


def exact(value: float) -> str:
    """A number with 17 significant digits, empty where missing."""
    return "" if value != value else f"{value:.17g}"


def write_bars(series: Mapping[str, tuple[Times, Mapping[str, Column]]], path: Path) -> None:
    """Bars to CSV or Parquet, by the file's ending, in the form that can be imported."""
    extras = [name for name in OPTIONAL if any(name in columns for _, columns in series.values())]
    names = (*NUMBERS, *extras)
    rows: dict[str, list[Any]] = {name: [] for name in ("instrument", "time", *names)}
    for code, (times, columns) in series.items():
        rows["instrument"] += [code] * len(times)
        rows["time"] += [iso(t) for t in times]
        for name in names:
            missing = np.full(len(times), np.nan)
            rows[name] += columns.get(name, missing).tolist()
    write_table(rows, path)


HIT_COLUMNS = ("place", "code", "name", "fired_at", "bar_at", "age", "close", "score", "rank")


def write_hits(hits: Sequence[Mapping[str, Any]], path: Path) -> None:
    """Hits to CSV, JSON or Parquet by the file's ending; the mesh and sentences one column each."""
    rows: dict[str, list[Any]] = {name: [] for name in HIT_COLUMNS}
    conditions = max((len(hit["reasons"]) for hit in hits), default=0)
    for n in range(conditions):
        rows[f"condition_{n + 1}"] = []
        rows[f"sentence_{n + 1}"] = []
    for place, hit in enumerate(hits, start=1):
        for name in HIT_COLUMNS:
            value = place if name == "place" else hit.get(name)
            rows[name].append(iso(int(value or 0)) if name.endswith("_at") else value)
        for n, reason in enumerate(hit["reasons"]):
            rows[f"condition_{n + 1}"].append(str(reason["cell"]))
            rows[f"sentence_{n + 1}"].append(reason["sentence"])
    write_table(rows, path)


def write_table(columns: Mapping[str, Sequence[Any]], path: Path) -> None:
    """Columns to a file in the format of its ending. Raises DataError for another ending."""
    match path.suffix.lower():
        case ".csv":
            with path.open("w", newline="", encoding="utf-8") as file:
                writer = csv.writer(file, lineterminator="\n")
                writer.writerow(columns)
                writer.writerows(zip(*(_texts(c) for c in columns.values()), strict=True))
        case ".json":
            rows = zip(*columns.values(), strict=True)
            listed = [dict(zip(columns, row, strict=True)) for row in rows]
            path.write_text(json.dumps(listed, indent=1, ensure_ascii=False) + "\n", "utf-8")
        case ".parquet":
            pq.write_table(pa.table({name: list(values) for name, values in columns.items()}), path)
        case other:
            message = f"{other or 'a file without ending'} can't be written"
            mend = "end the name in .csv, .json or .parquet"
            raise DataError(
                Problem(code="unknown_format", message=message, mend=mend, subject=str(path))
            )


def _texts(values: Sequence[Any]) -> list[str]:
    return ["" if v is None else exact(v) if isinstance(v, float) else str(v) for v in values]
