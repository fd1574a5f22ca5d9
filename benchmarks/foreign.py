"""A file of two million bars written elsewhere: understood and read, beside a rival; and taken whole.

    .venv/bin/python benchmarks/foreign.py                              reading alone
    .venv/bin/python benchmarks/foreign.py http://127.0.0.1:8437        and through a running application

The rival reads the same rows with the csv module, float() and strptime, as a script would; it is given a
twentieth of them, and its time is multiplied. In the application 200 instruments, ``BENCH000`` and
``BEPAR000`` and so on, are left behind.
"""

from __future__ import annotations

import argparse
import csv
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from zealous_sieve.client import Client
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import take_rows
from zealous_sieve.storage.foreign_columns import read_rows
from zealous_sieve.storage.foreign_files import ForeignTable, glimpse

CODES, SHARE = 100, 20


def table(prefix: str, rows: int) -> pa.Table:
    """Minutes of random walks."""
    rng = np.random.default_rng(7)
    each = rows // CODES
    minutes = np.arange(each)
    times = np.datetime64("2024-01-02T08:00", "s") + (minutes // 500 * 1440 + minutes % 500) * 60
    close = 100 * np.exp(np.cumsum(rng.normal(0, 0.0004, (CODES, each)), axis=1)).ravel().round(2)
    opened = (close * 1.0002).round(2)
    return pa.table(
        {
            "code": np.repeat([f"{prefix}{n:03d}" for n in range(CODES)], each),
            "day": pa.array(np.tile(times, CODES), pa.timestamp("s")),
            "open": opened,
            "high": (np.maximum(opened, close) + 0.05).round(2),
            "low": (np.minimum(opened, close) - 0.05).round(2),
            "close": close,
            "volume": rng.integers(1, 900, rows).astype(float),
        }
    )


def write(rows: pa.Table, path: Path) -> None:
    """Semicolons, decimal commas, days first."""
    columns = [rows.column(name).to_pylist() for name in rows.column_names]
    columns[1] = [moment.strftime("%d.%m.%Y %H:%M") for moment in columns[1]]
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, delimiter=";", lineterminator="\n")
        writer.writerow(rows.column_names)
        for code, day, *values in zip(*columns, strict=True):
            writer.writerow([code, day, *(str(value).replace(".", ",") for value in values)])


def ours(path: Path, rows_of: int) -> float:
    begun = time.perf_counter()
    refusals = Refusals()
    layout = glimpse(path, path.name, {}).understood.layout
    whole = ForeignTable(path=path, name=path.name, layout=layout)
    rows = read_rows([whole], refusals, lambda done, total: None)
    series, _ = take_rows(rows, refusals, int(time.time()))
    assert refusals.count == 0
    assert sum(len(times) for times, _ in series.values()) == rows_of
    return time.perf_counter() - begun


def rival(path: Path, rows: int) -> float:
    begun = time.perf_counter()
    found: dict[str, list[tuple[float, ...]]] = {}
    with path.open(newline="", encoding="utf-8") as file:
        reader = csv.reader(file, delimiter=";")
        next(reader)
        for row, (code, day, *values) in enumerate(reader):
            moment = datetime.strptime(day, "%d.%m.%Y %H:%M").replace(tzinfo=UTC).timestamp()
            own = (moment, *(float(value.replace(",", ".")) for value in values))
            found.setdefault(code, []).append(own)
            if row >= rows // SHARE:
                break
    for own in found.values():
        own.sort()
    return (time.perf_counter() - begun) * SHARE


def through(base: str, path: Path) -> tuple[float, float]:
    """Seconds until it is read, and until it is taken, through a running application."""
    client = Client(base)
    begun = time.perf_counter()
    number = client.bring(path)["id"]

    def wait() -> float:
        while client.ask("GET", f"/imports/{number}")["own"]["state"] in ("reading", "taking"):
            time.sleep(0.05)
        return time.perf_counter() - begun

    read = wait()
    client.ask("POST", f"/imports/{number}/take")
    return read, wait() - read


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("base", nargs="?", help="the address of a running application")
    parser.add_argument("--rows", type=int, default=2_000_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        text, columns = Path(folder) / "bench.csv", Path(folder) / "bench.parquet"
        write(table("BENCH", asked.rows), text)
        pq.write_table(table("BEPAR", asked.rows), columns)
        own, other = ours(text, asked.rows), rival(text, asked.rows)
        print(
            f"CSV understood, read, checked: {own:.1f} s; row by row {other / own:.0f} times as long"
        )
        print(f"Parquet the same: {ours(columns, asked.rows):.1f} s")
        if asked.base:
            for path in (text, columns):
                read, taken = through(asked.base, path)
                print(
                    f"{path.name} through the application: read {read:.1f} s, taken {taken:.1f} s"
                )


if __name__ == "__main__":
    main()
