"""What a file may take: small ones that unfold, endless lines and cells, work that is not wanted any
more."""

from __future__ import annotations

import gzip
import os
import signal
import time
import urllib.error
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pq
import pytest

from tests.conftest import Service
from zealous_sieve.compute.server import BUDGETS
from zealous_sieve.storage.foreign_files import LONGEST_CELL, MOST_COLUMNS
from zealous_sieve.usecases.desk.outside import OrderKind

HEAD = "instrument,date,open,high,low,close,volume"
ROW = "BUDGETED,2026-01-{:02d},10,11,9,10.5,1000"
ROWS = "\n".join([HEAD, *(ROW.format(n) for n in range(5, 25))])
IN_SECONDS = 20


def text(own: str) -> Callable[[Path], None]:
    return lambda path: (path.write_text(own), None)[1]


def packed(path: Path) -> None:
    with gzip.open(path, "wb") as file:
        for _ in range(70):
            file.write(b"\n" * 2**20)


def unfolding(path: Path) -> None:
    """Sixty-two million rows in some hundred kB."""
    times = pa.array(np.full(1_000_000, 1_750_000_000_000_000), pa.timestamp("us"))
    table = pa.table({"date": times, "close": np.ones(1_000_000)})
    with pq.ParquetWriter(path, table.schema) as writer:
        for _ in range(62):
            writer.write_table(table)


def long_texts(path: Path) -> None:
    """A text of three million characters, in each of a hundred thousand rows."""
    count = 100_000
    codes = pa.DictionaryArray.from_arrays(np.zeros(count, np.int32), ["X" * 3_000_000])
    dates = pa.array(np.arange(count) * 60_000_000, pa.timestamp("us"))
    pq.write_table(pa.table({"code": codes, "date": dates, "close": np.ones(count)}), path)


def wide(path: Path) -> None:
    own = pa.table({f"c{n}": [1.0] for n in range(MOST_COLUMNS + 1)})
    pq.write_table(own, path)


REFUSED = {
    "code.csv": (text(f"{HEAD}\n{'C' * 50_000_000},2026-01-05,1,1,1,1,1"), "line 2 goes on"),
    "columns.csv": (text(",".join(["date", *(f"c{n}" for n in range(20_000))])), "20,001 columns"),
    "far.csv": (text(",".join(f"c{n}" for n in range(10**6)) + "\n1"), "line 1 goes on"),
    "cell.csv": (text(f"{ROWS}\n{'C' * 200_000},2026-02-02,1,1,1,1,1\n"), "200,000 characters"),
    "quoted.csv": (text(f'{HEAD}\n"{"a" * 200_000}",2026-02-02,1,1,1,1,1\n'), "200,002 characters"),
    "parted.csv": (text(",;" * 2_000_000), "line 1 goes on"),
    "later.csv": (text(f"{HEAD}\n{',' * 4_000_000}\n"), "line 2 goes on"),
    "blank.csv.gz": (packed, "unfolds to more than 200 times"),
    "rows.parquet": (unfolding, "more than 60,000,000 rows"),
    "texts.parquet": (long_texts, "3,000,000 characters"),
    "wide.parquet": (wide, f"{MOST_COLUMNS + 1:,} columns"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_a_file_that_would_take_too_much_is_refused_in_seconds_with_words(
    service: Service, tmp_path: Path, name: str
) -> None:
    make, words = REFUSED[name]
    path = tmp_path / name
    make(path)
    before = service.client.ask("GET", "/imports")
    start = time.monotonic()
    with pytest.raises(urllib.error.HTTPError) as refused:
        service.client.bring(path)
    assert time.monotonic() - start < IN_SECONDS
    assert refused.value.code == 422
    said = refused.value.read().decode()
    assert words in said, said
    assert "mend" in said
    assert service.client.ask("GET", "/imports") == before, "nothing of it is kept"
    both = service.client.bring_many([path])
    assert both["imports"] == []
    assert words in both["turned"][0]["problem"]["message"]


def state(service: Service, number: int) -> dict[str, Any]:
    return dict(service.client.ask("GET", f"/imports/{number}")["own"])


def read(service: Service, path: Path) -> dict[str, Any]:
    number = service.client.bring(path)["id"]
    while (own := state(service, number))["state"] == "reading":
        time.sleep(0.05)
    return own


@pytest.mark.parametrize("form", ["csv", "parquet"])
def test_what_is_too_long_further_down_stops_only_its_row(
    service: Service, tmp_path: Path, form: str
) -> None:
    count = 9_000
    codes = [f"LONG{n % 3}" for n in range(count)]
    codes[8_000], codes[8_001] = "C" * (LONGEST_CELL + 1), "C" * 41
    days = np.datetime64("2016-01-01") + np.arange(count) // 3
    own = pa.table({"code": codes, "date": days.astype(str), "close": np.linspace(5, 9, count)})
    path = tmp_path / f"long.{form}"
    if form == "csv":
        pa_csv.write_csv(own, path)
    else:
        pq.write_table(own, path)
    done = read(service, path)
    assert done["state"] == "ready", done
    assert (done["account"]["refused"], done["account"]["new"]) == (2, count - 2)
    reasons = [refusal["reason"] for refusal in done["account"]["refusals"]]
    assert any("more than 10,000 characters" in reason for reason in reasons), reasons
    with service.client.stream(f"/imports/{done['id']}/refused") as reply:
        assert "more than 10,000 characters" in reply.read().decode()
    service.client.ask("DELETE", f"/imports/{done['id']}")


@pytest.fixture
def begun(service: Service, tmp_path: Path) -> Iterator[tuple[int, int]]:
    """The number of an import of millions of rows that is being read, and the process that reads it."""
    count = 2_500_000
    stamps = np.datetime64("2020-01-01T00:00:00") + np.arange(count) * np.timedelta64(60, "s")
    path = tmp_path / "MANY.csv"
    closes = np.linspace(5, 900, count)
    pa_csv.write_csv(pa.table({"time": stamps.astype("datetime64[us]"), "close": closes}), path)
    number = service.client.bring(path)["id"]
    until = time.monotonic() + 60
    while state(service, number)["done"] == 0:
        assert time.monotonic() < until
        time.sleep(0.02)
    nice = BUDGETS[OrderKind.IMPORT].nice
    (copy,) = (pid for pid in copies(service) if os.getpriority(os.PRIO_PROCESS, pid) == nice)
    yield number, copy
    service.client.ask("DELETE", f"/imports/{number}")


def copies(service: Service) -> list[int]:
    """The processes in which something is computed or read."""
    compute = service.processes["compute"].pid
    return [int(n) for n in Path(f"/proc/{compute}/task/{compute}/children").read_text().split()]


def test_a_large_file_is_read_apart_and_given_up_at_once(
    service: Service, begun: tuple[int, int]
) -> None:
    number, copy = begun
    os.kill(copy, signal.SIGSTOP)  # it does not answer any more
    start = time.monotonic()
    service.client.ask("POST", f"/imports/{number}/cancel", {})
    while copy in copies(service):
        assert time.monotonic() - start < 5, "it is ended, not waited for"
        time.sleep(0.02)
    assert state(service, number)["state"] == "cancelled"


def test_an_import_whose_work_is_killed_says_so_and_harms_nothing_else(
    service: Service, begun: tuple[int, int]
) -> None:
    number, copy = begun
    os.kill(copy, signal.SIGKILL)
    while (own := state(service, number))["state"] == "reading":
        time.sleep(0.05)
    assert own["state"] == "failed"
    assert "SIGKILL" in own["reason"]
    assert service.processes["worker"].poll() is None
