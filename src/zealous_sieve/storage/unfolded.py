"""Tables with instruments across, turned into rows of instrument, time and prices."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pa_csv

from zealous_sieve.core.intake.across import AcrossColumns, across_of
from zealous_sieve.core.intake.layout import Layout
from zealous_sieve.core.intake.numbers import NOTHING
from zealous_sieve.core.intake.understand import sample_rows
from zealous_sieve.storage.foreign_files import (
    first_lines,
    is_parquet,
    parquet_file,
    parquet_sample,
    texts_of,
)


def across_in(path: Path, name: str, layout: Layout) -> AcrossColumns | None:
    """How a file, parted into cells as a layout says, has instruments across."""
    if is_parquet(name):
        sample = parquet_sample(path)
        return across_of([list(sample.names), *sample.rows])
    lines, _ = first_lines(path, layout.encoding)
    return across_of(sample_rows(lines, layout))


def unfold(path: Path, name: str, layout: Layout, across: AcrossColumns, out: Path) -> None:
    """Write a table with instruments across as one with a row for each instrument and time that has a
    close, in CSV."""
    fields = across.fields
    names = ["instrument", "time", *fields]
    schema = pa.schema([(own, pa.string()) for own in names])
    beside = out.with_name(f"{out.name}.part")
    options = pa_csv.WriteOptions(quoting_style="needed")
    with pa_csv.CSVWriter(str(beside), schema, write_options=options) as writer:
        for columns in _batches(path, name, layout, across):
            for code in across.codes:
                own = {
                    field: columns[across.columns.index((code, field))]
                    for field in fields
                    if (code, field) in across.columns
                }
                there = pc.invert(pc.is_in(pc.utf8_lower(own["close"]), pa.array(sorted(NOTHING))))
                times = columns[across.time]
                count = len(times)
                cells = [
                    pa.array([code] * count, pa.string()),
                    times,
                    *(own.get(field, pa.array([""] * count, pa.string())) for field in fields),
                ]
                writer.write_table(pa.table(cells, schema=schema).filter(there))
    beside.replace(out)


def _batches(path: Path, name: str, layout: Layout, across: AcrossColumns) -> Iterator[list[Any]]:
    """The columns of a file as texts, some rows at a time."""
    if is_parquet(name):
        for batch in parquet_file(path).iter_batches():
            yield [pc.fill_null(texts_of(column), "") for column in batch.columns]
        return
    names = [f"column {n}" for n in range(len(across.columns))]
    with pa.OSFile(str(path)) as file:
        reader = pa_csv.open_csv(
            file,
            read_options=pa_csv.ReadOptions(
                use_threads=False,
                skip_rows=layout.skip + across.headers,
                column_names=names,
                encoding=str(layout.encoding),
            ),
            parse_options=pa_csv.ParseOptions(
                delimiter=layout.separator, invalid_row_handler=lambda _: "skip"
            ),
            convert_options=pa_csv.ConvertOptions(
                column_types={own: pa.string() for own in names}, strings_can_be_null=False
            ),
        )
        for batch in reader:
            yield [pc.utf8_trim_whitespace(column) for column in batch.columns]
