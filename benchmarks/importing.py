"""Bars from a CSV file into a database, beside the same rows through a dataframe library and row by row.

ZEALOUS_SIEVE_DATABASE=postgresql://… .venv/bin/python benchmarks/importing.py [--rows 1200000]

Each number of instruments shares the same rows and goes into a table that holds bars already. The rival
reads the file with a dataframe library and inserts a sample of it with ``executemany``; its time is scaled
up. The database should be one made for this: what is imported stays.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd

from zealous_sieve import bootstrap, environment
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.storage.files import read_bars
from zealous_sieve.usecases.table.bars import import_bars

SAMPLE = 50_000


def write(path: Path, instruments: int, rows: int) -> None:
    bars = rows // instruments
    rng = np.random.default_rng(instruments)
    days = pd.date_range("2003-01-01", periods=bars, freq="D", tz="UTC").strftime(
        "%Y-%m-%dT%H:%M:%SZ"
    )
    close = np.round(100 * np.exp(np.cumsum(rng.normal(0, 0.01, instruments * bars) * 0.05)), 2)
    table = pd.DataFrame(
        {
            "instrument": np.repeat([f"N{instruments}X{n}" for n in range(instruments)], bars),
            "time": np.tile(days, instruments),
            "open": close, "high": close + 0.5, "low": np.maximum(close - 0.5, 0.01), "close": close,
            "volume": rng.integers(1, 1_000_000, len(close)),
        }
    )  # fmt: skip
    table.to_csv(path, index=False)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=1_200_000)
    options = parser.parse_args()
    outside = bootstrap.outside(environment.address())
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bars.csv"
        write(path, 7, 700)  # what is loaded once is not counted
        import_bars(outside, joined_files([(str(path), read_bars(path))]))
        for instruments in (240, 1000, 5000):
            write(path, instruments, options.rows)
            start = time.perf_counter()
            bars = joined_files([(str(path), read_bars(path))])
            read = time.perf_counter()
            done = import_bars(outside, bars)
            end = time.perf_counter()
            rate = done.bars / (end - start)
            print(f"{instruments:5d} instruments, {done.bars} rows: {rate:10,.0f} rows a second "
                  f"(reading {read - start:.2f} s, the rest {end - read:.2f} s)")  # fmt: skip
            print(f"      row by row {rival(path, options.rows):10,.0f} rows a second")


def rival(path: Path, rows: int) -> float:
    """Rows a second of a dataframe library and ``executemany``."""
    database = bootstrap.outside(environment.address()).bars.database  # type: ignore[attr-defined]
    start = time.perf_counter()
    table = pd.read_csv(path, parse_dates=["time"])
    reading = time.perf_counter() - start
    sample = table.head(SAMPLE)
    with database.raw() as connection:
        connection.execute("CREATE TEMP TABLE rival (LIKE bars INCLUDING ALL)")
        start = time.perf_counter()
        values = [(1, 6, *row[1:]) for row in sample.itertuples(index=False)]
        with connection.cursor() as cursor:
            statement = (
                "INSERT INTO rival VALUES (%s, %s, %s, %s, %s, %s, %s, %s) ON CONFLICT DO NOTHING"
            )
            cursor.executemany(statement, values)
        writing = (time.perf_counter() - start) * rows / len(sample)
    return rows / (reading + writing)


if __name__ == "__main__":
    main()
